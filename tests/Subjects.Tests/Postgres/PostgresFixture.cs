using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>
/// One server for all tests of PostgreSQL as a subject that count what is on it, one after the other, and one for those that do not look
/// beyond databases of their own.
/// </summary>
public sealed class PostgresFixture : IDisposable
{
    public const string Name = "postgres", Contents = "postgres, contents";

    private readonly PostgresServer _server = new("max_connections = 30\nmax_worker_processes = 8\n");

    internal PostgresServer Server => _server;

    public string Sql(string database, string script) => _server.Sql(database, script);

    public void Dispose() => _server.Dispose();
}

[CollectionDefinition(PostgresFixture.Name)]
public sealed class PostgresTests : ICollectionFixture<PostgresFixture>;

[CollectionDefinition(PostgresFixture.Contents)]
public sealed class PostgresContentsTests : ICollectionFixture<PostgresFixture>;
