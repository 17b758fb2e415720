using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Trials;

/// <summary>An amount of a day on each side.</summary>
public sealed record PerDay(double Before, double After)
{
    public double Change => After - Before;
}

/// <summary>An interval of an amount of a day.</summary>
public readonly record struct Interval(double Low, double High);

/// <summary>What one line costs in a day.</summary>
/// <param name="Seconds">Database-seconds a day.</param>
/// <param name="ShareOfChange">Its part of the bill's change, in database-seconds, rounded so that the parts add up.</param>
/// <param name="CallsPerDay">Of the case.</param>
/// <param name="Case">Its label.</param>
/// <param name="Line">Its number in the trial.</param>
/// <param name="Statement">The statement's name.</param>
public sealed record BillItem(int Line, string Statement, string Case, double CallsPerDay, PerDay Seconds, decimal ShareOfChange);

/// <summary>A line that the bill leaves out, and why.</summary>
/// <param name="Line">Its number in the trial.</param>
/// <param name="Statement">The statement's name.</param>
/// <param name="Case">Its label.</param>
/// <param name="Reason">In words.</param>
/// <param name="WorkRatio">What it costs more or less by work, after / before; null where that is not known.</param>
/// <param name="Untimed">Whether it would be counted, had it been timed long enough: without it the total says nothing.</param>
/// <param name="Called">Whether the workload says how often it runs, so that it costs something.</param>
public sealed record NotBilled(int Line, string Statement, string Case, string Reason, double? WorkRatio = null, bool Untimed = false, bool Called = false);

/// <summary>What a workload costs in a day: calls x mean time of each case, summed. The mean, because totals add.</summary>
/// <param name="Seconds">Database-seconds a day.</param>
/// <param name="BeforeInterval">95 % interval of the before side's total, by bootstrap over blocks.</param>
/// <param name="AfterInterval">95 % interval of the after side's total.</param>
/// <param name="ChangeInterval">
/// 95 % interval of after - before: the same blocks are drawn for both sides, so what moved both cancels. Of an unsettled line nothing is
/// known but the whole interval of its ratio, and it is that wide.
/// </param>
/// <param name="Pages">Pages touched in a day.</param>
/// <param name="Rows">Rows returned or changed in a day.</param>
/// <param name="Items">Largest change first.</param>
/// <param name="TotalChange">The sum of the items' shares of the change.</param>
/// <param name="LeftOut">Lines that are not counted, each with why.</param>
public sealed record Bill(
    PerDay Seconds,
    Interval BeforeInterval,
    Interval AfterInterval,
    Interval ChangeInterval,
    PerDay Pages,
    PerDay Rows,
    IReadOnlyList<BillItem> Items,
    decimal TotalChange,
    IReadOnlyList<NotBilled> LeftOut)
{
    /// <summary>The lines without which the total says nothing; empty where it holds.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public IReadOnlyList<NotBilled> Untold => [.. LeftOut.Where(l => l.Untimed)];

    public static Bill Of(IReadOnlyList<Line> lines, ulong seed)
    {
        var items = new List<BillItem>();
        var left = new List<NotBilled>();
        double[]? beforeSums = null, afterSums = null;
        double pagesBefore = 0, pagesAfter = 0, rowsBefore = 0, rowsAfter = 0;
        foreach (Line line in lines)
        {
            LineEvidence e = line.Evidence;
            if (WhyNotBilled(line) is { } why)
            {
                left.Add(why);
                continue;
            }

            double calls = e.Brief.CallsPerDay!.Value;
            double[] before = [.. line.Judgement.Before.Select(us => us / 1e6 * calls)];
            double[] after = [.. line.Judgement.After.Select(us => us / 1e6 * calls)];
            items.Add(new(line.Number, e.Brief.Statement, e.Brief.Case, calls, new(before.Average(), after.Average()), 0));
            double[] drawn = Bootstrap.Means(before, seed + (ulong)line.Number);
            beforeSums = Added(beforeSums, drawn);
            afterSums = Added(afterSums, line.Decision is { Verdict: Verdict.Unsettled } ? Unsettled(line.Judgement, drawn, seed + (ulong)line.Number) : Bootstrap.Means(after, seed + (ulong)line.Number));
            pagesBefore += calls * e.Before!.Counters.GetValueOrDefault(e.Counter.Pages);
            pagesAfter += calls * e.After!.Counters.GetValueOrDefault(e.Counter.Pages);
            rowsBefore += calls * (e.Before!.Rows ?? 0);
            rowsAfter += calls * (e.After!.Rows ?? 0);
        }

        PerDay total = new(items.Sum(i => i.Seconds.Before), items.Sum(i => i.Seconds.After));
        int decimals = DecimalsFor(total);
        IReadOnlyList<decimal> shares = Rounding.ToTotal(
            items.Select(i => (decimal)i.Seconds.Change).ToArray(), (decimal)total.Change, decimals);
        return new(total,
            IntervalOf(beforeSums), IntervalOf(afterSums),
            IntervalOf(beforeSums is null ? null : [.. afterSums!.Zip(beforeSums, (a, b) => a - b)]),
            new(pagesBefore, pagesAfter), new(rowsBefore, rowsAfter),
            items.Select((item, i) => item with { ShareOfChange = shares[i] })
                .OrderByDescending(i => Math.Abs(i.Seconds.Change)).ToList(),
            shares.Sum(), left);
    }

    /// <summary>The after side of a line of which it is not known what it does: anywhere within all that its blocks allow, its halves by themselves too.</summary>
    /// <param name="before">Resampled means of the before side.</param>
    /// <param name="judged">Its blocks.</param>
    /// <param name="seed">Draws.</param>
    private static double[] Unsettled(LineJudgement judged, double[] before, ulong seed)
    {
        double[] ratios = [.. judged.Before.Zip(judged.After, (b, a) => Math.Log(a / b))];
        double[] seen = [judged.Comparison!.Low, judged.Comparison.High, Math.Log(judged.MeanRatio!.Value), Quantile.Median(ratios[..(ratios.Length / 2)]), Quantile.Median(ratios[(ratios.Length / 2)..])];
        (double low, double high) = (seen.Min(), seen.Max());
        var random = new SplitMix(~seed);
        return [.. before.Select(b => b * Math.Exp(low + ((high - low) * random.Unit())))];
    }

    private static NotBilled? WhyNotBilled(Line line)
    {
        LineEvidence e = line.Evidence;
        int blocks = line.Judgement.Judged.Count;
        (string Reason, bool Untimed)? why = line.Decision is null ? ("not measured", false)
            : line.Decision.Verdict == Verdict.Failed ? ("failed", false)
            : e.AfterFailure is not null ? ("the after side did not finish", e.Brief.CallsPerDay is not null)
            : e.Brief.CallsPerDay is null ? ("the workload gives no calls", false)
            : e.End == LineEnd.NotTimed ? ("not timed", line.Decision.Verdict is Verdict.Regressed or Verdict.Improved)
            : !line.Judgement.HasInterval ? (blocks == 0 ? "no blocks" : $"too few blocks: {blocks}", true)
            : null;
        return why is { } w ? new(line.Number, e.Brief.Statement, e.Brief.Case, w.Reason, e.WorkRatio, w.Untimed, e.Brief.CallsPerDay is not null) : null;
    }

    private static Interval IntervalOf(double[]? resampled)
    {
        (double low, double high) = resampled is null ? (0, 0) : Bootstrap.Interval(resampled);
        return new(low, high);
    }

    private static double[] Added(double[]? sums, double[] values) =>
        sums is null ? values : sums.Zip(values, (a, b) => a + b).ToArray();

    /// <summary>Enough digits that the larger side's total has three.</summary>
    private static int DecimalsFor(PerDay total)
    {
        double largest = Math.Max(total.Before, total.After);
        return largest <= 0 ? 0 : Math.Clamp(2 - (int)Math.Floor(Math.Log10(largest)), 0, 6);
    }
}
