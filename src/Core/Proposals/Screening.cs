using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Proposals;

/// <summary>A candidate that the planner took where all of them were there at once.</summary>
/// <param name="Candidate">The index.</param>
/// <param name="WorkSaved">By lines that go through it, in the engine's primary counter, a day.</param>
/// <param name="Bytes">That it takes; null where that is not known.</param>
/// <param name="Statements">Whose plans go through it.</param>
public sealed record TakenCandidate(IndexCandidate Candidate, double WorkSaved, long? Bytes, IReadOnlyList<string> Statements);

/// <summary>Tells from plans and exact counters, before anything is timed, which candidates are worth a trial.</summary>
public static class Screening
{
    /// <summary>A line saves by an index where its work falls below this part of what it was.</summary>
    public const double SavesFrom = 0.9;

    /// <summary>Work within this factor is as much as before: an index less need not save work.</summary>
    public const double AsMuch = 1.001;

    /// <summary>The work of the after side a day, in the engine's primary counter; null where a line was not counted that was counted before.</summary>
    /// <param name="account">Inspected.</param>
    public static double? WorkOf(TrialAccount account) => SumOf(account, account.Brief.Options.Engine.Counter!.Name, Side.After);

    /// <summary>A counter of a side, a day; null where a line was not counted that was counted before.</summary>
    /// <param name="account">Inspected.</param>
    /// <param name="counter">By name.</param>
    /// <param name="side">Which side.</param>
    public static double? SumOf(TrialAccount account, string counter, Side side)
    {
        double sum = 0;
        foreach (Line line in account.Lines.Where(l => l.Evidence.Before?.Counters.ContainsKey(counter) == true))
        {
            if ((side == Side.Before ? line.Evidence.Before : line.Evidence.After) is not { } seen || !seen.Counters.TryGetValue(counter, out long counted))
            {
                return null;
            }

            sum += counted * (line.Brief.CallsPerDay ?? 1);
        }

        return sum;
    }

    /// <summary>The work of one statement a day before anything is changed, in the engine's primary counter; null where a case was not counted.</summary>
    /// <param name="account">Inspected.</param>
    /// <param name="statement">Its name.</param>
    public static double? WorkOf(TrialAccount account, string statement) => EffortOf(account, statement, Side.Before)?.Work;

    /// <summary>
    /// What a statement does in a day, after / before: by the engine's primary counter, or by the rows that its plans visit, those of indexes that are built for one execution with them, whichever fell more. Neither tells of all that it costs, which is for a trial to
    /// say: building a table for a join, for one, is hardly counted. Null where a case was not counted, or has nothing to count.
    /// </summary>
    /// <param name="account">Inspected.</param>
    /// <param name="statement">Its name.</param>
    public static double? EffortRatioOf(TrialAccount account, string statement) => Ratio(EffortOf(account, statement, Side.Before), EffortOf(account, statement, Side.After));

    /// <summary>The same, of the after sides of two inspections.</summary>
    /// <param name="then">Without something.</param>
    /// <param name="now">With it.</param>
    /// <param name="statement">Its name.</param>
    public static double? EffortRatioOf(TrialAccount then, TrialAccount now, string statement) => Ratio(EffortOf(then, statement, Side.After), EffortOf(now, statement, Side.After));

    private static double? Ratio((double Work, double? Visited)? before, (double Work, double? Visited)? after)
    {
        if (before is not ({ } work, var visited) || after is not ({ } workAfter, var visitedAfter) || work <= 0)
        {
            return null;
        }

        double ratio = workAfter / work;
        return visited > 0 && visitedAfter is { } fewer ? Math.Min(ratio, fewer / visited.Value) : ratio;
    }

    private static (double Work, double? Visited)? EffortOf(TrialAccount account, string statement, Side side)
    {
        WorkCounter counter = account.Brief.Options.Engine.Counter!;
        double work = 0;
        double? visited = 0;
        foreach (Line line in account.Lines.Where(l => l.Brief.Statement == statement))
        {
            Inspection? seen = side == Side.Before ? line.Evidence.Before : line.Evidence.After;
            if (seen?.Counters.TryGetValue(counter.Name, out long counted) != true)
            {
                return null;
            }

            double calls = line.Brief.CallsPerDay ?? 1;
            work += counted * calls;
            long built = counter.RowsToBuild is { } rows ? seen.Counters.GetValueOrDefault(rows) : 0;
            visited += seen.Plan is { IsCounted: true } plan ? (RowFlow.Visited(plan.Lines().Select(o => o.Operator)) + built) * calls : null;
        }

        return (work, visited);
    }

    /// <summary>Indexes that the plans of a side go through, by name.</summary>
    /// <param name="account">Whose lines were inspected.</param>
    /// <param name="side">Which side.</param>
    public static IReadOnlySet<string> IndexesUsed(TrialAccount account, Side side) => account.Lines
        .SelectMany(l => (side == Side.Before ? l.Evidence.Before : l.Evidence.After)?.Plan?.Lines().Select(o => o.Operator.Index) ?? [])
        .OfType<string>().ToHashSet(StringComparer.OrdinalIgnoreCase);

    /// <summary>Candidates that were taken and save work, the most first; and those for deleted rows whose work nobody counts.</summary>
    /// <param name="account">Inspected with all candidates on the after side.</param>
    /// <param name="candidates">Those.</param>
    public static IReadOnlyList<TakenCandidate> Taken(TrialAccount account, IReadOnlyList<IndexCandidate> candidates)
    {
        string counter = account.Brief.Options.Engine.Counter!.Name;
        bool counts = account.Brief.Options.Engine.Counter.CountsReferences;
        var taken = new List<TakenCandidate>();
        foreach (IndexCandidate candidate in candidates)
        {
            bool Deletes(Line line) => candidate.Deleting.Contains(line.Brief.Statement) && line.Evidence.After is { Writes: true, Failure: null, Rows: > 0 };
            List<Line> through = [.. account.Lines.Where(l => Deletes(l) || l.Evidence.After?.Plan?.Lines().Any(o => candidate.Name.Equals(o.Operator.Index, StringComparison.OrdinalIgnoreCase)) == true)];
            double saved = through.Where(l => l.Evidence.WorkRatio is < SavesFrom)
                .Sum(l => (l.Evidence.Before!.Counters[counter] - l.Evidence.After!.Counters[counter]) * (l.Brief.CallsPerDay ?? 1));

            // Where the engine does not count what references take, only a trial can tell.
            if (saved > 0 || (!counts && through.Any(Deletes)))
            {
                Catalog? catalog = account.Catalogs?.After;
                taken.Add(new(candidate, saved, catalog?.Index(candidate.Name)?.Index.Pages is { } pages ? pages * catalog.PageSize : null, [.. through.Select(l => l.Brief.Statement).Distinct()]));
            }
        }

        return [.. taken.OrderByDescending(t => t.WorkSaved)];
    }
}
