using Shouldly;
using SwiftLedger.Core.Rehearsals;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

public class SessionLoopTests
{
    private const string Unit = "-- part: p\n-- executions: 3\n-- unit: u\nSELECT 1;\n-- unit: u\nSELECT 2;";

    [Fact]
    public void A_unit_is_one_transaction_and_each_of_its_statements_is_told()
    {
        (ExecutionLog log, StandInSession session) = MadeStint.Run(MadeStint.Read(Unit).Parts[0], MadeStint.Second, (_, _) => MadeStint.Millisecond);
        session.Transactions.ShouldBe(["begin", "commit", "begin", "commit", "begin", "commit"]);
        log.Executions.ToArray().Select(e => (e.Statement, e.IsTask)).Take(3).ShouldBe([(0, false), (1, false), (-1, true)]);
        log.Executions.ToArray().Where(e => e.IsTask).ShouldAllBe(e => e.End - e.Start == 2 * MadeStint.Millisecond);
    }

    [Fact]
    public void Statements_by_themselves_need_no_transaction_and_several_together_have_one()
    {
        LoadPart each = MadeStint.Read("-- part: p\n-- executions: 7\nSELECT 1;").Parts[0];
        MadeStint.Run(each, MadeStint.Second, (_, _) => 1).Session.Transactions.ShouldBeEmpty();

        // Seven in threes: the last one is committed at the end of the stint.
        MadeStint.Run(each with { CommitEvery = 3 }, MadeStint.Second, (_, _) => 1).Session.Transactions.ShouldBe(["begin", "commit", "begin", "commit", "begin", "commit"]);
    }

    [Fact]
    public void What_has_to_begin_anew_does_and_its_whole_time_is_its_latency()
    {
        (ExecutionLog log, StandInSession session) = MadeStint.Run(MadeStint.Read(Unit).Parts[0], MadeStint.Second, (_, _) => MadeStint.Millisecond, ends: i => i is 1 or 3 ? LoadOutcome.Deadlock : LoadOutcome.Done);
        LoggedExecution first = log.Executions.ToArray().First(e => e.IsTask);
        (first.Outcome, first.Retries, first.Deadlocks).ShouldBe((LoadOutcome.Done, (byte)2, (byte)2));
        (first.End - first.Due).ShouldBe(6 * MadeStint.Millisecond);
        session.Transactions.Take(6).ShouldBe(["begin", "rollback", "begin", "rollback", "begin", "commit"]);
    }

    [Fact]
    public void What_fails_again_and_again_is_given_up()
    {
        (ExecutionLog log, _) = MadeStint.Run(MadeStint.Read("-- part: p\n-- executions: 1\nSELECT 1;").Parts[0], MadeStint.Second, (_, _) => 1, ends: _ => LoadOutcome.Conflict);
        LoggedExecution one = log.Executions.ToArray().ShouldHaveSingleItem();
        (one.Outcome, one.Retries, one.Deadlocks).ShouldBe((LoadOutcome.Conflict, (byte)SessionLoop.MostRetries, (byte)0));
        log.Messages.ShouldContainKeyAndValue(0, "as it was told to");
    }

    [Fact]
    public void A_lost_session_ends_its_turn()
    {
        (ExecutionLog log, _) = MadeStint.Run(MadeStint.Read("-- part: p\nSELECT 1;").Parts[0], MadeStint.Second, (_, _) => MadeStint.Millisecond, ends: i => i == 4 ? LoadOutcome.Lost : LoadOutcome.Done);
        log.Count.ShouldBe(5);
    }

    [Fact]
    public void Think_times_part_executions()
    {
        (ExecutionLog log, _) = MadeStint.Run(MadeStint.Read("-- part: p\n-- think: uniform 2 ms to 8 ms\nSELECT 1;").Parts[0], 50 * MadeStint.Second, (_, _) => MadeStint.Millisecond);
        long[] starts = [.. log.Executions.ToArray().Select(e => e.Start)];
        double[] pauses = [.. starts.Zip(starts.Skip(1), (a, b) => ((b - a) / 1e6) - 1)];
        pauses.ShouldAllBe(p => p >= 2 && p <= 8);
        pauses.Average().ShouldBe(5, 0.1);
    }

    [Fact]
    public void A_part_runs_from_its_beginning_to_its_end()
    {
        (ExecutionLog log, _) = MadeStint.Run(MadeStint.Read("-- part: p\n-- from: 2 s\n-- until: 3 s\n-- think: 10 ms\nSELECT 1;").Parts[0], 10 * MadeStint.Second, (_, _) => MadeStint.Millisecond);
        log.Executions.ToArray().ShouldAllBe(e => e.Due >= 2 * MadeStint.Second && e.Due < 3 * MadeStint.Second);
        log.Count.ShouldBeInRange(89, 93);
    }

    [Fact]
    public void Failed_executions_are_counted_and_are_in_no_latency()
    {
        (ExecutionLog log, _) = MadeStint.Run(MadeStint.Read("-- part: p\nSELECT 1;").Parts[0], MadeStint.Second, (_, _) => MadeStint.Millisecond, ends: i => i % 10 == 0 ? LoadOutcome.TimedOut : LoadOutcome.Done);
        var summed = StintSummary.Of(["s"], [log], 100 * MadeStint.Millisecond, MadeStint.Second);
        summed.Statements.Select(s => s.Statement).ShouldBe([null, "s"]);
        summed.Statements[0].Executions.ShouldBe(810);
        summed.Statements[0].Failures.ShouldBe(new Dictionary<LoadOutcome, long> { [LoadOutcome.TimedOut] = 90 });
        summed.Statements[1].Message.ShouldBe("as it was told to");
    }
}
