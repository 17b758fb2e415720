using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Ledger;

/// <summary>What became of a promise.</summary>
public enum PromiseWord
{
    CannotTellYet,
    Kept,
    KeptInPart,
    NotKept,

    /// <summary>Nothing, or less, was said of what came.</summary>
    NotForeseen,
}

/// <summary>A promise beside what was observed.</summary>
/// <param name="Promise">As the entry has it.</param>
/// <param name="Word">What became of it.</param>
/// <param name="Share">Of the promised saving, what came; null where that is no saving, or not known.</param>
/// <param name="Ratio">Observed, after / before; null where it cannot be told.</param>
/// <param name="Low">Of its interval.</param>
/// <param name="High">Of its interval.</param>
/// <param name="CallsBefore">A day.</param>
/// <param name="CallsAfter">A day.</param>
/// <param name="PromisedPerDay">What was promised at the observed calls, database-seconds a day; less is negative.</param>
/// <param name="ObservedPerDay">What came, likewise.</param>
/// <param name="Message">What is missing, or was seen besides.</param>
public sealed record PromiseOutcome(
    Promise Promise, PromiseWord Word, double? Share, double? Ratio, double? Low, double? High, double CallsBefore, double CallsAfter, double PromisedPerDay, double ObservedPerDay, string Message);

/// <summary>A pattern that moved, of which the entry says nothing.</summary>
/// <param name="Pattern">Its hash.</param>
/// <param name="Text">The pattern.</param>
/// <param name="Dearer">Whether it got dearer; else cheaper.</param>
/// <param name="Ratio">After / before.</param>
/// <param name="ChangePerDay">Database-seconds a day by call, at the calls of both sides' average.</param>
public sealed record Unpromised(string Pattern, string Text, bool Dearer, double Ratio, double ChangePerDay);

/// <summary>An entry's promises held against a deployment.</summary>
/// <param name="From">Beginning of what was observed, ISO 8601, UTC.</param>
/// <param name="To">Its end.</param>
/// <param name="Outcomes">Each promise, the dearest first.</param>
/// <param name="Others">Patterns that moved and were not promised, the most first.</param>
/// <param name="Beside">Other deployments that bound what was observed.</param>
public sealed record Reconciliation(string From, string To, IReadOnlyList<PromiseOutcome> Outcomes, IReadOnlyList<Unpromised> Others, IReadOnlyList<string> Beside)
{
    /// <summary>Promised change of the bill at the observed calls, database-seconds a day: the outcomes' parts add up to it.</summary>
    public double PromisedPerDay => Outcomes.Sum(o => o.PromisedPerDay);

    /// <summary>Observed change, likewise.</summary>
    public double ObservedPerDay => Outcomes.Sum(o => o.ObservedPerDay);

    /// <summary>The word of the whole: the worst that is known, weighed by nothing.</summary>
    public PromiseWord Word => Outcomes.Select(o => o.Word).Where(w => w != PromiseWord.CannotTellYet).DefaultIfEmpty(PromiseWord.CannotTellYet).Max();

    /// <summary>Whether every promise of a statement that was seen has its word, and there is one.</summary>
    public bool IsSettled => Word != PromiseWord.CannotTellYet && Outcomes.All(o => o.Word != PromiseWord.CannotTellYet || o.CallsBefore + o.CallsAfter == 0);

    /// <summary>What came, in one sentence.</summary>
    public string Headline
    {
        get
        {
            int told = Outcomes.Count(o => o.Word != PromiseWord.CannotTellYet);
            if (told == 0)
            {
                return $"Nothing can be told yet of {Counted(Outcomes.Count)}.";
            }

            IEnumerable<string> words = Outcomes.GroupBy(o => o.Word).OrderByDescending(g => g.Key).Select(g => $"{g.Count()} {PromiseRule.TextOf(g.Key)}");
            string money = $"promised {Change(PromisedPerDay)}, came {Change(ObservedPerDay)}";
            int dearer = Others.Count(o => o.Dearer);
            return $"Of {Counted(Outcomes.Count)}: {string.Join(", ", words)}; {money} a day{(dearer > 0 ? $"; {dearer} more got dearer of which nothing was said" : "")}.";
        }
    }

    private static string Counted(int promises) => promises == 1 ? "one promise" : $"{promises} promises";

    private static string Change(double seconds) => Math.Abs(seconds) < 5e-4 ? "no change" : $"{Figures.Three(Math.Abs(seconds))} s {(seconds < 0 ? "less" : "more")}";
}

/// <summary>Holds promises against what was observed.</summary>
public static class PromiseRule
{
    /// <summary>Judges one promise.</summary>
    /// <param name="promise">With its interval.</param>
    /// <param name="observed">The pattern before and after the deployment; null where the book holds nothing of it.</param>
    public static PromiseOutcome Judge(Promise promise, DeploymentEffect? observed)
    {
        if (observed is not { Comparison: { } seen })
        {
            return Untold(promise, observed, observed is null ? "The daybook never saw it." : observed.Message);
        }

        (double ratio, double low, double high) = observed.OnAverage is { } mean ? (mean.Ratio, mean.Low, mean.High) : (seen.Ratio, Math.Exp(seen.Low), Math.Exp(seen.High));
        if (observed.Movement is not (Movement.Improved or Movement.Regressed or Movement.Level))
        {
            string most = promise.Direction == PromisedDirection.Cheaper && seen is { CallsBefore: >= UnpairedComparison.LeastCalls, CallsAfter: >= UnpairedComparison.LeastCalls } && (1 - low) / (1 - promise.Ratio) is var at and < 1
                ? $" At most {Figures.Percent(Math.Max(0, at))} of the promised saving can have come." : "";
            return Untold(promise, observed, observed.Message + most) with { Ratio = ratio, Low = low, High = high };
        }

        PromiseWord word = WordOf(promise, observed.Movement, low, high);
        double calls = (observed.CallsBeforePerDay + observed.CallsAfterPerDay) / 2, cost = observed.CallsBeforePerDay > 0 ? observed.BeforePerDay / observed.CallsBeforePerDay : 0;
        double? share = promise.Direction == PromisedDirection.Cheaper && word is PromiseWord.KeptInPart or PromiseWord.Kept && promise.Ratio < 1 ? (1 - ratio) / (1 - promise.Ratio) : null;
        return new(promise, word, share, ratio, low, high, observed.CallsBeforePerDay, observed.CallsAfterPerDay, (promise.Ratio - 1) * cost * calls, observed.OfDearerCalls, string.Join(" ", [.. promise.Direction == PromisedDirection.Dearer && word == PromiseWord.NotKept ? ["It did not get dearer."] : Array.Empty<string>(), observed.Message, .. observed.Moves]));
    }

    /// <summary>The word for what was promised and what came.</summary>
    /// <param name="promise">Its direction and interval.</param>
    /// <param name="moved">What was decided of the pattern: improved, regressed or level.</param>
    /// <param name="low">Of the observed ratio.</param>
    /// <param name="high">Likewise.</param>
    public static PromiseWord WordOf(Promise promise, Movement moved, double low, double high) => (promise.Direction, moved) switch
    {
        // Overlapping the promised interval, or beyond it; else it fell short.
        (PromisedDirection.Cheaper, Movement.Improved) => low <= promise.High ? PromiseWord.Kept : PromiseWord.KeptInPart,
        (PromisedDirection.Cheaper, _) => PromiseWord.NotKept,
        (PromisedDirection.Level, Movement.Regressed) => PromiseWord.NotForeseen,
        (PromisedDirection.Level, _) => PromiseWord.Kept,

        // What was accepted has an end: dearer than that was not foreseen.
        (PromisedDirection.Dearer, Movement.Regressed) => low > promise.High ? PromiseWord.NotForeseen : PromiseWord.Kept,
        _ => PromiseWord.NotKept,
    };

    /// <summary>In words.</summary>
    public static string TextOf(PromiseWord word) => word switch
    {
        PromiseWord.CannotTellYet => "cannot be told yet",
        PromiseWord.Kept => "kept",
        PromiseWord.KeptInPart => "kept in part",
        PromiseWord.NotKept => "not kept",
        _ => "not foreseen",
    };

    private static PromiseOutcome Untold(Promise promise, DeploymentEffect? observed, string message) =>
        new(promise, PromiseWord.CannotTellYet, null, null, null, null, observed?.CallsBeforePerDay ?? 0, observed?.CallsAfterPerDay ?? 0, 0, 0, message);
}
