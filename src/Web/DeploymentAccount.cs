using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>Every pattern before and after a deployment, ranked by what it costs more or less a day.</summary>
internal sealed class DeploymentAccount(DaybookStore daybook)
{
    /// <param name="days">Length of each span; null for what lies between this deployment and its neighbours, a week at most.</param>
    public EffectPage Of(
        long book, DeploymentRecord deployment, IReadOnlyList<DeploymentRecord> all, (int From, int To) extent, double? days, IReadOnlyList<long> sources)
    {
        int at = Stretches.MinuteOf(new DateTime(deployment.At, DateTimeKind.Utc));
        int most = (int)((days ?? 7) * 1440);
        int from = Math.Max(extent.From, at - most), to = Math.Min(extent.To, at + most);
        if (days is null)
        {
            // Another deployment in the span would be held against this one.
            int previous = all.Where(d => d.At < deployment.At).Select(Minute).DefaultIfEmpty(int.MinValue).Max();
            int next = all.Where(d => d.At > deployment.At).Select(Minute).DefaultIfEmpty(int.MaxValue).Min();
            (from, to) = (Math.Max(from, previous), Math.Min(to, next));
        }

        // The hour in which it happened belongs to neither side.
        int before = Stretch.Hour.StartOf(at), after = before + Stretch.Hour.Minutes();
        from = Stretch.Hour.StartOf(from + 59);
        ILookup<long, TimedCell> x = daybook.Hours(sources, from, before), y = daybook.Hours(sources, after, to);
        Dictionary<long, PatternRecord> records = daybook.Patterns(book).ToDictionary(p => p.Id);
        double daysBefore = Math.Max(0, before - from) / 1440.0, daysAfter = Math.Max(0, to - after) / 1440.0;
        List<DeploymentEffect> effects = x.Select(g => g.Key).Union(y.Select(g => g.Key)).Where(records.ContainsKey)
            .Select(p => DeploymentEffects.Of(p, x[p].ToList(), y[p].ToList(), daysBefore, daysAfter, Band.OfTolerance(new TrialOptions().Tolerance), (ulong)p))
            .OrderByDescending(e => Math.Abs(e.ChangePerDay)).ToList();
        return new(DeploymentView.Of(deployment), Iso.Of(Stretches.TimeOf(from)), Iso.Of(Stretches.TimeOf(Math.Max(to, after))),
            effects.Sum(e => e.BeforePerDay), effects.Sum(e => e.AfterPerDay), effects.Select(e => RowOf(e, records[e.Pattern])).ToList());
    }

    private static int Minute(DeploymentRecord d) => Stretches.MinuteOf(new DateTime(d.At, DateTimeKind.Utc));

    private static EffectRow RowOf(DeploymentEffect e, PatternRecord p) => new(
        SqlPattern.NameOf(p.Hash), p.Text, e.Movement.ToString().ToLowerInvariant(), e.Message, e.BeforePerDay, e.AfterPerDay, e.ChangePerDay,
        e.CallsBeforePerDay, e.CallsAfterPerDay, e.Comparison?.Ratio, e.Comparison is { } c ? Math.Exp(c.Low) : null, e.Comparison is { } d ? Math.Exp(d.High) : null);
}
