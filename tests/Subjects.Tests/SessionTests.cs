using Shouldly;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Sqlite;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>What any engine's sessions and copies must do; each engine's tests hand in a subject with a table <c>purse (id, coins)</c> of one row, (1, 0).</summary>
internal static class Sessions
{
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(30);

    private const string Add = "UPDATE purse SET coins = coins + 1 WHERE id = 1", Read = "SELECT coins FROM purse WHERE coins >= :least";

    /// <summary>Sessions that commit beside each other lose nothing; those that roll back leave nothing; each sees the change.</summary>
    public static async Task RunBesideEachOther(ISubject subject)
    {
        await using ISubjectCopy copy = await subject.CopyAsync(Side.After, default);
        await copy.ApplyAsync(new(1, "ALTER TABLE purse ADD COLUMN note VARCHAR(9)", new(0, 1), new(1, 1)), default);
        await copy.FinishChangeAsync(default);
        await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => Task.Run(() => Execute(copy, SessionWrites.Committed, "UPDATE purse SET coins = coins + 1, note = 'x' WHERE id = 1", 25))));
        (await Coins(copy, 100)).ShouldBe(1);
        (await Coins(copy, 101)).ShouldBe(0);

        Execute(copy, SessionWrites.RolledBack, Add, 10);
        (await Coins(copy, 101)).ShouldBe(0);
        (await Coins(copy, 100)).ShouldBe(1);
    }

    /// <summary>One base serves several pairs: what is done to one copy is in no other.</summary>
    public static async Task ShareOneBase(ISubject subject)
    {
        await using ISubjectCopy first = await subject.CopyAsync(Side.After, default), second = await subject.CopyAsync(Side.After, default, pair: 1), third = await subject.CopyAsync(Side.Before, default, pair: 12);
        Execute(first, SessionWrites.Committed, Add, 3);
        await second.ApplyAsync(new(1, "UPDATE purse SET coins = 70", new(0, 1), new(1, 1)), default);
        (await Coins(first, 3), await Coins(first, 4), await Coins(second, 70), await Coins(third, 1)).ShouldBe((1, 0, 1, 0));
    }

    private static void Execute(ISubjectCopy copy, SessionWrites writes, string sql, int times)
    {
        using ISubjectSession session = copy.OpenSession(writes);
        using IPreparedCase prepared = session.Prepare(new(sql, []), Limit);
        prepared.Execute(times).ShouldBeGreaterThan(0);
    }

    /// <summary>Purses with at least so many coins.</summary>
    private static async Task<long?> Coins(ISubjectCopy copy, int least) =>
        (await copy.InspectAsync(new(Read, BindLine.Pairs($"least={least}")), Limit, default)).Rows;
}

public sealed class SessionTests : IDisposable
{
    private readonly TestDatabase _database = new();

    public void Dispose() => _database.Dispose();

    [Theory]
    [InlineData("DELETE")]
    [InlineData("WAL")]
    public async Task Sessions_on_one_copy_run_beside_each_other(string journal)
    {
        _database.Run($"CREATE TABLE purse (id INTEGER PRIMARY KEY, coins INTEGER); INSERT INTO purse VALUES (1, 0); PRAGMA journal_mode = {journal}");
        await using SqliteSubject subject = SqliteSubject.Open(_database.Path, _database.Copies);
        await Sessions.RunBesideEachOther(subject);
    }

    [Fact]
    public async Task Copies_of_several_pairs_share_one_base()
    {
        _database.Run("CREATE TABLE purse (id INTEGER PRIMARY KEY, coins INTEGER); INSERT INTO purse VALUES (1, 0)");
        await using SqliteSubject subject = SqliteSubject.Open(_database.Path, _database.Copies);
        await Sessions.ShareOneBase(subject);
    }

    [Fact]
    public async Task Sessions_that_commit_wait_for_the_disk_as_the_subject_does()
    {
        _database.Run("CREATE TABLE purse (id INTEGER PRIMARY KEY, coins INTEGER); INSERT INTO purse VALUES (1, 0)");
        await using SqliteSubject subject = SqliteSubject.Open(_database.Path, _database.Copies);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        using ISubjectSession commits = copy.OpenSession(SessionWrites.Committed), undoes = copy.OpenSession(SessionWrites.RolledBack);
        (commits.Durability, undoes.Durability).ShouldBe(("journal_mode delete, synchronous 2", "journal_mode delete, synchronous 0"));
    }
}
