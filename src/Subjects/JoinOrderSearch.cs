using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects;

/// <summary>Tries other orders of a query's joins where it was seen, and counts what they visit.</summary>
public static class JoinOrderSearch
{
    /// <summary>A slower query is not executed again and again for it.</summary>
    private static readonly TimeSpan Under = TimeSpan.FromSeconds(2), Least = TimeSpan.FromMilliseconds(50);

    /// <param name="copy">Where the statement was looked at.</param>
    /// <param name="run">What was executed.</param>
    /// <param name="seen">What was found; comes back with the order that is cheaper, where one is.</param>
    /// <param name="language">Of the engine.</param>
    /// <param name="catalog">Of the copy.</param>
    /// <param name="limit">Of one execution.</param>
    public static Inspection WithOrders(this Inspection seen, ISubjectCopy copy, CaseRun run, PlanLanguage language, Catalog? catalog, ExecutionLimit limit)
    {
        if (seen is not { Failure: null, Writes: false, Plan: { } plan, ColdMilliseconds: { } cold } || catalog is null || cold > Under.TotalMilliseconds || limit.IsSpent)
        {
            return seen;
        }

        var side = new PlanSide(plan, run.Sql, language) { Bindings = run.Bindings, Rows = seen.Rows, Counters = seen.Counters, Catalog = catalog };
        IReadOnlyList<(IReadOnlyList<string> Tables, string Sql)> others = JoinOrders.Of(side);
        if (others.Count == 0 || Tried(copy, run, limit) is not { Milliseconds: { } took } before)
        {
            return seen;
        }

        // What takes longer than the statement itself is no remedy for it.
        ExecutionLimit within = limit.Within(TimeSpan.FromMilliseconds(2 * took) + Least);
        return JoinOrders.Cheapest(side, before, [.. others.Select(o => (o.Tables, limit.IsSpent ? null : Tried(copy, run with { Sql = o.Sql }, within)))]) is { } cheaper
            ? seen with { Plan = plan with { CheaperOrder = cheaper } }
            : seen;
    }

    private static Plan? Tried(ISubjectCopy copy, CaseRun run, ExecutionLimit limit)
    {
        try
        {
            return copy.Counted(run, limit);
        }
        catch (EngineException)
        {
            // One that the engine refuses, or that takes longer, is not cheaper.
            return null;
        }
    }
}
