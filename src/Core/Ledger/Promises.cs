using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Ledger;

/// <summary>What a trial or a rehearsal lets its author promise.</summary>
public static class Promises
{
    /// <summary>
    /// One promise for each pattern that was timed with an interval: its cases together, each with its share of the cost before. The interval adds
    /// up their ends, and so is no narrower than it should be. A pattern with an unsettled case promises nothing.
    /// </summary>
    /// <param name="lines">Of a finished trial, as they were decided.</param>
    /// <param name="dialect">Of the statements.</param>
    public static IReadOnlyList<Promise> Of(IReadOnlyList<Line> lines, SqlDialect dialect)
    {
        var promises = new List<Promise>();
        foreach (IGrouping<string, Line> pattern in lines.GroupBy(l => l.Brief.Pattern))
        {
            Line[] cases = [.. pattern];
            if (cases.Any(l => l.Decision is not { Verdict: Verdict.Improved or Verdict.Level or Verdict.Regressed } || !l.Judgement.HasInterval))
            {
                continue;
            }

            (double Weight, double Ratio, double Low, double High)[] parts = [.. cases.Select(l =>
                ((l.Brief.CallsPerDay ?? 1) * l.Judgement.BeforeMedianMicroseconds, l.Judgement.Comparison!.Ratio, Math.Exp(l.Judgement.Comparison.Low), Math.Exp(l.Judgement.Comparison.High)))];
            double sum = parts.Sum(p => p.Weight), calls = cases.Sum(l => l.Brief.CallsPerDay ?? 1);
            double Mean(Func<(double Weight, double Ratio, double Low, double High), double> of) => parts.Sum(p => p.Weight * of(p)) / sum;
            (double ratio, double low, double high, double band) = (Mean(p => p.Ratio), Mean(p => p.Low), Mean(p => p.High), 1 + cases.Max(l => l.Brief.Tolerance));

            // What each case was decided to be counts where they agree: a level by work has an interval of its own, which may be wide.
            Verdict[] verdicts = [.. cases.Select(l => l.Decision!.Verdict).Distinct()];
            PromisedDirection direction = verdicts is [var one] ? DirectionOf(one) : high < 1 / band ? PromisedDirection.Cheaper : low > band ? PromisedDirection.Dearer : PromisedDirection.Level;
            LineBrief brief = cases[0].Brief;
            promises.Add(new(brief.Statement, pattern.Key, brief.Rewritten ? SqlPattern.Of(brief.AfterSql, dialect).Name : null, direction, ratio, low, high,
                cases.All(l => l.Brief.CallsPerDay is null) ? null : calls, sum / calls / 1e6));
        }

        return [.. promises.OrderByDescending(p => Math.Abs(1 - p.Ratio) * p.SecondsBefore * (p.CallsPerDay ?? 1))];
    }

    /// <summary>Whether a line promises nothing because others took the machine away from most of its blocks: then time alone does not help.</summary>
    /// <param name="lines">Of a finished trial.</param>
    public static bool WereDisturbed(IReadOnlyList<Line> lines) =>
        lines.Any(l => !l.Judgement.HasInterval && 2 * l.Judgement.Judged.Count < l.Evidence.Blocks.Count);

    /// <summary>One promise for each statement whose mean latency was decided under the load.</summary>
    /// <param name="judged">Of a finished rehearsal.</param>
    /// <param name="brief">Of it.</param>
    /// <param name="dialect">Of the statements.</param>
    public static IReadOnlyList<Promise> Of(IReadOnlyList<MeasureJudgement> judged, RehearsalBrief brief, SqlDialect dialect) =>
        [.. from j in judged
            where j is { Measure: LoadMeasure.Mean, Statement: not null, Ratio: not null, Low: not null, High: not null, Before: not null, Verdict: Verdict.Improved or Verdict.Level or Verdict.Regressed }
            let statement = brief.Load.Workload.Statements.First(s => s.Name == j.Statement)
            let rewrite = brief.Change.RewriteOf(statement.Name)
            select new Promise(j.Statement!, statement.Pattern.Name, rewrite is null ? null : SqlPattern.Of(rewrite.Sql, dialect).Name, DirectionOf(j.Verdict), j.Ratio!.Value, j.Low!.Value, j.High!.Value, statement.CallsPerDay, j.Before!.Value / 1_000)];

    private static PromisedDirection DirectionOf(Verdict verdict) => verdict switch
    {
        Verdict.Improved => PromisedDirection.Cheaper,
        Verdict.Regressed => PromisedDirection.Dearer,
        _ => PromisedDirection.Level,
    };
}
