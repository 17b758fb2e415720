using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Captures;

/// <summary>
/// Whether a statement is called with other values since a deployment: the same statement that is asked for the busiest hut more
/// often takes longer, whatever was deployed. Shares of single values among executions drawn at random, held against each other by
/// Fisher's exact test (Fisher 1935), divided among the values that are looked at (Bonferroni).
/// </summary>
/// <param name="Moved">Whether it did, beyond chance.</param>
/// <param name="Sentence">Empty where the statement has no parameters.</param>
public sealed record ParameterMix(bool Moved, string Sentence)
{
    public static readonly ParameterMix None = new(false, "");

    /// <summary>Draws on a side below which nothing can be told.</summary>
    private const int LeastDraws = 5;

    /// <summary>Chance at which a mix that did not move is said to have.</summary>
    private const double FalseAlarm = 0.01;

    /// <param name="before">Executions drawn at random before.</param>
    /// <param name="after">Executions drawn at random since.</param>
    /// <param name="dialect">Of the executions.</param>
    public static ParameterMix Between(IReadOnlyList<CaseSource> before, IReadOnlyList<CaseSource> after, SqlDialect dialect)
    {
        Dictionary<Binding, int> x = Counted(before, dialect), y = Counted(after, dialect);
        if (x.Count + y.Count == 0)
        {
            return None;
        }

        string draws = $"{Figures.Count(before.Count)} and {Figures.Count(after.Count)} executions drawn";
        if (Math.Min(before.Count, after.Count) < LeastDraws)
        {
            return new(false, $"Too few samples to tell whether the mix of parameters moved ({draws}).");
        }

        List<(Binding Value, int Before, int After, double Chance)> values = x.Keys.Union(y.Keys)
            .Select(v => (Value: v, Before: x.GetValueOrDefault(v), After: y.GetValueOrDefault(v)))
            .Where(v => v.Before + v.After > 1)
            .Select(v => (v.Value, v.Before, v.After, FisherExact.TwoSided(v.Before, before.Count, v.After, after.Count))).ToList();
        if (values.Count == 0 || values.MinBy(v => v.Chance) is var moved && moved.Chance * values.Count > FalseAlarm)
        {
            return new(false, $"The mix of parameters did not visibly move ({draws}).");
        }

        return new(true, $"The mix of parameters moved: {moved.Value.Key} = {moved.Value.Value} in {moved.Before} of {before.Count} executions drawn before, {moved.After} of {after.Count} after.");
    }

    private static Dictionary<Binding, int> Counted(IReadOnlyList<CaseSource> executions, SqlDialect dialect) =>
        executions.SelectMany(e => BindLine.Pairs(CapturedWorkload.WithParameters(e, dialect).Binds).Distinct())
            .CountBy(b => b).ToDictionary();
}
