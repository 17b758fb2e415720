using SwiftLedger.Core.Proposals.Counterexamples;

namespace SwiftLedger.Core.Proposals;

/// <summary>What sees to a condition.</summary>
public enum HeldBy
{
    /// <summary>The schema, or the statement itself.</summary>
    Schema,

    /// <summary>The rows as they are now, and nothing else.</summary>
    Rows,

    /// <summary>Nothing: there are rows that break it.</summary>
    Nobody,

    /// <summary>It could not be asked.</summary>
    Unknown,
}

/// <summary>A condition for being the same query, and what sees to it.</summary>
/// <param name="Sentence">In words.</param>
/// <param name="By">What sees to it.</param>
/// <param name="Counterexample">A script that shows what it is for: without it both queries differ. Null where none was found, or looked for.</param>
public sealed record ProvenCondition(string Sentence, HeldBy By, string? Counterexample = null);

/// <summary>Why a rewrite is held to be the same query, or that it is not.</summary>
/// <param name="Conditions">Under which it is.</param>
/// <param name="SameRows">Whether all cases gave the same rows on the copies; null where their rows do not repeat.</param>
/// <param name="Cases">How many cases gave the same rows on the copies.</param>
/// <param name="Databases">How many small databases were made, and told no difference.</param>
/// <param name="WithRows">In how many of them the statement gave any row.</param>
/// <param name="Seconds">That the search took.</param>
/// <param name="Counterexample">A script in which both differ though all conditions hold; null where none was found.</param>
/// <param name="Unsearched">Why there was no search; null where there was.</param>
public sealed record RewriteProof(IReadOnlyList<ProvenCondition> Conditions, bool? SameRows, int Cases, int Databases, int WithRows, double Seconds, string? Counterexample, string? Unsearched)
{
    /// <summary>Whether something speaks against it.</summary>
    public bool IsRefuted => SameRows == false || Counterexample is not null || Conditions.Any(c => c.By is HeldBy.Nobody);

    /// <summary>The script that teaches most: of a condition that does not hold, or of a difference that no condition explains.</summary>
    public string? Script => Counterexample ?? Conditions.FirstOrDefault(c => c is { By: HeldBy.Nobody, Counterexample: not null })?.Counterexample;

    /// <summary>In sentences.</summary>
    public string Words()
    {
        string conditions = string.Join(" ", Conditions.Select(c => c.By switch
        {
            HeldBy.Schema => c.Sentence,
            HeldBy.Rows => $"Only as the rows are now: {c.Sentence}",
            HeldBy.Nobody => $"Not so: {c.Sentence}",
            _ => $"Not known: {c.Sentence}",
        }));
        string searched = Unsearched is { } why ? $"Not tried on made databases: {why.TrimEnd('.')}."
            : Counterexample is not null ? "A small database tells both apart."
            : $"{Databases} small databases{(Conditions.Any(c => c.By is HeldBy.Nobody) ? " in which it holds" : "")} tell no difference, {WithRows} of them with rows in the answer.";
        return $"{conditions} {(Cases > 0 ? $"{Cases} {(Cases == 1 ? "case gives" : "cases give")} the same rows on the copies. " : "")}{searched}";
    }

    /// <summary>The proof of what a search found.</summary>
    /// <param name="conditions">What sees to each.</param>
    /// <param name="sameRows">Whether all cases gave the same rows; null where that is not known.</param>
    /// <param name="cases">That gave the same rows.</param>
    /// <param name="searched">With all conditions held to.</param>
    /// <param name="seconds">That it took.</param>
    public static RewriteProof Of(IReadOnlyList<ProvenCondition> conditions, bool? sameRows, int cases, SearchResult searched, double seconds) =>
        new(conditions, sameRows, cases, searched.Found is null ? searched.Databases : 0, searched.WithRows, seconds, searched.Found?.ToSql(), searched.Problem);
}
