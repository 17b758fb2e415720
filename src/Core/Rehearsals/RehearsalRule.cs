using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>Why a measure has no verdict, or has the one that it has.</summary>
public enum MeasureReason
{
    /// <summary>Its stints hold too few executions for such a quantile.</summary>
    TooFewExecutions,

    /// <summary>Fewer pairs than the first look wants.</summary>
    TooFewPairs,

    /// <summary>Its interval is too wide to tell.</summary>
    Noise,

    /// <summary>The first and the second half disagree.</summary>
    Trending,

    /// <summary>Neighbouring pairs resemble each other.</summary>
    Correlated,

    /// <summary>The sender was slower than what it measures.</summary>
    Sender,

    /// <summary>More arrived on both sides than could be served.</summary>
    Overrun,

    /// <summary>It fails on the before side.</summary>
    FailsBefore,

    /// <summary>It fails on the after side, and did not before.</summary>
    FailsAfter,

    /// <summary>Only one side ran.</summary>
    OneSided,
}

/// <summary>What the pairs say about one measure.</summary>
/// <param name="Statement">Its name; null for whole tasks of all parts.</param>
/// <param name="Measure">What is compared.</param>
/// <param name="Before">Median over the pairs, in milliseconds, or a second; null where nothing ended well.</param>
/// <param name="After">Likewise.</param>
/// <param name="Ratio">After / before, from the pairs; null without any.</param>
/// <param name="Low">Lower end of its interval; null where there is none.</param>
/// <param name="High">Upper end.</param>
/// <param name="Confidence">That the interval holds with, as a fraction.</param>
/// <param name="Pairs">That were judged.</param>
/// <param name="Verdict">What was decided; of a throughput, less is regressed.</param>
/// <param name="Reason">Why, where that is not plain from the numbers.</param>
/// <param name="Message">What the engine said, where it fails.</param>
public sealed record MeasureJudgement(
    string? Statement, LoadMeasure Measure, double? Before, double? After, double? Ratio, double? Low, double? High, double? Confidence, int Pairs, Verdict Verdict, MeasureReason? Reason = null, string? Message = null);

/// <summary>Decides over pairs of stints. The measuring process, the account, and the simulated error rates all ask this one.</summary>
/// <param name="tolerance">Half-width of the band, a fraction above 0.</param>
/// <param name="closed">Whether throughput is an answer.</param>
public sealed class RehearsalRule(double tolerance, bool closed)
{
    /// <summary>Version of the rules, kept with what they decided.</summary>
    public const int Version = 1;

    /// <summary>Pairs at each look, and the error of all looks together.</summary>
    public static readonly LookSchedule Looks = new() { Blocks = [10, 14, 20, 28, 40], Alpha = 0.01 };

    /// <summary>So many more of its executions have to fail after than before.</summary>
    private const double FailsMore = 0.01;

    private const int EnoughPairs = 20;

    private readonly Band _band = Band.OfTolerance(tolerance);

    /// <summary>Judges every measure of every statement.</summary>
    /// <param name="stints">In the order they ran.</param>
    public IReadOnlyList<MeasureJudgement> Judge(IReadOnlyList<Stint> stints)
    {
        (Stint Before, Stint After)[] pairs = PairsOf(stints);
        if (stints.Count == 0)
        {
            return [];
        }

        var judged = new List<MeasureJudgement>();
        for (int i = 0; i < stints[0].Statements.Count; i++)
        {
            foreach (LoadMeasure measure in Enum.GetValues<LoadMeasure>().Where(m => m != LoadMeasure.Throughput || (closed && stints[0].Statements[i].Statement is null)))
            {
                judged.Add(JudgeOne(stints, pairs, i, measure));
            }
        }

        return judged;
    }

    /// <summary>Whether more pairs would decide nothing more.</summary>
    /// <param name="stints">In the order they ran.</param>
    public bool IsSettled(IReadOnlyList<Stint> stints)
    {
        int pairs = PairsOf(stints).Length;

        // The error is spent on the looks, whenever one stops: from the middle on, what is settled of all tasks together is enough.
        return pairs >= Looks.Last || (Looks.Blocks.Contains(pairs) && Judge(stints).All(j => j.Verdict != Verdict.Unsettled || j.Reason is MeasureReason.TooFewExecutions || (pairs >= EnoughPairs && j.Statement is not null)));
    }

    private static (Stint Before, Stint After)[] PairsOf(IReadOnlyList<Stint> stints) =>
        [.. stints.GroupBy(s => s.Pair).Where(g => g.Count() == 2).Select(g => (g.First(s => s.Side == Side.Before), g.First(s => s.Side == Side.After)))];

    private MeasureJudgement JudgeOne(IReadOnlyList<Stint> stints, (Stint Before, Stint After)[] pairs, int statement, LoadMeasure measure)
    {
        string? name = stints[0].Statements[statement].Statement;
        double? Figure(Stint s) => measure == LoadMeasure.Throughput ? s.All.PerSecond : s.Statements[statement].Latency is { } latency ? measure.Of(latency) : null;
        double? Typical(Side side) => stints.Where(s => s.Side == side).Select(Figure).OfType<double>().ToArray() is { Length: > 0 } values ? Quantile.Median(values) : null;
        var open = new MeasureJudgement(name, measure, Typical(Side.Before), Typical(Side.After), null, null, null, null, 0, Verdict.Unsettled);
        if (pairs.Length == 0)
        {
            return open with { Reason = stints.All(s => s.Side == Side.Before) && stints.Count > 1 ? MeasureReason.OneSided : MeasureReason.TooFewPairs };
        }

        if (Failure(pairs, statement) is var (reason, message))
        {
            return open with { Verdict = Verdict.Failed, Reason = reason, Message = message };
        }

        (Stint Before, Stint After)[] sent = [.. pairs.Where(p => !p.Before.Sender.WasTheLimit(p.Before.All.Latency) && !p.After.Sender.WasTheLimit(p.After.All.Latency))];
        if (sent.Length * 2 < pairs.Length)
        {
            return open with { Reason = MeasureReason.Sender };
        }

        // Where only one side is overrun, its figures are too kind to it, and the verdict against it holds.
        (Stint Before, Stint After)[] served = [.. sent.Where(p => !(p.Before.IsOverrun && p.After.IsOverrun))];
        if (served.Length * 2 < pairs.Length)
        {
            return open with { Reason = MeasureReason.Overrun };
        }

        int least = measure.Least();
        double[] ratios = [.. served
            .Where(p => p.Before.Statements[statement].Executions >= least && p.After.Statements[statement].Executions >= least)
            .Select(p => Math.Log(Figure(p.After)!.Value / Figure(p.Before)!.Value)).Where(double.IsFinite)];
        if (ratios.Length * 2 < served.Length)
        {
            return open with { Reason = MeasureReason.TooFewExecutions };
        }

        return Decide(open, measure, ratios);
    }

    /// <summary>The first look that decides; else the last that there was.</summary>
    private MeasureJudgement Decide(MeasureJudgement open, LoadMeasure measure, double[] ratios)
    {
        int[] looks = [.. Looks.Blocks.Where(l => l <= ratios.Length)];
        if (looks.Length == 0)
        {
            return ratios.Length == 0 ? open with { Reason = MeasureReason.TooFewPairs }
                : open with { Ratio = Math.Exp(new WalshAverages(ratios).PseudoMedian), Pairs = ratios.Length, Reason = MeasureReason.TooFewPairs };
        }

        PairedComparison? seen = null;
        foreach (int look in looks)
        {
            seen = PairedComparison.Of(ratios[..look], _band, Looks.AlphaOfLook);
            if (seen.Standing != Standing.Undecided)
            {
                break;
            }
        }

        PairedComparison c = seen!;
        Verdict verdict = c.Standing switch
        {
            Standing.Inside => Verdict.Level,
            Standing.Undecided => Verdict.Unsettled,
            Standing.Above => measure == LoadMeasure.Throughput ? Verdict.Improved : Verdict.Regressed,
            _ => measure == LoadMeasure.Throughput ? Verdict.Regressed : Verdict.Improved,
        };
        return open with
        {
            Ratio = c.Ratio,
            Low = Math.Exp(c.Low),
            High = Math.Exp(c.High),
            Confidence = 1 - c.Alpha,
            Pairs = c.Blocks,
            Verdict = verdict,
            Reason = verdict != Verdict.Unsettled ? null : c.Objection switch
            {
                Objection.Correlated => MeasureReason.Correlated,
                Objection.Trending => MeasureReason.Trending,

                // There were pairs enough, and fewer after averaging neighbours that resemble each other.
                Objection.TooFewBlocks => MeasureReason.Correlated,
                _ => MeasureReason.Noise,
            },
        };
    }

    private static (MeasureReason Reason, string? Message)? Failure((Stint Before, Stint After)[] pairs, int statement)
    {
        StatementStint[] before = [.. pairs.Select(p => p.Before.Statements[statement])], after = [.. pairs.Select(p => p.After.Statements[statement])];
        double failsBefore = Share(before), failsAfter = Share(after);
        return before.All(s => s.Executions == 0) && failsBefore > 0 ? (MeasureReason.FailsBefore, before.Select(s => s.Message).FirstOrDefault(m => m is not null))
            : failsAfter > failsBefore + FailsMore ? (MeasureReason.FailsAfter, after.Select(s => s.Message).FirstOrDefault(m => m is not null))
            : null;
    }

    private static double Share(StatementStint[] stints) => stints.Sum(s => s.Failed) is var failed && failed == 0 ? 0 : (double)failed / stints.Sum(s => s.Failed + s.Executions);
}
