using System.Globalization;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>A database of depots and parcels on a real server, of one test alone.</summary>
public abstract class DepotOnServer : IDisposable
{
    private protected static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);

    private protected PostgresFixture Postgres { get; }

    private protected string CopiesFolder { get; } = Directory.CreateTempSubdirectory("swift-ledger-copies-").FullName;

    private protected string Folder { get; }

    private protected string Database { get; } = $"t{Guid.NewGuid():n}";

    protected DepotOnServer(PostgresFixture postgres)
    {
        Postgres = postgres;
        Folder = NewFolder();
        Postgres.Sql("postgres", $"CREATE ROLE {Owner} LOGIN; CREATE DATABASE {Database}");
        Postgres.Sql(Database, $"ALTER DEFAULT PRIVILEGES GRANT ALL ON TABLES TO {Owner}");
        Postgres.Sql(Database, """
            CREATE TABLE depot (id int PRIMARY KEY, name text NOT NULL);
            CREATE TABLE parcel (id int PRIMARY KEY, depot_id int NOT NULL REFERENCES depot, state text NOT NULL, weight numeric NOT NULL, sent_on date NOT NULL, note bytea);
            INSERT INTO depot SELECT i, 'depot ' || i FROM generate_series(1, 50) i;
            INSERT INTO parcel SELECT i, 1 + i % 50, CASE WHEN i % 1000 = 0 THEN 'lost' ELSE 'sent' END, i % 97 + 0.5, date '2026-01-01' + i % 365, '\x00ff' FROM generate_series(1, 20000) i;
            CREATE INDEX parcel_state ON parcel (state);
            """);
        Postgres.Sql(Database, $"ALTER TABLE depot OWNER TO {Owner}; ALTER TABLE parcel OWNER TO {Owner}; GRANT ALL ON SCHEMA public TO {Owner}");
        Postgres.Sql(Database, "VACUUM ANALYZE");
    }

    /// <summary>May do anything in the database, and nothing beyond it.</summary>
    private protected string Owner => $"{Database}_owner";

    private protected string OwnersAddress => Address.Replace("postgres@", $"{Owner}@", StringComparison.Ordinal);

    private protected string Address => $"postgresql://postgres@127.0.0.1:{Postgres.Server.Port.ToString(CultureInfo.InvariantCulture)}/{Database}";

    public void Dispose()
    {
        Postgres.Sql("postgres", $"DROP DATABASE {Database} WITH (FORCE); DROP ROLE {Owner}");
        Directory.Delete(CopiesFolder, recursive: true);
        GC.SuppressFinalize(this);
    }

    private protected static ChangeStep Step(string sql) => TestDatabase.Step(sql);

    private protected string NewFolder() => Directory.CreateDirectory(Path.Combine(CopiesFolder, Guid.NewGuid().ToString("n"))).FullName;

    private protected List<string> Copies() => [.. Postgres.Sql("postgres", "SELECT datname FROM pg_database WHERE datname LIKE 'swift%'").Split('\n', StringSplitOptions.RemoveEmptyEntries)];

    /// <summary>All rows and all definitions of the subject.</summary>
    private protected string Fingerprint() => Postgres.Sql(Database, "SELECT md5(string_agg(p::text, '|' ORDER BY id)) FROM parcel p; SELECT string_agg(indexdef, '|' ORDER BY indexname) FROM pg_indexes WHERE schemaname = 'public'");
}
