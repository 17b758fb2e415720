using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Reports;

/// <summary>What the plans of a line tell: the same wherever a trial is shown.</summary>
public static class LinePlans
{
    /// <summary>A side's plan with what is known around it; null where it has none.</summary>
    /// <param name="line">One of the account's.</param>
    /// <param name="account">Of the trial.</param>
    /// <param name="side">Which of the two.</param>
    public static PlanSide? SideOf(Line line, TrialAccount account, Side side) => side == Side.Before
        ? Around(line.Evidence.Before, line.Brief.BeforeSql, line.Brief.BeforeBindings, account.Catalogs?.Before, account.Brief.Options.Engine)
        : Around(line.Evidence.After, line.Brief.AfterSql, line.Brief.AfterBindings, account.Catalogs?.After, account.Brief.Options.Engine);

    /// <summary>Both plans held against each other; null where there is none.</summary>
    /// <param name="line">One of the account's.</param>
    /// <param name="account">Of the trial.</param>
    public static PlanComparison? Compared(Line line, TrialAccount account)
    {
        PlanSide? before = SideOf(line, account, Side.Before), after = SideOf(line, account, Side.After);
        if (before is null && after is null)
        {
            return null;
        }

        PlanComparison compared = PlanComparison.Of(before, after, line.Brief.Rewritten, MovedBy(line));
        return compared with { Before = WithVarying(compared.Before, line, account, Side.Before), After = WithVarying(compared.After, line, account, Side.After) };
    }

    /// <summary>What a line came to, after / before: as it was decided, or else by its work; null where it came to nothing.</summary>
    private static double? MovedBy(Line line) => line.Decision switch
    {
        { Verdict: Verdict.Level } => null,
        { Reason: DecidedByWork work } => work.Ratio,
        { Verdict: Verdict.Regressed or Verdict.Improved, Basis: Basis.Time } => line.Judgement.Comparison?.Ratio,
        _ => line.Evidence.WorkRatio,
    };

    private static ComparedSide? WithVarying(ComparedSide? compared, Line line, TrialAccount account, Side side)
    {
        Plan? PlanOf(Line l) => side == Side.Before ? l.Evidence.Before?.Plan : l.Evidence.After?.Plan;
        double? MedianOf(Line l) => l.Judgement.Judged.Count == 0 ? null : side == Side.Before ? l.Judgement.BeforeMedianMicroseconds : l.Judgement.AfterMedianMicroseconds;
        if (compared is null || PlanOf(line) is not { } mine)
        {
            return compared;
        }

        IEnumerable<Line> others = account.Lines.Where(o => o.Brief.Statement == line.Brief.Statement && o.Number != line.Number && PlanOf(o) is not null);
        return PlanFindings.Varying(mine, MedianOf(line), [.. others.Select(o => (o.Brief.Case, PlanOf(o)!, MedianOf(o)))]) is { } varies
            ? compared with { Findings = [.. compared.Findings, varies] }
            : compared;
    }

    private static PlanSide? Around(Inspection? inspection, string sql, IReadOnlyList<Binding> bindings, Catalog? catalog, Engine engine) => inspection?.Plan is not { } plan
        ? null
        : new(plan, sql, engine.Plans!) { Bindings = bindings, Rows = inspection.Rows, Counters = inspection.Counters, Catalog = catalog };
}
