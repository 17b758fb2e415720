using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Trials;

/// <summary>One case in a trial: its evidence, and the decision once it has ended.</summary>
/// <param name="Evidence">Null in a list that leaves the samples aside.</param>
/// <param name="Decision">Null while the line waits or is measured.</param>
public sealed record Line(LineEvidence Evidence, Decision? Decision)
{
    public LineBrief Brief => Evidence.Brief;

    public int Number => Evidence.Brief.Number;

    /// <summary>
    /// Keeps the false discovery rate of the regressed lines: those that the procedure does not believe fall back to unsettled.
    /// </summary>
    public static IReadOnlyList<Line> WithDiscoveryRate(IReadOnlyList<Line> lines, double rate)
    {
        int[] tested = Enumerable.Range(0, lines.Count).Where(i => lines[i].Evidence.Comparison is not null).ToArray();
        IReadOnlyList<bool> believed = FalseDiscovery.Believed(
            tested.Select(i => lines[i].Evidence.Comparison!.PValueAbove).ToArray(), rate);
        Line[] kept = [.. lines];
        for (int k = 0; k < tested.Length; k++)
        {
            Line line = kept[tested[k]];
            if (!believed[k] && line.Decision is { Verdict: Verdict.Regressed, Basis: Basis.Time } decision
                && line.Evidence.AfterFailure is null)
            {
                kept[tested[k]] = line with
                {
                    Decision = decision with
                    {
                        Verdict = Verdict.Unsettled,
                        Message = $"Among {tested.Length} lines, a finding this weak may be chance: the list of regressed lines keeps its false discovery rate at {Figures.Percent(rate)}.",
                    },
                };
            }
        }

        return kept;
    }
}
