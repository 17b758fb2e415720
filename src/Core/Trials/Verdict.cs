using SwiftLedger.Core.Measuring;

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

/// <summary>A verdict, what it rests on, and its reason in words.</summary>
/// <param name="Message">Why, where that is not plain from the numbers; else null.</param>
/// <param name="Notices">What a reader should know besides.</param>
public sealed record Decision(Verdict Verdict, Basis Basis, string? Message, IReadOnlyList<string> Notices);

/// <summary>The rule that decides a line.</summary>
public static class VerdictRule
{
    private static readonly double WorkBand = Math.Log(1 + TrialOptions.WorkTolerance);

    /// <summary>Decides a line that has ended from all that was found about it.</summary>
    public static Decision Decide(LineEvidence e)
    {
        if (OfFailure(e) is { } failed)
        {
            return failed;
        }

        var notices = new List<string>();
        bool? sameRows = e.SameRows;
        if (sameRows == false)
        {
            if (e.Brief.Rewritten)
            {
                return new(Verdict.Failed, Basis.Time,
                    $"Not the same rows: {Count(e.Before!.Rows)} before, {Count(e.After!.Rows)} after{(e.Before.Rows == e.After.Rows ? ", with other contents" : "")}.", []);
            }

            notices.Add("The rows differ between the sides: right only if the migration means to alter them.");
        }

        if (e.SameOrder == false && sameRows == true)
        {
            notices.Add("The rows are the same but come in another order: the ORDER BY leaves ties open.");
        }

        if (e.Before is { RowsRepeat: false } || e.After is { RowsRepeat: false })
        {
            notices.Add("The rows differ from run to run on one side, so the sides cannot be compared by their rows.");
        }

        return WithWork(e, OfTime(e, notices), notices);
    }

    private static Decision? OfFailure(LineEvidence e)
    {
        if (e.BeforeFailure is { } before)
        {
            string both = e.AfterFailure is { } other
                ? $" The after side failed too: {other.Reason}"
                : before.TimeLimit && e.After?.ColdMilliseconds is { } cold ? $" The after side took {Figures.Duration(cold * 1000)}: raise the limit to compare." : "";
            return new(Verdict.Failed, Basis.Time, $"Before side: {before.Reason}{both}", []);
        }

        if (e.AfterFailure is { } after)
        {
            return after.TimeLimit
                ? new(Verdict.Regressed, Basis.Time, $"The after side did not finish: {after.Reason} The before side took {Figures.Duration((e.Before?.ColdMilliseconds ?? 0) * 1000)}.", [])
                : new(Verdict.Failed, Basis.Time, $"It broke on the after side only: {after.Reason}", []);
        }

        return null;
    }

    private static Decision OfTime(LineEvidence e, List<string> notices)
    {
        if (e.Comparison is not { } first)
        {
            return e.End == LineEnd.NotTimed
                ? new(Verdict.Unsettled, Basis.Work, e.OneAfterTheOther
                    ? "Not timed: a write that is rolled back leaves dead rows, for which the side that is measured later would pay. Plans and work were compared."
                    : "Not timed: the change stood in a transaction that was rolled back. Plans and work were compared.", notices)
                : new(Verdict.Unsettled, Basis.Time, "The time was spent before this line had a block.", notices);
        }

        if (first.Standing == Standing.Undecided)
        {
            return e.Confirmation is { Standing: Standing.Inside } other
                ? new(Verdict.Level, Basis.Time,
                    $"The first copies could not tell ({Figures.Ratio(first.Ratio)}, at the band's edge); a second session on fresh copies could ({Figures.Ratio(other.Ratio)}).", notices)
                : new(Verdict.Unsettled, Basis.Time, WhyUndecided(e, first), notices);
        }

        if (first.Standing == Standing.Inside)
        {
            AddTailNotice(e, notices);
            double difference = Math.Abs(first.Ratio - 1) * e.BeforeMedianMicroseconds;
            string? why = Band.OfTolerance(e.Brief.Tolerance) is var band && band.Contains(first.Low) && band.Contains(first.High)
                ? null
                : $"The difference is {Figures.Duration(difference)} an execution, under the floor of {Figures.Duration(e.FloorMicroseconds)}.";
            why ??= e.OneAfterTheOther ? "One side was measured after the other: weaker evidence than by turns." : null;
            return new(Verdict.Level, Basis.Time, why, notices);
        }

        Verdict verdict = first.Standing == Standing.Above ? Verdict.Regressed : Verdict.Improved;
        if (e.OneAfterTheOther)
        {
            return SequentialDecision.NeedsConfirmation(first)
                ? new(Verdict.Unsettled, Basis.Time,
                    $"{Figures.Ratio(first.Ratio)}, but one side was measured after the other, and a difference this small cannot be confirmed: what was before is gone.", notices)
                : new(verdict, Basis.Time, "One side was measured after the other: weaker evidence than by turns.", notices);
        }

        if (!SequentialDecision.NeedsConfirmation(first))
        {
            return new(verdict, Basis.Time, null, notices);
        }

        if (e.Confirmation is not { } second)
        {
            return new(Verdict.Unsettled, Basis.Time, "A difference this small is measured again on fresh copies; that did not happen.", notices);
        }

        return second.Standing == first.Standing
            ? new(verdict, Basis.Time, "Confirmed in a second session on fresh copies.", notices)
            : new(Verdict.Unsettled, Basis.Time,
                $"A second session on fresh copies did not agree: {Figures.Ratio(first.Ratio)}, then {Figures.Ratio(second.Ratio)}.", notices);
    }

    private static string WhyUndecided(LineEvidence e, PairedComparison c)
    {
        string noise = $"the interval is {Figures.Percent(Math.Min(0.9999, c.HalfWidth))} wide to each side after {c.Blocks} blocks";
        return (e.End, c.Objection) switch
        {
            (LineEnd.TimeSpent, _) when c.Blocks < e.Looks.Blocks[0] =>
                $"The time was spent after {c.Blocks} block{(c.Blocks == 1 ? "" : "s")}, and {e.Looks.Blocks[0]} are the fewest that decide anything.",
            (LineEnd.TimeSpent, _) => $"The time was spent: {noise}.",
            (LineEnd.TakenAway, _) => "The machine was taken away during too many blocks.",
            (_, Objection.Correlated) => "Neighbouring blocks resemble each other too much to be told apart from a drift of the machine.",
            (_, Objection.Trending) => "The ratio moved while it was measured: the first and the second half disagree.",
            _ => $"This machine could not tell: {noise}.",
        };
    }

    /// <summary>A median does not see rare slow executions; means and high percentiles do.</summary>
    private static void AddTailNotice(LineEvidence e, List<string> notices)
    {
        if (e.MeanRatio is { } mean && e.P95Ratio is { } p95 && e.TailLeaves(e.Band))
        {
            notices.Add($"Level by the median, but the mean is {Figures.Ratio(mean)} and the 95th percentile {Figures.Ratio(p95)}: look at the samples.");
        }
    }

    private static Decision WithWork(LineEvidence e, Decision time, List<string> notices)
    {
        if (e.WorkRatio is not { } ratio || ratio <= 0 || !double.IsFinite(ratio))
        {
            return time;
        }

        double work = Math.Log(ratio);
        bool outside = Math.Abs(work) > WorkBand;
        if (outside && ((time.Verdict == Verdict.Regressed && work < 0) || (time.Verdict == Verdict.Improved && work > 0)))
        {
            notices.Add($"Time and work disagree: by work it is {Figures.Ratio(ratio)}.");
        }

        bool enough = e.End == LineEnd.NotTimed || (e.Comparison is { } c && c.Blocks >= e.Looks.Blocks[0]);
        if (time.Verdict != Verdict.Unsettled || !outside)
        {
            return time;
        }

        if (e.PlanChanged == true && enough)
        {
            return new(work > 0 ? Verdict.Regressed : Verdict.Improved, Basis.Work,
                $"{(e.End == LineEnd.NotTimed ? "Not timed." : "Time alone did not settle it.")} The plan changed, and {(e.PrimaryCounter == LineEvidence.StepsCounter ? "the engine's steps are exact" : "the engine counted the blocks that it touched")}: {Figures.Ratio(ratio)}.", notices);
        }

        notices.Add($"By work it is {Figures.Ratio(ratio)}.");
        return time;
    }

    private static string Count(long? rows) => rows is { } n ? $"{Figures.Three(n)} {(n == 1 ? "row" : "rows")}" : "no rows";
}
