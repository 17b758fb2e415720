using System.Diagnostics;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench.Rehearsals;

/// <summary>
/// Asks between the stints of a soak which plan each statement of a side would get if it were prepared now, with the same values each time. A change is so one of the
/// data, its statistics or its indexes, and none of the values.
/// </summary>
internal sealed class PlanWatch
{
    private static readonly TimeSpan Between = TimeSpan.FromSeconds(10);

    private readonly LoadedSide _side;
    private readonly ISubjectCopy _copy;
    private readonly TimeSpan _limit;
    private readonly List<(string Name, CaseRun Run)> _runs = [];
    private readonly Dictionary<string, string> _seen = [];
    private long _last;

    /// <param name="side">Whose statements.</param>
    /// <param name="copy">The side's copy.</param>
    /// <param name="seed">Draws the values.</param>
    /// <param name="counters">Not those of the load: sequences go on there.</param>
    /// <param name="limit">Of one look at one statement.</param>
    public PlanWatch(LoadedSide side, ISubjectCopy copy, ulong seed, SideCounters counters, TimeSpan limit)
    {
        (_side, _copy, _limit) = (side, copy, limit);
        var random = new SplitMix(seed);
        foreach (LoadPart part in side.Load.Parts)
        {
            for (int t = 0; t < part.Tasks.Count; t++)
            {
                LoadTask task = part.Tasks[t];
                var values = new SqlValue[task.Keys.Count];
                task.Values.Draw(values, ref random, counters);
                if (part.Recorded?.Arrivals.FirstOrDefault(a => a.Task == t) is { } recorded)
                {
                    for (int i = 0; i < recorded.Values.Length; i++)
                    {
                        values[i] = recorded.Values[i] ?? values[i];
                    }
                }

                foreach (LoadStep step in task.Steps.Where(s => _runs.All(r => r.Name != s.Statement.Name)))
                {
                    _runs.Add((step.Statement.Name, new(step.Statement.Sql, [.. step.Statement.Parameters.Select(k => new Core.Workloads.Binding(k, values[task.Keys.ToList().IndexOf(k)]))])));
                }
            }
        }
    }

    /// <summary>Looks, where the last look is some seconds ago, or it is the last one.</summary>
    /// <param name="at">Seconds from the start of the first stint.</param>
    /// <param name="leg">How often the soak was carried on before.</param>
    /// <param name="last">Whether nothing comes after it.</param>
    /// <returns>Each plan that is another one than at the look before; all of them at the first.</returns>
    public IReadOnlyList<SoakPlan> Look(double at, int leg, bool last)
    {
        if (!last && _last != 0 && Stopwatch.GetElapsedTime(_last) < Between)
        {
            return [];
        }

        var told = new List<SoakPlan>();
        foreach ((string name, CaseRun run) in _runs)
        {
            try
            {
                Plan plan = _copy.PlanInSession(run, new ExecutionLimit(_limit, () => _limit));
                if (plan.Roots.Count > 0 && _seen.GetValueOrDefault(name) != plan.Shape)
                {
                    _seen[name] = plan.Shape;
                    told.Add(new(_side.Side, name, at, plan.Shape, plan.Text.Split('\n'), leg));
                }
            }
            catch (EngineException)
            {
                // A statement that has no plan, or a lock that is held by a session between two stints: the next look asks again.
            }
        }

        _last = Stopwatch.GetTimestamp();
        return told;
    }
}
