namespace SwiftLedger.Core.Trials;

public enum Verdict
{
    Regressed,
    Improved,
    Level,
    Unsettled,
    Failed,
}

/// <summary>What a verdict rests on.</summary>
public enum Basis
{
    Time,
    Work,
}

/// <summary>What was decided about a line, as data: <c>Reports.DecisionWords</c> puts it into sentences.</summary>
/// <param name="Reason">Why, where that is not plain from the numbers; else null.</param>
/// <param name="Notices">What a reader should know besides.</param>
/// <param name="Basis">What the verdict rests on.</param>
/// <param name="Verdict">What was decided.</param>
public sealed record Decision(Verdict Verdict, Basis Basis, Reason? Reason, IReadOnlyList<Notice> Notices);

/// <summary>The decisions of a trial as they were made: kept, and never made again by other rules in their place.</summary>
/// <param name="Rules"><see cref="VerdictRule.Version"/> of the rules that made them; 0 where that was not kept yet.</param>
/// <param name="Headline">What happened, in one sentence.</param>
/// <param name="Bill">Null where it was not kept yet.</param>
/// <param name="Lines">By number; lines without a decision are left out.</param>
/// <param name="Stems">Its lines at a glance; null where they were not kept yet.</param>
public sealed record Settlement(int Rules, string Headline, Bill? Bill, IReadOnlyDictionary<int, Decision> Lines, IReadOnlyList<Stem>? Stems = null)
{
    /// <summary>Keeps what an account holds; null where no line was decided.</summary>
    public static Settlement? Of(TrialAccount account)
    {
        if (account.Lines.All(l => l.Decision is null))
        {
            return null;
        }

        Bill bill = Bill.Of(account.Lines, account.Brief.Options.Seed);
        return new(VerdictRule.Version, Trials.Headline.Of(account.Lines, bill), bill,
            account.Lines.Where(l => l.Decision is not null).ToDictionary(l => l.Number, l => l.Decision!), Stem.Of(account.Lines, bill));
    }
}
