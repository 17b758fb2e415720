using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Trials;

/// <summary>The rule that decides a line.</summary>
public static class VerdictRule
{
    /// <summary>Of these rules: raised whenever the same evidence may be decided otherwise than before.</summary>
    public const int Version = 3;

    private const int FewestThatContradict = 3;

    private static readonly double WorkBand = Math.Log(1 + TrialOptions.WorkTolerance);

    /// <summary>Decides a line that has ended from all that was found about it.</summary>
    /// <param name="line">With its evidence; what was decided before does not matter.</param>
    public static Decision Decide(Line line)
    {
        LineEvidence e = line.Evidence;
        if (OfFailure(e) is { } failed)
        {
            return failed;
        }

        if (e.GivesOtherRows)
        {
            return new(Verdict.Failed, Basis.Time, new OtherRows(e.Before!.Rows, e.After!.Rows) { Columns = e.ColumnChanges, Written = e.Before.Writes }, []);
        }

        List<Notice> notices = [.. AboutRows(e)];
        return e.GivesOtherOrder ? new(Verdict.Failed, Basis.Time, new OtherOrderThanAsked(), [])
            : OnlyIfSame(e, WithWork(e, OfTime(e, line.Judgement, notices), line.Judgement, notices), line.Judgement);
    }

    /// <summary>
    /// Whether a line is measured again on fresh copies: its difference is small or has no cause that was counted, or only an offset of the
    /// copies may hide the answer.
    /// </summary>
    /// <param name="line">After the first session.</param>
    public static bool WantsConfirmation(Line line) =>
        line.Evidence is { End: LineEnd.Looked, OneAfterTheOther: false, CannotBeMeasured: false, ConfirmingBlocks.Count: 0 }
        && line.Judgement is { Comparison: { } c } judged
        && (NeedsConfirmation(judged, c) || SequentialRule.MayBeTheCopies(c, judged.Band));

    /// <summary>
    /// Decides all lines together: keeps the false discovery rate of the regressed lines, of which those that the procedure does not
    /// believe fall back to unsettled by time.
    /// </summary>
    /// <param name="lines">Decided one by one.</param>
    /// <param name="rate">The false discovery rate, a fraction.</param>
    public static IReadOnlyList<Line> WithDiscoveryRate(IReadOnlyList<Line> lines, double rate)
    {
        int[] tested = [.. Enumerable.Range(0, lines.Count).Where(i => lines[i].Judgement.Comparison is not null)];
        IReadOnlyList<bool> believed = FalseDiscovery.Believed([.. tested.Select(i => lines[i].Judgement.Comparison!.PValueAbove)], rate);
        Line[] kept = [.. lines];
        for (int k = 0; k < tested.Length; k++)
        {
            Line line = kept[tested[k]];
            if (!believed[k] && line is { Decision: { Verdict: Verdict.Regressed, Basis: Basis.Time } decision, Evidence.AfterFailure: null })
            {
                Decision fallen = decision with { Verdict = Verdict.Unsettled, Reason = new MayBeChance(tested.Length, rate) };
                kept[tested[k]] = line with { Decision = OnlyIfSame(line.Evidence, WithWork(line.Evidence, fallen, line.Judgement, [.. decision.Notices]), line.Judgement) };
            }
        }

        return kept;
    }

    private static IEnumerable<Notice> AboutRows(LineEvidence e)
    {
        if (e.SameRows == false)
        {
            yield return new RowsMoved { Columns = e.ColumnChanges, Written = e.Before!.Writes };
        }

        if (e is { SameOrder: false, SameRows: true })
        {
            yield return e.After!.WithinTies == true ? new OtherOrder() : new OrderMoved(e.After.WithinTies == false);
        }

        if (e is { SameOrder: true, SameRows: true, Brief: { Rewritten: true, AfterOrders: false }, Before.Rows: > 1 })
        {
            yield return new OrderByChance();
        }

        if (e.Before is { RowsRepeat: false } || e.After is { RowsRepeat: false })
        {
            yield return new RowsVary();
        }
        else if (IsUncompared(e.Before) || IsUncompared(e.After))
        {
            yield return new RowsNotCompared();
        }

        if (e is { SameRows: true, Before: { Writes: true, Rows: { } before }, After.Rows: { } after } && before != after)
        {
            yield return new OtherCount(before, after);
        }
    }

    private static bool IsUncompared(Inspection? side) => side is { Writes: true, RowsHash: null, Rows: not null };

    /// <summary>A rewrite is no improvement until it is known to give the same.</summary>
    private static Decision OnlyIfSame(LineEvidence e, Decision decided, LineJudgement judged) =>
        decided.Verdict != Verdict.Improved || !e.Brief.Rewritten || e.IsProvenSame ? decided
            : decided with
            {
                Verdict = Verdict.Unsettled,
                Reason = new NotProvenSame(decided is { Basis: Basis.Work, Reason: DecidedByWork work } ? work.Ratio : judged.Comparison?.Ratio, decided.Basis, e.SameRows == true),
            };

    private static Decision? OfFailure(LineEvidence e)
    {
        if (e.BeforeFailure is { } before)
        {
            return new(Verdict.Failed, Basis.Time, new BeforeFailed(before, e.AfterFailure, e.AfterFailure is null && before.TimeLimit ? e.After?.ColdMilliseconds : null), []);
        }

        return e.AfterFailure is not { } after ? null
            : after.TimeLimit ? new(Verdict.Regressed, Basis.Time, new AfterDidNotFinish(after, e.Before?.ColdMilliseconds ?? 0), [])
            : new(Verdict.Failed, Basis.Time, new BrokeAfter(after), []);
    }

    private static Decision OfTime(LineEvidence e, LineJudgement judged, List<Notice> notices)
    {
        if (judged.Comparison is not { } first)
        {
            return e.End == LineEnd.NotTimed
                ? new(Verdict.Unsettled, Basis.Work, new NotTimed(e.OneAfterTheOther), notices)
                : new(Verdict.Unsettled, Basis.Time, e.End switch
                {
                    LineEnd.OtherPlan => new OtherPlanTimed(),
                    LineEnd.TakenAway => new MachineTakenAway(),
                    _ => new NoBlocks(),
                }, notices);
        }

        return first.Standing switch
        {
            Standing.Undecided => judged.Confirmation is { Standing: Standing.Inside } other
                ? new(Verdict.Level, Basis.Time, new FreshCopiesTold(first.Ratio, other.Ratio), notices)
                : new(Verdict.Unsettled, Basis.Time, WhyUndecided(e, first), notices),
            Standing.Inside => OfLevel(e, judged, first, notices),
            _ => OfDifference(e, judged, first, notices),
        };
    }

    private static Decision OfLevel(LineEvidence e, LineJudgement judged, PairedComparison first, List<Notice> notices)
    {
        // A median does not see rare slow executions; means and high percentiles do.
        if (judged is { MeanRatio: { } mean, P95Ratio: { } p95, TailLeavesBand: true })
        {
            notices.Add(new TailLeavesBand(mean, p95));
        }

        Band band = Band.OfTolerance(e.Brief.Tolerance);
        Reason? why = !(band.Contains(first.Low) && band.Contains(first.High))
            ? new UnderFloor(Math.Abs(first.Ratio - 1) * judged.BeforeMedianMicroseconds, e.FloorMicroseconds)
            : e.OneAfterTheOther ? new WeakerEvidence() : null;
        return new(Verdict.Level, Basis.Time, why, notices);
    }

    private static Decision OfDifference(LineEvidence e, LineJudgement judged, PairedComparison first, List<Notice> notices)
    {
        Verdict verdict = first.Standing == Standing.Above ? Verdict.Regressed : Verdict.Improved;
        bool again = NeedsConfirmation(judged, first);
        (Verdict decided, Reason? why) = (e.OneAfterTheOther, again, judged.Confirmation) switch
        {
            (true, true, _) => (Verdict.Unsettled, new CannotBeConfirmed(first.Ratio)),
            (true, false, _) => (verdict, new WeakerEvidence()),
            (false, false, _) => (verdict, null),
            (false, true, null) => (Verdict.Unsettled, new NotConfirmed(judged.IsWithoutCause)),
            (false, true, { } second) when second.Standing != first.Standing => (Verdict.Unsettled, (Reason?)new SessionsDisagree(first.Ratio, second.Ratio)),
            _ => (verdict, judged.IsWithoutCause ? new WithoutCause() : new Confirmed()),
        };
        return new(decided, Basis.Time, why, notices);
    }

    private static bool NeedsConfirmation(LineJudgement judged, PairedComparison first) =>
        SequentialRule.NeedsConfirmation(first) || (judged.IsWithoutCause && first.Standing is Standing.Above or Standing.Below);

    private static Reason WhyUndecided(LineEvidence e, PairedComparison c) => (e.End, c.Objection) switch
    {
        (LineEnd.TimeSpent, _) when c.Blocks < e.Looks.Blocks[0] => new TooFewBlocks(c.Blocks, e.Looks.Blocks[0]),
        (LineEnd.TimeSpent, _) => new TimeSpent(c.HalfWidth, c.Blocks),
        (LineEnd.TakenAway, _) => new MachineTakenAway(),
        (_, Objection.Correlated) => new BlocksResemble(),
        (_, Objection.Trending) => new RatioMoved(),
        _ => new TooNoisy(c.HalfWidth, c.Blocks),
    };

    private static Decision WithWork(LineEvidence e, Decision time, LineJudgement judged, List<Notice> notices)
    {
        if (time.Verdict == Verdict.Unsettled && e is { PlanChanged: false, SameWork: true } && !TimeDiffers(judged))
        {
            return new(Verdict.Level, Basis.Work, new SameWork(judged.HasInterval ? judged.Comparison!.HalfWidth : null, judged.Judged.Count), notices);
        }

        if (Leaving(e) is not { } work)
        {
            return time;
        }

        (string counter, double ratio) = work;

        Verdict verdict = ratio > 1 ? Verdict.Regressed : Verdict.Improved;
        if (time.Verdict != Verdict.Unsettled)
        {
            if (time.Verdict is Verdict.Regressed or Verdict.Improved && time.Verdict != verdict)
            {
                notices.Add(new WorkDisagrees(ratio));
            }

            return time;
        }

        // Blocks that fall while rows rise, or the other way, say nothing of which costs more.
        double against = ratio > 1 ? -1 : 1;
        bool agrees = CountersOf(e).All(c => e.RatioOf(c) is not { } other || !(Math.Log(Math.Max(other, 1e-9)) * against > WorkBand));
        if (e is { PlanChanged: true, Before.CountersRepeat: not false, After.CountersRepeat: not false } && agrees && !PointsAgainst(judged, against))
        {
            return new(verdict, Basis.Work, new DecidedByWork(ratio, counter, e.End != LineEnd.NotTimed), notices);
        }

        notices.Add(new WorkLeavesBand(ratio));
        return time;
    }

    /// <summary>What work is told by: the primary counter, and the one besides it.</summary>
    private static IEnumerable<string> CountersOf(LineEvidence e) => e.Counter.Besides is { } besides ? [e.Counter.Name, besides.Name] : [e.Counter.Name];

    /// <summary>The counter of work that left its band, the primary one before the one besides it; null where both stayed.</summary>
    private static (string Counter, double Ratio)? Leaving(LineEvidence e) => CountersOf(e)
        .Select(c => (Counter: c, Ratio: e.RatioOf(c) ?? 1))
        .Where(c => c.Ratio > 0 && double.IsFinite(c.Ratio) && Math.Abs(Math.Log(c.Ratio)) > WorkBand)
        .Select(c => ((string, double)?)c).FirstOrDefault();

    /// <summary>Whether time, as far as it can tell, is not the same on both sides.</summary>
    /// <remarks>Too few blocks for an interval contradict where at least three lie all beyond one edge of the band.</remarks>
    private static bool TimeDiffers(LineJudgement judged) => judged.Comparison is { } c
        && (judged.HasInterval ? c.Low > 0 || c.High < 0 : c.Blocks >= FewestThatContradict && (c.Low > judged.Band.High || c.High < judged.Band.Low));

    /// <summary>Whether the blocks that there are, however few, point the way that work does not.</summary>
    /// <param name="judged">The line's blocks.</param>
    /// <param name="against">1 where time must not have grown, -1 where it must not have shrunk.</param>
    private static bool PointsAgainst(LineJudgement judged, double against) =>
        judged.Comparison is { } c && ((c.LogRatio * against > judged.Band.High) || (judged.HasInterval && (against > 0 ? c.Low > 0 : c.High < 0)));
}
