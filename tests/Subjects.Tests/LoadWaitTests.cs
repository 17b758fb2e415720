using System.Diagnostics;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>A lock that is held on purpose appears among the waits for as long as it was held, on both engines.</summary>
public sealed class LoadWaitTests
{
    private static readonly LoadText Add = new("UPDATE purse SET coins = coins + 1 WHERE id = 1", [], []);

    private static readonly LoadTask Task = new(1, null, [new(new(1, "add", Add.Sql, new(0, 1), Core.Sql.SqlPattern.Of(Add.Sql, Dialects.Sqlite), null, null, [], false, []), 0)], [], new([], []));

    [Fact]
    public async Task On_a_file_it_is_the_write_lock()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-waits-").FullName;
        try
        {
            string path = Path.Combine(folder, "purse.db");
            using (var connection = new SqliteConnection($"Data Source={path};Pooling=False"))
            {
                connection.Open();
                using SqliteCommand command = connection.CreateCommand();
                command.CommandText = "PRAGMA journal_mode = WAL; CREATE TABLE purse (id INTEGER PRIMARY KEY, coins INTEGER); INSERT INTO purse VALUES (1, 0);";
                command.ExecuteNonQuery();
            }

            await using SqliteSubject subject = SqliteSubject.Open(path, folder);
            await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
            using ILoadSide side = copy.OpenLoad([Add], TimeSpan.FromSeconds(30), null);
            side.Durability.ShouldBe("journal_mode wal, synchronous 2");
            WaitShare wait = (await HoldAsync(side)).Waits.Single(w => w.Meaning == WaitMeaning.Writer);
            wait.Share.ShouldBeInRange(0.8, 1);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public async Task On_a_server_it_is_the_row()
    {
        using var server = new PostgresServer("");
        server.Sql("postgres", "CREATE DATABASE purses");
        server.Sql("purses", "CREATE TABLE purse (id int PRIMARY KEY, coins int); INSERT INTO purse VALUES (1, 0);");
        string folder = Directory.CreateTempSubdirectory("swift-ledger-waits-").FullName;
        try
        {
            SubjectAccess access = new(server.Connection("purses"), Trusted: true);
            await using (ISubject subject = SubjectEngines.OfSubject(server.Connection("purses")).Open(access, folder, null))
            {
                await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
                using ILoadSide side = copy.OpenLoad([Add], TimeSpan.FromSeconds(30), null);
                side.Durability.ShouldBe("synchronous_commit on, fsync off");
                StintSeen seen = await HoldAsync(side);
                IReadOnlyList<WaitShare> waits = seen.Waits;

                // Of both sessions: one waits all the time, the other one's transaction is open meanwhile.
                WaitShare row = waits.Single(w => w.Meaning == WaitMeaning.Row);
                row.Share.ShouldBeInRange(0.35, 0.6);
                row.Statement.ShouldBe(0);
                waits.Single(w => w.Meaning == WaitMeaning.IdleInTransaction).Share.ShouldBeInRange(0.35, 0.6);

                // It waits behind the one that holds the row, which does nothing at the time.
                LockQueue queue = seen.Queues.ShouldHaveSingleItem();
                (queue.Statement, queue.Behind, queue.Meaning, queue.Longest, queue.Depth).ShouldBe((0, 0, WaitMeaning.IdleInTransaction, 1, 1));
                queue.Share.ShouldBeInRange(0.3, 0.65);
                (seen.Counts.WrittenBytes > 0, seen.Counts.SessionCpuSeconds!.Count, seen.Counts.TempFiles).ShouldBe((true, 2, 0));
            }

            SubjectEngines.OfSubject(server.Connection("purses")).Clean(access, folder).ShouldBeNull();
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Theory]
    [InlineData("active", "", "", WaitMeaning.Running)]
    [InlineData("active", "Lock", "transactionid", WaitMeaning.Row)]
    [InlineData("active", "Lock", "extend", WaitMeaning.Page)]
    [InlineData("active", "LWLock", "WALWrite", WaitMeaning.Commit)]
    [InlineData("active", "IO", "WALSync", WaitMeaning.Commit)]
    [InlineData("active", "IO", "DataFileRead", WaitMeaning.Disk)]
    [InlineData("active", "IPC", "SyncRep", WaitMeaning.Commit)]
    [InlineData("active", "Timeout", "PgSleep", WaitMeaning.Other)]
    [InlineData("idle in transaction", "Client", "ClientRead", WaitMeaning.IdleInTransaction)]
    public void A_servers_words_mean_the_same_in_every_version(string state, string type, string wait, WaitMeaning meaning) =>
        PostgresWaits.MeaningOf(state, type, wait).Meaning.ShouldBe(meaning);

    /// <summary>One session holds what another one wants until that one was seen waiting for long enough.</summary>
    private static async Task<StintSeen> HoldAsync(ILoadSide side)
    {
        const int heldMilliseconds = 400;
        using ILoadSession holder = side.Open(), waiter = side.Open();
        holder.Begin(Task).ShouldBe(LoadOutcome.Done);
        holder.Execute(0, []).ShouldBe(LoadOutcome.Done);
        side.BeginStint();
        var clock = Stopwatch.StartNew();
        Task<LoadOutcome> waiting = System.Threading.Tasks.Task.Run(() => waiter.Execute(0, []));
        await System.Threading.Tasks.Task.Delay(heldMilliseconds);
        waiting.IsCompleted.ShouldBeFalse();
        holder.Commit().ShouldBe(LoadOutcome.Done);
        (await waiting).ShouldBe(LoadOutcome.Done);
        return side.EndStint(clock.Elapsed.TotalNanoseconds, 1);
    }
}
