using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Reports;

/// <summary>A finding of one line of a trial, on the side that stays: after the change.</summary>
/// <param name="Line">The line's number.</param>
/// <param name="Statement">The statement's name.</param>
/// <param name="Case">Its label.</param>
/// <param name="Finding">What was found.</param>
/// <param name="SecondsPerDay">Its share of what the line costs in a day, in database-seconds; null where one of the two is not known.</param>
public sealed record LineFinding(int Line, string Statement, string Case, Finding Finding, double? SecondsPerDay);

/// <summary>All that is found in the plans of a workload, in one list.</summary>
public static class TrialFindings
{
    private const int Most = 200;

    /// <summary>What costs most in a day first; then what is the largest share of its statement.</summary>
    /// <param name="account">As far as it has got.</param>
    /// <param name="bill">Of the same trial.</param>
    public static IReadOnlyList<LineFinding> Of(TrialAccount account, Bill bill)
    {
        Dictionary<int, double> costs = bill.Items.ToDictionary(i => i.Line, i => i.Seconds.After);
        return [.. account.Lines.SelectMany(l => FindingsOf(l, account, costs)).OrderByDescending(f => f.SecondsPerDay ?? -1).ThenByDescending(f => f.Finding.Share ?? -1).ThenBy(f => f.Line).Take(Most)];
    }

    private static IEnumerable<LineFinding> FindingsOf(Line line, TrialAccount account, Dictionary<int, double> costs)
    {
        PlanSide? side = LinePlans.SideOf(line, account, Side.After);
        return (side is null ? [] : PlanFindings.Of(side)).Select(f => new LineFinding(line.Number, line.Brief.Statement, line.Brief.Case, f, f.Share is { } share && costs.TryGetValue(line.Number, out double seconds) ? share * seconds : null));
    }
}
