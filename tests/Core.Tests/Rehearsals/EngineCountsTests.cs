using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Live;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

/// <summary>What an engine counts, and who waited for whom, over the stints of a rehearsal.</summary>
public sealed class EngineCountsTests
{
    private static readonly StatementStint Nothing = new(null, 0, new Dictionary<LoadOutcome, long>(), 0, 0, 0, null, null, [], [], null);

    private static Stint Stint(int pair, Side side, EngineCounts? counts, params LockQueue[] queues) =>
        new(pair, side, 1.8, pair * 4, [Nothing, Nothing with { Statement = "book" }, Nothing with { Statement = "look" }], 1, 0, 0, 1, new(0, 0, 0, 0, 0), [], 1) { Counts = counts, Queues = queues };

    private static SessionState Session(int id, string sql, int[]? behind = null, string state = "active", double age = 1) => new(id, "", "", state, behind is null ? "" : "Lock", behind is null ? "" : "tuple", age, null, sql, behind ?? []);

    [Fact]
    public void A_count_is_for_a_task_over_all_stints_that_told_it()
    {
        // Worked out by hand: 3,000 bytes of 40 tasks; 3 s of processors in 2 stints of 2 s with 2 sessions.
        TaskCounts counts = TaskCounts.Of([
            Stint(0, Side.Before, new(10) { WrittenBytes = 1_000, TempFiles = 1, SessionCpuSeconds = [1, 0.5], CpuWaitSeconds = 0.1 }),
            Stint(1, Side.Before, new(30) { WrittenBytes = 2_000, TempFiles = 0, SessionCpuSeconds = [1, 0.5], CpuWaitSeconds = 0.3, Checkpoints = 2 }),
            Stint(2, Side.Before, new(0)), Stint(3, Side.Before, null),
        ]).ShouldNotBeNull();
        (counts.Tasks, counts.WrittenBytes, counts.TempFiles, counts.PagesRead, counts.TempBytes, counts.Checkpoints).ShouldBe((40, 75, 25, null, null, 2));
        counts.CpuMs!.Value.ShouldBe(75, 1e-9);
        counts.CpuWaitMs!.Value.ShouldBe(10, 1e-9);
        counts.BusiestSessionCpu!.Value.ShouldBe(0.5, 1e-9);
        counts.MedianSessionCpu!.Value.ShouldBe(0.375, 1e-9);
        TaskCounts.Of([Stint(0, Side.Before, null)]).ShouldBeNull();
    }

    [Fact]
    public void A_figure_that_some_stints_do_not_tell_is_of_the_others_alone() =>
        TaskCounts.Of([Stint(0, Side.After, new(10) { WrittenBytes = 1_000 }), Stint(1, Side.After, new(90))])!.WrittenBytes.ShouldBe(100);

    [Fact]
    public void A_queue_is_told_by_its_head_and_all_that_stand_behind_it_directly_or_not()
    {
        var fold = new LockQueueFold();
        int? Index(string sql) => sql switch { "UPDATE" => 0, "SELECT" => 1, _ => null };

        // 1 holds; 2 and 3 wait for it, 4 waits for 3, and for 2; 9 waits for one that is not among them.
        var sample = new ActivitySample(DateTimeOffset.UnixEpoch, [
            Session(1, "COMMIT", state: "idle in transaction", age: 5), Session(2, "UPDATE", [1]), Session(3, "SELECT", [1]), Session(4, "UPDATE", [3, 2]), Session(9, "UPDATE", [77]), Session(5, "SELECT"),
        ], 0);
        fold.Add(sample, 6, s => (s.State, WaitMeaning.IdleInTransaction), Index);
        fold.Add(new(DateTimeOffset.UnixEpoch, [], 0), 4, s => (s.State, WaitMeaning.Other), Index);
        fold.Take().ShouldBe([
            new LockQueue(0, null, "idle in transaction", WaitMeaning.IdleInTransaction, 0.2, 3, 2),
            new LockQueue(1, null, "idle in transaction", WaitMeaning.IdleInTransaction, 0.1, 3, 2),
        ]);
        fold.Take().ShouldBeEmpty();
    }

    [Fact]
    public void Sessions_that_wait_in_a_circle_are_a_queue_as_well()
    {
        var fold = new LockQueueFold();
        fold.Add(new(DateTimeOffset.UnixEpoch, [Session(1, "a", [2], age: 9), Session(2, "b", [1])], 0), 2, _ => ("Lock: tuple", WaitMeaning.Row), s => s == "a" ? 0 : 1);
        LockQueue queue = fold.Take().ShouldHaveSingleItem();
        (queue.Statement, queue.Behind, queue.Share, queue.Longest).ShouldBe((1, 0, 0.5, 1));
    }

    [Fact]
    public void Queues_of_both_sides_stand_side_by_side_with_shares_of_all_stints()
    {
        LockQueue own = new(0, 0, "running", WaitMeaning.Running, 0.4, 3, 1), commit = new(0, null, "IO: WALSync", WaitMeaning.Commit, 0.1, 9, 2);
        IReadOnlyList<LockQueueSides> sides = LockQueueSides.Of([Stint(0, Side.Before, null, own), Stint(0, Side.After, null, own, commit), Stint(1, Side.Before, null), Stint(1, Side.After, null, own with { Longest = 7 })]);
        sides.Select(s => (s.Statement, s.Behind, s.Kind, s.Before, s.After, s.Longest, s.Depth)).ShouldBe([("book", "book", "running", 0.2, 0.4, 7, 1), ("book", null, "IO: WALSync", 0, 0.05, 9, 2)]);
        LockQueueSides.Of([Stint(0, Side.Before, null, own)])[0].After.ShouldBeNull();
        LoadWords.Of(sides[0]).ShouldBe("book waited behind book (running): 20.0 % before, 40.0 % after of the sessions' time, 7 in a queue at the most");
        LoadWords.Of(sides[1]).ShouldBe("book waited behind a commit (IO: WALSync): 0 % before, 5.00 % after of the sessions' time, 9 in a queue at the most, 2 deep");
    }

    [Theory]
    [InlineData(1, 1_001, false)]
    [InlineData(1, 1_000, true)]
    [InlineData(5, 10, true)]
    [InlineData(0, 10, false)]
    public void Temporary_files_are_found_from_one_in_a_thousand_tasks_on_either_side(long files, long tasks, bool found)
    {
        Load load = MadeStint.Read("-- part: p\n-- sessions: 4\n-- name: book\nSELECT 1;\n-- name: look\nSELECT 2;");
        foreach (Side side in new[] { Side.Before, Side.After })
        {
            Stint[] stints = [Stint(0, side, new(tasks) { TempFiles = files }), Stint(0, side == Side.Before ? Side.After : Side.Before, new(tasks) { TempFiles = 0 })];
            LoadFinding.In(stints, load).Any(f => f.Kind == LoadFindingKind.TemporaryFiles && (side == Side.Before ? f.Before : f.After) > 0).ShouldBe(found);
        }
    }

    [Fact]
    public void The_document_and_its_table_tell_them()
    {
        Stint[] stints = [Stint(0, Side.Before, new(1_000) { WrittenBytes = 2_048_000, TempFiles = 3, TempBytes = 1_024_000, Checkpoints = 1 }, new LockQueue(0, 1, "running", WaitMeaning.Running, 0.4, 3, 1)), Stint(0, Side.After, null)];
        RehearsalDocument document = RehearsalDocument.Of(new(RehearsalBrief.Read("-- name: book\nSELECT 1;\n-- name: look\nSELECT 2;", "", SqliteEngine.Engine, new()).Value, stints), "x.db", "", "");
        (document.Before!.Counts!.WrittenBytes, document.After?.Counts, document.Queues!.Count).ShouldBe((2_048, null, 1));
        document.Findings.ShouldContain(f => f.Kind == LoadFindingKind.TemporaryFiles && f.Evidence == "In 1,000 executions: 3.00.");
        RehearsalTable.Markdown(document).ShouldContain("book waited behind look");
    }
}
