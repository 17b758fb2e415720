using CsCheck;
using Shouldly;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Batches;

public class BatchFoldTests
{
    [Fact]
    public void Executions_of_a_pattern_are_added_up_and_equal_plans_kept_once()
    {
        var fold = new BatchFold(Dialects.Sqlite);
        int asked = 0;
        for (int i = 0; i < 1_000; i++)
        {
            fold.Add($"UPDATE parcel SET weight = {i} WHERE id = {i}", i + 1, 0.5, 2, 0, "SEARCH", () => PlanOf("SEARCH parcel USING INTEGER PRIMARY KEY (rowid=?)", ref asked));
        }

        fold.Add("SELECT * FROM parcel", 1_001, 1_500, 9_000, 100, "SCAN", () => PlanOf("SCAN parcel", ref asked));
        BatchRun run = fold.Result();
        asked.ShouldBe(2);
        (run.Executions, run.Milliseconds).ShouldBe((1_001, 2_000));
        BatchStatement[] statements = [.. run.Statements];
        statements.Select(s => (s.Number, s.Line, s.Calls, s.Milliseconds, s.Share, s.RowsVisited, s.Rows)).ShouldBe([(2, 1_001, 1, 1_500, 0.75, 9_000, 100), (1, 1, 1_000, 500, 0.25, 2_000, 0)]);
        statements[1].Plans.Select(p => (p.Calls, p.Milliseconds)).ShouldBe([(1_000, 500)]);
        BatchReport.Headline(run).ShouldBe("75.0 % of 2.00 s went to statement 2 (line 1001), executed 1 time.");
    }

    [Fact]
    public void The_price_of_counting_is_told_where_both_runs_ran_the_same()
    {
        BatchRun counted = Run("aab"), plain = Run("aab") with { Milliseconds = 1.5 };
        BatchRun both = counted.Beside(plain);
        both.Uncounted.ShouldBe(1.5);
        both.Statements.ShouldAllBe(s => s.Uncounted == s.Milliseconds);
        BatchReport.Headline(both).ShouldContain("(1.50 ms where nothing was counted)");
        BatchReport.Json(both).ShouldContain("\"uncounted\": 1.5");

        // A run that ended early, or that took another way, is none to hold it against.
        counted.Beside(Run("aa")).Uncounted.ShouldBeNull();
        counted.Beside(Run("abb")).Uncounted.ShouldBeNull();
        counted.Beside(plain with { Failure = new(3, 3, "disk full") }).Uncounted.ShouldBeNull();
        (counted with { Failure = new(3, 3, "no such table") }).Beside(plain).Uncounted.ShouldBeNull();
    }

    [Fact]
    public void What_a_script_did_so_far_is_there_for_another_thread()
    {
        var fold = new BatchFold(Dialects.Sqlite);
        fold.SoFar(3).Executions.ShouldBe(0);
        for (int i = 0; i < 10; i++)
        {
            fold.Add($"SELECT * FROM t{i}", i + 1, i, 0, 0, "", () => null);
        }

        (long executions, double milliseconds, IReadOnlyList<BatchStatement> costliest) = fold.SoFar(3);
        (executions, milliseconds).ShouldBe((10, 45));
        costliest.Select(s => (s.Number, s.Share)).ShouldBe([(10, 0.2), (9, 8 / 45.0), (8, 7 / 45.0)]);
        BatchReport.Reached(new(12, 400, 31, executions, milliseconds, 3_400, Counted: false, costliest)).ShouldBe("again, without counting: statement 12 of 400 (line 31), 3.40 s; 10 executed in 45.0 ms");
    }

    [Theory]
    [InlineData("a", "a")]
    [InlineData("aaaa", "4a")]
    [InlineData("xabababy", "x 3(3a 3b) y")]
    [InlineData("aabaabaab", "3(6a 3b)")]
    [InlineData("abbbabbabbbb", "3(3a 9b)")]
    [InlineData("abcabdabcabd", "2(2a 2b 2c 2a 2b 2d)")]
    [InlineData("", "")]
    public void Loops_and_loops_within_loops_are_found(string sequence, string blocks) => Drawn(Run(sequence)).ShouldBe(blocks);

    // However a sequence is folded, every execution is counted once and every millisecond is in one block.
    [Fact]
    public void Nothing_is_lost_by_folding() => Gen.Char['a', 'd'].Array[0, 200].Sample(letters =>
    {
        BatchRun run = Run(new string(letters));
        var leaves = new Dictionary<int, (long Times, double Milliseconds)>();
        void Collect(BatchBlock block)
        {
            if (block.Statement is { } number)
            {
                (long times, double ms) = leaves.GetValueOrDefault(number);
                leaves[number] = (times + block.Times, ms + block.Milliseconds);
            }

            foreach (BatchBlock inner in block.Body)
            {
                Collect(inner);
            }
        }

        foreach (BatchBlock block in run.Blocks)
        {
            Collect(block);
        }

        return run.Statements.All(s => leaves[s.Number] == (s.Calls, s.Milliseconds)) && run.Blocks.Sum(b => b.Milliseconds) == letters.Length;
    });

    private static Plan PlanOf(string text, ref int asked)
    {
        asked++;
        return PlanText.Build([(1, 0, text)]);
    }

    private static BatchRun Run(string sequence)
    {
        var fold = new BatchFold(Dialects.Sqlite);
        foreach (char c in sequence)
        {
            fold.Add($"SELECT {c} FROM parcel", 1, 1, 0, 0, "", () => null);
        }

        return fold.Result();
    }

    private static string Drawn(BatchRun run)
    {
        Dictionary<int, string> names = run.Statements.ToDictionary(s => s.Number, s => s.Sql["SELECT ".Length..][..1]);
        string Of(BatchBlock b) => b.Statement is { } number ? (b.Times > 1 ? $"{b.Times}" : "") + names[number] : $"{b.Times}({string.Join(' ', b.Body.Select(Of))})";
        return string.Join(' ', run.Blocks.Select(Of));
    }
}
