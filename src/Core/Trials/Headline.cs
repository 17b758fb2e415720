namespace SwiftLedger.Core.Trials;

/// <summary>What happened, in one sentence.</summary>
public static class Headline
{
    public static string Of(IReadOnlyList<Line> lines, Bill bill)
    {
        int Count(Verdict verdict) => lines.Count(l => l.Decision?.Verdict == verdict);
        var parts = new List<string> { $"{Count(Verdict.Regressed)} of {lines.Count} regressed" };
        foreach ((Verdict verdict, string word) in new[]
        {
            (Verdict.Improved, "improved"), (Verdict.Level, "level"), (Verdict.Unsettled, "unsettled"), (Verdict.Failed, "failed"),
        })
        {
            if (Count(verdict) > 0)
            {
                parts.Add($"{Count(verdict)} {word}");
            }
        }

        int open = lines.Count(l => l.Decision is null);
        if (open > 0)
        {
            parts.Add($"{open} not measured");
        }

        return string.Join(", ", parts) + (bill.Items.Count > 0 ? "; " + OfBill(lines, bill) : "");
    }

    /// <summary>A bill is said to move only where some line did, and by more than its own scatter.</summary>
    private static string OfBill(IReadOnlyList<Line> lines, Bill bill)
    {
        string before = Figures.Three(bill.Seconds.Before), after = Figures.Three(bill.Seconds.After);
        bool scatter = bill.ChangeInterval.Low <= 0 && bill.ChangeInterval.High >= 0;
        string moves = before == after ? $"stays at {before}"
            : scatter || lines.All(l => l.Decision is null or { Verdict: Verdict.Level }) ? $"stays near {before}"
            : bill.Seconds.Change < 0 ? $"falls from {before} to {after}" : $"rises from {before} to {after}";
        return $"the bill {moves} database-seconds a day";
    }
}
