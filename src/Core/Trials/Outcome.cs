namespace SwiftLedger.Core.Trials;

/// <summary>What a job came to, by the number that a command ends with.</summary>
public enum Outcome
{
    /// <summary>Nothing regressed.</summary>
    Good = 0,

    /// <summary>A line regressed, broke on the after side only, or a rewrite's rows differ.</summary>
    Regressed = 1,

    /// <summary>What was handed in is wrong; nothing was measured.</summary>
    BadInput = 2,

    /// <summary>The job, or a line on the before side, could not be measured; where the user is strict, a line stayed unsettled.</summary>
    NotMeasured = 3,
}

/// <summary>The rule that makes one number of a trial.</summary>
public static class Outcomes
{
    /// <summary>1 goes before 3: a regression is found even where another line could not be measured.</summary>
    /// <param name="account">Settled, or refused.</param>
    /// <param name="strict">Whether a line that could not be settled is as bad as one that could not be measured.</param>
    public static Outcome Of(TrialAccount account, bool strict = false) =>
        account.Refusal is { } refusal ? refusal.BadInput ? Outcome.BadInput : Outcome.NotMeasured
        : account.Lines.Any(l => l.Decision is { Verdict: Verdict.Regressed } || (l.Decision is { Verdict: Verdict.Failed } && l.Evidence.BeforeFailure is null)) ? Outcome.Regressed
        : account.Lines.Any(l => l.Evidence.BeforeFailure is not null || l.Decision is null || (strict && l.Decision.Verdict == Verdict.Unsettled)) ? Outcome.NotMeasured
        : Outcome.Good;
}
