using Shouldly;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Postgres;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>The same on a server.</summary>
[Collection(PostgresFixture.Name)]
public sealed class TiedRowsOnServerTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    [Fact]
    public async Task Rows_agree_up_to_ties()
    {
        Postgres.Sql(Database, "ALTER TABLE parcel RENAME COLUMN depot_id TO depot; DELETE FROM parcel WHERE id > 5000");
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        foreach ((string before, string after, bool? agree) in TiedRowsTests.Pairs.Select(p => (p.Data.Item1, p.Data.Item2, p.Data.Item3)))
        {
            TiedRowsTests.WithinTies(copy, before, after, PostgresEngine.Engine.Dialect).ShouldBe(agree, $"{before} against {after}");
        }

        TiedRowsTests.WithinTies(copy, "SELECT DISTINCT ON (depot) depot, state FROM parcel ORDER BY depot DESC, id", "SELECT DISTINCT ON (depot) depot, state FROM parcel ORDER BY depot, id", PostgresEngine.Engine.Dialect).ShouldBe(false);
        TiedRowsTests.WithinTies(copy, "SELECT id, state FROM parcel ORDER BY state COLLATE \"C\"", "SELECT id, state FROM parcel ORDER BY state, id DESC", PostgresEngine.Engine.Dialect).ShouldBe(true);
        TiedRowsTests.WithinTies(copy, "SELECT id, state FROM parcel ORDER BY state USING >", "SELECT id, state FROM parcel ORDER BY state DESC, id", PostgresEngine.Engine.Dialect).ShouldBe(true);
        TiedRowsTests.WithinTies(copy, "SELECT id, state FROM parcel ORDER BY state FOR UPDATE", "SELECT id, state FROM parcel ORDER BY state", PostgresEngine.Engine.Dialect).ShouldBeNull("window functions and locks do not go together");
        PostgresSubject.Clean(new(Address), Folder);
    }
}
