using SwiftLedger.Core.Wording;
namespace SwiftLedger.Core.Trials;

/// <summary>What happened, in one sentence.</summary>
public static class Headline
{
    public static string Of(IReadOnlyList<Line> lines, Bill bill)
    {
        int Count(Verdict verdict) => lines.Count(l => l.Decision?.Verdict == verdict);

        // What is not known goes first: nobody may take it for nothing.
        int unsettled = Count(Verdict.Unsettled);
        List<string> parts = unsettled > 0
            ? [$"{unsettled} of {lines.Count} unsettled", $"{Count(Verdict.Regressed)} regressed"]
            : [$"{Count(Verdict.Regressed)} of {lines.Count} regressed"];
        foreach ((Verdict verdict, string word) in new[] { (Verdict.Improved, "improved"), (Verdict.Level, "level"), (Verdict.Failed, "failed") })
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

        string? told = bill.Untold is { Count: > 0 } untold ? Untold(untold) : bill.Items.Count > 0 ? OfBill(lines, bill) : null;
        return string.Join(", ", parts) + (told is null ? "" : "; " + told);
    }

    private static string Untold(IReadOnlyList<NotBilled> untold)
    {
        static double Distance(NotBilled n) => n.WorkRatio is > 0 and { } ratio ? Math.Abs(Math.Log(ratio)) : 0;
        NotBilled worst = untold.MaxBy(Distance)!;
        string work = Distance(worst) > Math.Log(1 + TrialOptions.WorkTolerance) ? $", {worst.Statement} {Figures.Ratio(worst.WorkRatio!.Value)} by work" : "";
        return $"the bill cannot be told: {untold.Count} line{(untold.Count == 1 ? " was" : "s were")} not timed enough{work}";
    }

    /// <summary>A bill is said to move where some line did, or where it moved by more than any single line may and still be level.</summary>
    private static string OfBill(IReadOnlyList<Line> lines, Bill bill)
    {
        string before = Figures.Three(bill.Seconds.Before), after = Figures.Three(bill.Seconds.After);
        bool scatter = bill.ChangeInterval.Low <= 0 && bill.ChangeInterval.High >= 0;
        bool inBand = lines.All(l => l.Decision is not { Verdict: Verdict.Regressed or Verdict.Improved })
            && lines.Max(l => l.Evidence.Brief.Tolerance) >= Math.Abs((bill.Seconds.After / bill.Seconds.Before) - 1);
        string moves = before == after ? $"stays at {before}"
            : scatter || inBand ? $"stays near {before}"
            : bill.Seconds.Change < 0 ? $"falls from {before} to {after}" : $"rises from {before} to {after}";
        int uncounted = bill.LeftOut.Count(l => l.Called);
        return $"the bill {moves} database-seconds a day{(uncounted == 0 ? "" : $", without {uncounted} line{(uncounted == 1 ? "" : "s")} that could not be counted")}";
    }
}
