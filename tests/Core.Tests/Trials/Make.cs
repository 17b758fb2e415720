using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Testing;

namespace SwiftLedger.Core.Tests.Trials;

/// <summary>Evidence made for tests: real records, invented numbers.</summary>
internal static class Make
{
    public static LineEvidence Evidence(
        double beforeUs = 1_000, double afterUs = 1_000, int blocks = 40, long stepsBefore = 100, long stepsAfter = 100,
        string planBefore = "SCAN a", string planAfter = "SCAN a", bool rewritten = false, string rowsAfter = "r", LineEnd? end = LineEnd.Looked,
        double? confirmUs = null, double noise = 0.004, double? calls = 100) =>
        new(Brief(rewritten, calls), 2, LookSchedule.Full, Dialects.SqliteEngine.Counter!)
        {
            Before = Inspection(planBefore, stepsBefore, "r"),
            After = Inspection(planAfter, stepsAfter, rowsAfter),
            Blocks = Blocks(beforeUs, afterUs, blocks, noise),
            ConfirmingBlocks = confirmUs is { } c ? Blocks(beforeUs, c, 40, noise) : [],
            End = end,
        };

    public static Decision Decide(LineEvidence evidence) => VerdictRule.Decide(new Line(evidence));

    public static LineBrief Brief(bool rewritten = false, double? calls = 100, int number = 1, string name = "huts") =>
        new(number, name, "0123456789abcdef", "1", calls, 0.05, rewritten, true, "SELECT 1", [], new(1, 1), "SELECT 1", [], new(1, 1));

    public static Inspection Inspection(string plan, long steps, string rows, SideFailure? failure = null) =>
        new(PlanText.Build([(1, 0, plan)]), 1.5, 3, false, rows, "s" + rows, true,
            new Dictionary<string, long> { ["vmSteps"] = steps, ["pagesTouched"] = steps / 10 }, true, failure);

    public static List<Block> Blocks(double before, double after, int count, double noise)
    {
        var random = new SplitMix(11);
        return Enumerable.Range(0, count).Select(i => new Block(
            i, random.Coin(), before * Math.Exp(noise * (random.Unit() - 0.5)), after * Math.Exp(noise * (random.Unit() - 0.5)), before, after, 0, 0, false)).ToList();
    }
}
