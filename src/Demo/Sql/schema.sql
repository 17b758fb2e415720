CREATE TABLE range_section (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL
);
CREATE TABLE hut (
    id INTEGER PRIMARY KEY,
    section_id INTEGER NOT NULL REFERENCES range_section(id),
    name TEXT NOT NULL,
    altitude_m INTEGER NOT NULL,
    opened_on TEXT NOT NULL
);
CREATE TABLE room (
    id INTEGER PRIMARY KEY,
    hut_id INTEGER NOT NULL REFERENCES hut(id),
    name TEXT NOT NULL
);
CREATE TABLE bunk (
    id INTEGER PRIMARY KEY,
    room_id INTEGER NOT NULL REFERENCES room(id),
    label TEXT NOT NULL,
    kind TEXT NOT NULL
);
CREATE TABLE member (
    id INTEGER PRIMARY KEY,
    number TEXT NOT NULL,
    name TEXT NOT NULL,
    country TEXT NOT NULL,
    email TEXT NOT NULL,
    joined_on TEXT NOT NULL
);
CREATE TABLE booking (
    id INTEGER PRIMARY KEY,
    hut_id INTEGER NOT NULL REFERENCES hut(id),
    member_id INTEGER NOT NULL REFERENCES member(id),
    state TEXT NOT NULL,
    first_night TEXT NOT NULL,
    nights INTEGER NOT NULL,
    party INTEGER NOT NULL,
    created_at TEXT NOT NULL,
    checked_in_at TEXT
);
CREATE TABLE booking_night (
    id INTEGER PRIMARY KEY,
    booking_id INTEGER NOT NULL REFERENCES booking(id),
    hut_id INTEGER NOT NULL,
    bunk_id INTEGER NOT NULL REFERENCES bunk(id),
    night TEXT NOT NULL
);
CREATE TABLE supply_order (
    id INTEGER PRIMARY KEY,
    hut_id INTEGER NOT NULL REFERENCES hut(id),
    ordered_at TEXT NOT NULL,
    state TEXT NOT NULL,
    lift_load_kg REAL NOT NULL
);
CREATE TABLE supply_order_line (
    id INTEGER PRIMARY KEY,
    order_id INTEGER NOT NULL REFERENCES supply_order(id),
    hut_id INTEGER NOT NULL REFERENCES hut(id),
    item TEXT NOT NULL,
    quantity INTEGER NOT NULL,
    price_cents INTEGER NOT NULL
);
CREATE TABLE weather_reading (
    id INTEGER PRIMARY KEY,
    hut_id INTEGER NOT NULL REFERENCES hut(id),
    taken_at TEXT NOT NULL,
    temperature REAL NOT NULL,
    wind_ms REAL NOT NULL,
    humidity INTEGER NOT NULL
);
CREATE TABLE trail_report (
    id INTEGER PRIMARY KEY,
    section_id INTEGER NOT NULL REFERENCES range_section(id),
    hut_id INTEGER REFERENCES hut(id),
    member_id INTEGER NOT NULL REFERENCES member(id),
    written_on TEXT NOT NULL,
    title TEXT NOT NULL,
    body TEXT NOT NULL
);
CREATE TABLE bunk_price (
    id INTEGER PRIMARY KEY,
    hut_id INTEGER NOT NULL REFERENCES hut(id),
    kind TEXT NOT NULL,
    valid_from TEXT NOT NULL,
    valid_to TEXT NOT NULL,
    price_cents INTEGER NOT NULL
);
