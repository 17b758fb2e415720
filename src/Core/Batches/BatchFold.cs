using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Batches;

/// <summary>Adds up the executions of a batch as they come: per pattern, per plan, and in what order. Memory grows with what is different, plus twelve bytes an execution.</summary>
public sealed class BatchFold(SqlDialect dialect)
{
    public const int MostPlans = 8;

    private readonly Dictionary<ulong, int> _known = [];
    private readonly List<Total> _totals = [];
    private readonly List<(int Statement, double Milliseconds)> _sequence = [];
    private readonly Lock _gate = new();

    /// <summary>Adds an execution.</summary>
    /// <param name="shape">Tells its plan from others of the same statement, cheaply; empty where it has none.</param>
    /// <param name="plan">Asked for only where that shape is new.</param>
    /// <param name="line">Where it stands in the script, from 1.</param>
    /// <param name="milliseconds">What it took.</param>
    /// <param name="rows">Rows that it returned or changed.</param>
    /// <param name="sql">The statement as it ran.</param>
    /// <param name="visited">Rows that it looked at.</param>
    public void Add(string sql, int line, double milliseconds, long visited, long rows, string shape, Func<Plan?> plan)
    {
        ulong pattern = SqlPattern.HashOf(sql, dialect);
        using Lock.Scope held = _gate.EnterScope();
        if (!_known.TryGetValue(pattern, out int at))
        {
            _known[pattern] = at = _totals.Count;
            _totals.Add(new(SqlPattern.NameOf(pattern), sql, line));
        }

        _totals[at].Add(milliseconds, visited, rows, shape, plan);
        _sequence.Add((at, milliseconds));
    }

    /// <summary>How far it is, for whoever looks on from another thread: executions, their milliseconds, and the costliest statements.</summary>
    public (long Executions, double Milliseconds, IReadOnlyList<BatchStatement> Costliest) SoFar(int most)
    {
        using Lock.Scope held = _gate.EnterScope();
        double whole = _totals.Sum(t => t.Milliseconds);

        // A script of a hundred thousand patterns waits while it is looked at: those few are picked out in one pass.
        var costliest = new PriorityQueue<int, double>();
        for (int i = 0; i < _totals.Count; i++)
        {
            costliest.Enqueue(i, _totals[i].Milliseconds);
            if (costliest.Count > most)
            {
                costliest.Dequeue();
            }
        }

        return (_sequence.Count, whole, [.. costliest.UnorderedItems.Select(c => _totals[c.Element].Of(c.Element + 1, whole)).OrderByDescending(s => s.Milliseconds).ThenBy(s => s.Number)]);
    }

    public BatchRun Result(BatchFailure? failure = null)
    {
        double whole = _totals.Sum(t => t.Milliseconds);
        return new(
            [.. _totals.Select((t, i) => t.Of(i + 1, whole)).OrderByDescending(s => s.Milliseconds)],
            LoopFold.Of(_sequence), _sequence.Count, whole, failure);
    }

    private sealed class Total(string pattern, string sql, int line)
    {
        private readonly Dictionary<string, (Plan Plan, long Calls, double Milliseconds)> _plans = new(StringComparer.Ordinal);
        private long _calls, _visited, _rows;
        private double _slowest;

        public double Milliseconds { get; private set; }

        public void Add(double milliseconds, long visited, long rows, string shape, Func<Plan?> plan)
        {
            _calls++;
            Milliseconds += milliseconds;
            _slowest = Math.Max(_slowest, milliseconds);
            _visited += visited;
            _rows += rows;
            if (_plans.TryGetValue(shape, out (Plan Plan, long Calls, double Milliseconds) known))
            {
                _plans[shape] = (known.Plan, known.Calls + 1, known.Milliseconds + milliseconds);
            }
            else if (shape.Length > 0 && _plans.Count < MostPlans && plan() is { } first)
            {
                _plans[shape] = (first, 1, milliseconds);
            }
        }

        public BatchStatement Of(int number, double whole) => new(
            number, pattern, sql, line, _calls, Milliseconds, whole > 0 ? Milliseconds / whole : 0, _slowest, _visited, _rows,
            [.. _plans.Values.Select(p => new BatchPlan(p.Plan.Shape, p.Plan, p.Calls, p.Milliseconds)).OrderByDescending(p => p.Milliseconds)]);
    }
}
