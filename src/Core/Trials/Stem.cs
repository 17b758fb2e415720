namespace SwiftLedger.Core.Trials;

/// <summary>A line at a glance: where it stands on the axis of change, and how much it weighs.</summary>
/// <param name="Line">Its number.</param>
/// <param name="Ratio">After / before: as measured, or of its work where that decided without any block.</param>
/// <param name="Share">Of the larger side's bill, from 0 to 1; 0 where the bill leaves it out.</param>
/// <param name="Verdict">Null while there is none.</param>
public sealed record Stem(int Line, double Ratio, double Share, Verdict? Verdict)
{
    /// <summary>What a small picture holds at most.</summary>
    public const int Most = 60;

    /// <summary>Of the lines that have a change: those that moved and those that weigh the most, in the order of their change.</summary>
    /// <param name="lines">With their decisions.</param>
    /// <param name="bill">Of these lines.</param>
    public static IReadOnlyList<Stem> Of(IEnumerable<Line> lines, Bill bill)
    {
        double whole = Math.Max(bill.Seconds.Before, bill.Seconds.After);
        Dictionary<int, double> shares = bill.Items.ToDictionary(i => i.Line, i => whole > 0 ? Math.Max(i.Seconds.Before, i.Seconds.After) / whole : 0);
        return
        [
            .. lines.Select(l => (Line: l, Ratio: ChangeOf(l)))
                .Where(l => l.Ratio is > 0 and < double.PositiveInfinity)
                .Select(l => new Stem(l.Line.Number, Short(l.Ratio!.Value), Short(shares.GetValueOrDefault(l.Line.Number)), l.Line.Decision?.Verdict))
                .OrderBy(s => s.Verdict is Trials.Verdict.Level).ThenByDescending(s => s.Share).Take(Most)
                .OrderBy(s => s.Ratio).ThenBy(s => s.Line),
        ];
    }

    /// <summary>Four digits are more than a picture shows, and lists of trials hold thousands of them.</summary>
    private static double Short(double value) => value == 0 ? 0 : Math.Round(value, Math.Clamp(3 - (int)Math.Floor(Math.Log10(value)), 0, 15));

    private static double? ChangeOf(Line line) => line.Judgement.Comparison?.Ratio
        ?? (line.Decision is { Verdict: Trials.Verdict.Regressed or Trials.Verdict.Improved } ? line.Evidence.WorkRatio : null);
}
