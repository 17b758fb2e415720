using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Captures;

/// <summary>What a deployment left of a pattern on both sides.</summary>
/// <param name="Name">Of the deployment.</param>
/// <param name="Sides">Held against each other.</param>
public sealed record StoryStep(string Name, HeldSides Sides);

/// <summary>A deployment that moved a pattern.</summary>
/// <param name="Step">Its place among those that were looked at, from 0.</param>
/// <param name="Effect">What it did.</param>
public sealed record StoryMove(int Step, DeploymentEffect Effect)
{
    /// <summary>Since / before, by whichever witness settled it.</summary>
    public double Ratio => Effect.Ratio!.Value;
}

/// <summary>A pattern that several deployments moved, as one account: an incident, its first fix, its second, and what remains of all of them.</summary>
/// <param name="Moves">At least two, in order of time.</param>
/// <param name="Balance">Before the first of them against since the last.</param>
/// <param name="Sentence">All of it in words.</param>
public sealed record PatternStory(IReadOnlyList<StoryMove> Moves, DeploymentEffect Balance, string Sentence)
{
    /// <summary>Null where fewer than two moved it: then there is nothing to balance.</summary>
    /// <param name="steps">In order of time.</param>
    /// <param name="band">What counts as level.</param>
    /// <param name="pattern">Its number in the ledger.</param>
    public static PatternStory? Of(IReadOnlyList<StoryStep> steps, Band band, long pattern)
    {
        StoryMove[] moves = [.. steps.Select((s, i) => new StoryMove(i, s.Sides.Effect(pattern, band))).Where(m => m.Effect.Movement is Movement.Regressed or Movement.Improved)];
        if (moves.Length < 2)
        {
            return null;
        }

        DeploymentEffect balance = steps[moves[0].Step].Sides.Until(steps[moves[^1].Step].Sides).Effect(pattern, band);
        string told = string.Join("; ", moves.Select(m => $"{steps[m.Step].Name} made it {Times(m.Ratio)}"));
        return new(moves, balance, $"{told}. In balance {BalanceOf(balance)}.");
    }

    private static string BalanceOf(DeploymentEffect balance) => (balance.Movement, balance.Comparison) switch
    {
        (Movement.Level, _) => "it is level: what it took before the first of them, it takes since the last",
        (Movement.Regressed or Movement.Improved, _) => $"it is {Times(balance.Ratio!.Value)} than before the first of them",
        (_, { } c) => $"it cannot be told yet: anything from {Figures.Three(Math.Exp(c.Low))}x to {Figures.Three(Math.Exp(c.High))}x of what it took before the first of them",
        _ => "it cannot be told yet",
    };

    private static string Times(double ratio) => ratio >= 1 ? $"{Figures.Three(ratio)}x dearer" : $"{Figures.Three(1 / ratio)}x cheaper";
}
