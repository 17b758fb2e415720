-- What units of work of one page came to, by hours (minutes since 1970 UTC); total in ticks.
CREATE TABLE page_hour (
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    hour INTEGER NOT NULL,
    page TEXT NOT NULL,
    units INTEGER NOT NULL,
    statements INTEGER NOT NULL,
    total INTEGER NOT NULL,
    PRIMARY KEY (source_id, hour, page)
) WITHOUT ROWID;

-- Versions of services that captures tell of; times in ticks UTC. A new version of a known service is a deployment.
CREATE TABLE service_version (
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    service TEXT NOT NULL,
    version TEXT NOT NULL,
    first_at INTEGER NOT NULL,
    last_at INTEGER NOT NULL,
    PRIMARY KEY (book_id, service, version)
) WITHOUT ROWID;
