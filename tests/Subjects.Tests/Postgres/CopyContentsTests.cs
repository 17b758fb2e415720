using System.Globalization;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Postgres;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>Copies that hold the rows of chosen tables, or rows made from statistics: held against the server's own statistics and estimates.</summary>
[Collection(PostgresFixture.Contents)]
public sealed class CopyContentsTests : IClassFixture<CopyContentsTests.Subject>, IDisposable
{
    private const string Schema = """"
        CREATE TYPE state AS ENUM ('new', 'sent', 'lost');
        CREATE DOMAIN weight AS numeric(8, 2) CHECK (VALUE > 0);
        CREATE SCHEMA "odd ""one""";
        CREATE TABLE depot (id int PRIMARY KEY, code varchar(12) NOT NULL UNIQUE, above int REFERENCES depot);
        CREATE TABLE parcel (
          id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, depot_id int NOT NULL REFERENCES depot, state state NOT NULL, weight weight NOT NULL, sent_on date NOT NULL,
          scanned_at timestamptz, reference uuid NOT NULL UNIQUE, letter text NOT NULL, more jsonb, big numeric GENERATED ALWAYS AS (weight * 2) STORED, title text NOT NULL, stamp text NOT NULL,
          CHECK (sent_on >= '2026-01-01'));
        CREATE TABLE stop (parcel_id bigint NOT NULL REFERENCES parcel, number int NOT NULL, depot_id int NOT NULL REFERENCES depot, PRIMARY KEY (parcel_id, number));
        CREATE TABLE reading (depot_id int NOT NULL, taken_on date NOT NULL, value double precision) PARTITION BY RANGE (taken_on);
        CREATE TABLE reading_early PARTITION OF reading FOR VALUES FROM ('2026-01-01') TO ('2026-07-01');
        CREATE TABLE reading_late PARTITION OF reading FOR VALUES FROM ('2026-07-01') TO ('2027-01-01');
        CREATE TABLE "odd ""one"""."Name, of 'all'" ("a column" int, "select" text);
        CREATE TABLE stay (depot_id int, EXCLUDE USING hash (depot_id WITH =));
        CREATE INDEX parcel_depot ON parcel (depot_id);
        CREATE VIEW lost AS SELECT * FROM parcel WHERE state = 'lost';
        CREATE MATERIALIZED VIEW by_depot AS SELECT depot_id, count(*) FROM parcel GROUP BY 1;
        CREATE FUNCTION noticed() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RAISE EXCEPTION ''no row may come this way''; END';
        """";

    private const string Rows = """"
        INSERT INTO depot SELECT i, 'D-' || lpad((i * 37)::text, 6, '0'), CASE WHEN i > 20 THEN 1 + i % 20 END FROM generate_series(1, 400) i;
        INSERT INTO parcel (depot_id, state, weight, sent_on, scanned_at, reference, letter, more, title, stamp)
          SELECT 1 + (400 * (i * 0.61803398875 % 1) ^ 3)::int % 400, CASE WHEN i % 200 = 0 THEN 'lost' WHEN i % 10 = 0 THEN 'new' ELSE 'sent' END::state, 0.5 + (i * 7919 % 10000) / 100.0, date '2026-01-01' + i / 60,
            CASE WHEN i % 4 > 0 THEN timestamptz '2026-01-01 00:00:00+00' + i * interval '23 minutes' END, md5(i::text)::uuid, repeat(md5(i::text), 40), CASE WHEN i % 3 = 0 THEN '{"a": 1}'::jsonb END, 'title ' || i % 900, to_char(timestamp '2026-01-01' + i * interval '37 minutes', 'YYYY-MM-DD"T"HH24:MI')
          FROM generate_series(1, 12000) i;
        INSERT INTO stay SELECT i FROM generate_series(1, 300) i;
        INSERT INTO stop SELECT i, n, 1 + (i + n) % 400 FROM generate_series(1, 12000) i, generate_series(1, 1 + i % 3) n;
        INSERT INTO reading SELECT i % 400, date '2026-01-01' + i % 365, sin(i) FROM generate_series(1, 20000) i;
        INSERT INTO "odd ""one"""."Name, of 'all'" SELECT i, 'word' FROM generate_series(1, 100) i;
        CREATE TRIGGER parcel_noticed BEFORE INSERT ON parcel FOR EACH ROW EXECUTE FUNCTION noticed();
        REFRESH MATERIALIZED VIEW by_depot;
        """";

    private readonly PostgresFixture _postgres;
    private readonly string _copies = Directory.CreateTempSubdirectory("swift-ledger-copies-").FullName;
    private readonly string _folder;
    private readonly string _database = $"c{Guid.NewGuid():n}";

    public CopyContentsTests(PostgresFixture postgres, Subject subject)
    {
        _postgres = postgres;
        _folder = Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName;
        _postgres.Sql("postgres", $"CREATE DATABASE {_database} TEMPLATE {subject.Name}");
    }

    /// <summary>The database that each test gets a copy of.</summary>
    public sealed class Subject
    {
        public Subject(PostgresFixture postgres)
        {
            postgres.Sql("postgres", $"CREATE DATABASE {Name}");
            postgres.Sql(Name, Schema);
            postgres.Sql(Name, Rows);
            postgres.Sql(Name, "VACUUM ANALYZE");
        }

        public string Name { get; } = $"contents{Guid.NewGuid():n}";
    }

    private string Base => $"swift_ledger_{Path.GetFileName(_folder)}_base";

    public void Dispose()
    {
        PostgresSubject.Clean(Access(new()), _folder).ShouldBeNull();
        _postgres.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");
        _postgres.Sql("postgres", $"DROP DATABASE {_database} WITH (FORCE)");
        Directory.Delete(_copies, recursive: true);
    }

    // The outside check: the server's own planner and its own counting, on both databases. Statistics are exact here: ANALYZE samples
    // 300 rows for each of 100 statistics targets, more than there are.
    [Fact]
    public void The_servers_planner_expects_as_many_of_the_made_rows_and_that_many_there_are()
    {
        Open(new(MadeRows: 1));
        foreach ((string condition, double within) in new[]
        {
            ("state = 'lost'", 0.4), ("state = 'new'", 0.1), ("depot_id = 1", 0.1), ("depot_id > 200", 0.1), ("weight < 20", 0.1), ("sent_on BETWEEN '2026-02-01' AND '2026-03-01'", 0.1),
            ("scanned_at IS NULL", 0.1), ("scanned_at < '2026-03-01'", 0.1), ("more IS NULL", 0.1), ("id < 4000", 0.05),
        })
        {
            double believed = Estimate(_database, condition), there = Count(_database, $"parcel WHERE {condition}");
            Estimate(Base, condition).ShouldBe(believed, Math.Max(5, believed * within), condition);
            Count(Base, $"parcel WHERE {condition}").ShouldBe(there, Math.Max(8, there * within), condition);
        }

        // A value that no statistics name: as many rows are expected, though the made ones have others.
        Estimate(Base, "title = 'title 77'").ShouldBe(Estimate(_database, "title = 'title 77'"), 4);
    }

    [Fact]
    public void Made_rows_keep_every_rule_of_the_schema()
    {
        IReadOnlyList<string> notes = Open(new(MadeRows: 1));
        notes[0].ShouldBe("No row is the subject's own.");
        string.Join('\n', notes).ShouldNotContain("no rows could be made");
        notes.Where(n => n.Contains("left out", StringComparison.Ordinal)).ShouldBe(["stay_depot_id_excl of public.stay is left out: made rows do not keep what it excludes."]);
        foreach (string table in new[] { "depot", "parcel", "stop", "reading", "\"odd \"\"one\"\"\".\"Name, of 'all'\"" })
        {
            double there = Count(_database, table), made = Count(Base, table);
            made.ShouldBe(there, there * 0.05, table);
        }

        // All keys stand, refer to rows that are there, and the sequence goes on behind them.
        _postgres.Sql(Base, "SELECT count(*) FROM pg_constraint WHERE contype IN ('p', 'u', 'f', 'c') AND conrelid::regclass::text IN ('depot', 'parcel', 'stop')").ShouldBe(
            _postgres.Sql(_database, "SELECT count(*) FROM pg_constraint WHERE contype IN ('p', 'u', 'f', 'c') AND conrelid::regclass::text IN ('depot', 'parcel', 'stop')"));
        Count(Base, "depot WHERE above IS NOT NULL").ShouldBe(Count(_database, "depot WHERE above IS NOT NULL"), 40);
        _postgres.Sql(Base, "SELECT nextval(pg_get_serial_sequence('parcel', 'id')) > (SELECT max(id) FROM parcel)").Trim().ShouldBe("t");
        Count(Base, "by_depot").ShouldBe(Count(_database, "by_depot"), 80);

        // Texts that are numbered, or are moments, stay so.
        Count(Base, "depot WHERE code !~ '^D-[0-9]{6}$'").ShouldBe(0);
        Count(Base, "parcel WHERE stamp !~ '^2026-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}$' OR stamp::timestamp IS NULL").ShouldBe(0);

        // As many values, as wide, in as much order, says the server.
        foreach ((string column, string what, double within) in new[]
        {
            ("title", "n_distinct", 0.25), ("depot_id", "n_distinct", 0.25), ("reference", "n_distinct", 0.01), ("sent_on", "correlation", 0.05), ("id", "correlation", 0.05),
            ("letter", "avg_width", 0.5), ("title", "avg_width", 0.3), ("scanned_at", "null_frac", 0.1),
        })
        {
            double subject = Statistic(_database, column, what), made = Statistic(Base, column, what);
            made.ShouldBe(subject, Math.Abs(subject) * within, $"{what} of {column}");
        }
    }

    [Theory]
    [InlineData(0.1)]
    [InlineData(3)]
    public void There_are_as_many_rows_as_are_wanted(double scale)
    {
        IReadOnlyList<string> notes = Open(new(MadeRows: scale));
        string.Join('\n', notes).ShouldNotContain("no rows could be made");
        Count(Base, "parcel").ShouldBe(12_000 * scale, 12_000 * scale * 0.02);
        Count(Base, "depot").ShouldBe(400 * scale, 400 * scale * 0.03);
        Estimate(Base, "state = 'new'").ShouldBe(Estimate(_database, "state = 'new'") * scale, 1200 * scale * 0.15);

        // Keys of a larger table go further, and what refers to them goes along.
        double furthest = double.Parse(_postgres.Sql(Base, "SELECT max(parcel_id) FROM stop"), CultureInfo.InvariantCulture);
        furthest.ShouldBeGreaterThan(Math.Max(1, scale) * 11_000);
    }

    [Fact]
    public void The_rows_of_chosen_tables_come_along_and_keys_to_others_are_left_out()
    {
        IReadOnlyList<string> notes = Open(new(["parcel", "reading"]));
        (Count(Base, "parcel"), Count(Base, "reading"), Count(Base, "depot"), Count(Base, "stop")).ShouldBe((12_000, 20_000, 0, 0));
        _postgres.Sql(Base, "SELECT md5(string_agg(p::text, '' ORDER BY id)) FROM parcel p").ShouldBe(_postgres.Sql(_database, "SELECT md5(string_agg(p::text, '' ORDER BY id)) FROM parcel p"));
        notes[0].ShouldBe("Only the rows of parcel, reading_early, reading_late are the subject's own.");
        notes[1].ShouldBe("\"odd \"\"one\"\"\".\"Name, of 'all'\", depot, stay, stop stay empty.");
        notes[2].ShouldBe("1 foreign keys are left out, for rows that they refer to are not there: parcel_depot_id_fkey of parcel.");
        _postgres.Sql(Base, "SELECT count(*) FROM pg_indexes WHERE indexname = 'parcel_depot'").Trim().ShouldBe("1");
    }

    [Fact]
    public void The_rows_of_chosen_tables_stand_beside_made_ones()
    {
        IReadOnlyList<string> notes = Open(new(["depot"], 0.5));
        (Count(Base, "depot"), notes[0]).ShouldBe((400, "Only the rows of depot are the subject's own."));
        Count(Base, "parcel").ShouldBe(6_000, 120);
        string.Join('\n', notes).ShouldNotContain("keys are left out");
    }

    [Theory]
    [InlineData("nowhere")]
    [InlineData("lost")]
    [InlineData("'; DROP TABLE depot; --")]
    public void A_table_that_is_not_there_is_named(string table) =>
        Should.Throw<SubjectException>(() => Open(new([table]))).Problem.Message.ShouldBe($"The subject has no table '{table}' whose rows could come along.");

    [Fact]
    public void Statistics_that_were_never_gathered_make_nothing_and_say_so()
    {
        // Its rule asks a function that refuses some rows by failing.
        _postgres.Sql(_database, """
            CREATE FUNCTION strict_check(n int) RETURNS boolean LANGUAGE plpgsql AS 'BEGIN RETURN true; END';
            CREATE TABLE picky AS SELECT i AS n FROM generate_series(-5, 100) i; ANALYZE picky; ALTER TABLE picky ADD CHECK (strict_check(n));
            CREATE OR REPLACE FUNCTION strict_check(n int) RETURNS boolean LANGUAGE plpgsql AS 'BEGIN IF n < 0 THEN RAISE EXCEPTION ''no''; END IF; RETURN true; END';
            """);
        _postgres.Sql(_database, "CREATE TABLE fresh WITH (autovacuum_enabled = off) AS SELECT i FROM generate_series(1, 1000) i; INSERT INTO depot SELECT i, 'X' || i FROM generate_series(1001, 1400) i");
        string notes = string.Join('\n', Open(new(MadeRows: 1)));
        notes.ShouldContain("fresh: no rows could be made (the subject has no statistics of it that this user may see: it was never analysed, or may not be read).");
        notes.ShouldContain("picky: no rows could be made (no).");
        notes.ShouldContain("Statistics of depot are older than many of their rows: what is made is like the rows of then. ANALYZE the subject first.");
    }

    [Fact]
    public void What_a_copy_would_take_is_reckoned_from_what_it_holds()
    {
        var little = Access(new(MadeRows: 200)) with { MostBytes = 1 << 28 };
        Should.Throw<SubjectException>(() => PostgresSubject.Open(little, _folder)).Problem.Message.ShouldContain("more than the 0.250 GiB a copy that are allowed");
        PostgresSubject.Open(Access(new(["depot"])) with { MostBytes = 1 << 20 }, _folder);
    }

    private SubjectAccess Access(DumpContents contents) =>
        new($"postgresql://postgres@127.0.0.1:{_postgres.Server.Port.ToString(CultureInfo.InvariantCulture)}/{_database}", SubjectSides.Dumped, Dump: contents);

    private IReadOnlyList<string> Open(DumpContents contents) => PostgresSubject.Open(Access(contents), _folder).Info.Notes!;

    private double Count(string database, string what) => double.Parse(_postgres.Sql(database, $"SELECT count(*) FROM {what}"), CultureInfo.InvariantCulture);

    private double Estimate(string database, string condition) => double.Parse(
        _postgres.Sql(database, $"EXPLAIN SELECT * FROM parcel WHERE {condition}").Split("rows=")[1].Split(' ')[0], CultureInfo.InvariantCulture);

    private double Statistic(string database, string column, string what) => double.Parse(
        _postgres.Sql(database, $"SELECT CASE WHEN '{what}' = 'n_distinct' AND {what} < 0 THEN -{what} * 12000 ELSE {what} END FROM pg_stats WHERE tablename = 'parcel' AND attname = '{column}'"), CultureInfo.InvariantCulture);
}
