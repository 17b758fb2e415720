using System.Diagnostics;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Postgres;

internal sealed partial class PostgresInspector
{
    /// <summary>Looks at a unit of work: its rows and what it wrote as one, and what each execution of its statements counts.</summary>
    private sealed class UnitLook(PostgresInspector inspector, PostgresConnection connection, WorkUnit unit, CaseRun run, ExecutionLimit limit)
    {
        /// <summary>Of more executions nothing is counted.</summary>
        private const int MostCounted = 20_000;

        private static readonly TimeSpan CountedWithin = TimeSpan.FromSeconds(20);

        private readonly List<(int Statement, IReadOnlyList<SqlValue> Values)> _sent = [];
        private readonly Dictionary<string, PostgresParameters> _typed = new(StringComparer.Ordinal);
        private IReadOnlyList<long> _statements = [];
        private bool _hasOrder;

        public Inspection Look()
        {
            double? cold = null;
            Plan? plan = null;
            bool writes = unit.Statements.Any(s => Writes(s.Sql));
            try
            {
                Prepare();
                SequencePlaces? places = writes && inspector.Holds == Holding.Transaction ? new(connection) : null;
                (cold, RowHash rows, long affected, WrittenRelations written) = inspector.Undone(() => inspector.FirstExecution(Reading));
                bool hasOrder = _hasOrder;
                writes |= written.Tables.Count > 0;
                bool quick = cold < RepeatUnder.TotalMilliseconds;
                RowHash? compared = rows, second = null;
                if (writes)
                {
                    long begun = Stopwatch.GetTimestamp();
                    bool plain = unit.Statements.All(s => IsPlainWrite(s.Sql));
                    compared = inspector.Effect(Reading, plain, written, places);
                    second = quick && compared is not null && Stopwatch.GetElapsedTime(begun) < RepeatUnder ? inspector.Effect(Reading, plain, written, places) : null;
                }
                else if (quick)
                {
                    second = new();
                    _ = inspector.Undone(() => Reading(second, null));
                }

                long begunCounting = Stopwatch.GetTimestamp();
                (plan, Dictionary<string, long>? counted) = inspector.Undone(Counted);
                Dictionary<string, long>? again = quick && counted is not null && Stopwatch.GetElapsedTime(begunCounting) < RepeatUnder ? inspector.Undone(Counted).Counters : null;
                places?.PutBack();
                Dictionary<string, long> counters = again ?? counted ?? [];
                counters[UnitCounters.Statements] = _statements.Sum();
                string counter = PostgresEngine.Engine.Counter!.Name;
                var found = new Inspection(plan, cold, writes ? Math.Max(rows.Rows, affected) : rows.Rows, writes, compared?.Multiset, writes || !hasOrder ? null : rows.Sequence,
                    second is null || second.Multiset == compared?.Multiset, counters, again is null ? null : again[counter] == counted![counter], null);
                return found with { PlanNote = UnitCounters.NoteOf(unit, found, isCounted: counted is not null) };
            }
            catch (EngineException e)
            {
                return new(plan, cold, null, writes, null, null, true, new Dictionary<string, long>(), null, new(e.TimeLimit ? limit.Exceeded.Message : e.Message, e.TimeLimit));
            }
        }

        /// <summary>The plans of all statements, those of a loop for its first row; only what a loop goes through is executed.</summary>
        public Plan Planned()
        {
            Prepare();
            return inspector.Undone(() =>
            {
                var first = new Dictionary<int, IReadOnlyList<SqlValue>>();
                using UnitLoop loop = Loop();
                loop.Sending = (statement, values) => first.TryAdd(statement, [.. values]);
                loop.RunFirstRows();
                return Plan.OfUnit([.. Enumerable.Range(0, unit.Statements.Count).Select(i => Kept(i, first.GetValueOrDefault(i), execute => inspector.Explain("FORMAT JSON", execute)) ?? new Plan([]))]);
            });
        }

        /// <inheritdoc cref="RowReading"/>
        public (double Milliseconds, long Affected) Reading(RowHash hash, RowPicker? picker)
        {
            long start = Stopwatch.GetTimestamp();
            using UnitLoop loop = Loop();
            _sent.Clear();
            loop.Sending = (statement, values) =>
            {
                if (_sent.Count <= MostCounted)
                {
                    _sent.Add((statement, [.. values]));
                }
            };
            loop.Read(hash, shown =>
            {
                UInt128 row = hash.End();
                picker?.Offer(row, shown);
            }, picker is not null);
            (_statements, _hasOrder) = (loop.SentOfEach, loop.HasOrder);
            return (Stopwatch.GetElapsedTime(start).TotalMilliseconds, loop.Affected);
        }

        private UnitLoop Loop() => PostgresUnitStep.LoopOf(connection, unit, run.Bindings, limit, step => Typed(step.Sql));

        /// <summary>Asked for before anything runs: what the server refuses to say ends its transaction.</summary>
        private PostgresParameters Typed(string sql) => _typed.TryGetValue(sql, out PostgresParameters? known) ? known
            : _typed[sql] = inspector.Typed(PostgresParameters.Of(new CaseRun(sql, run.Bindings)), new CaseRun(sql, run.Bindings));

        /// <summary>What is asked of the server before anything runs, in a transaction of its own.</summary>
        /// <exception cref="EngineException">A statement does something else than to read or write rows, or is wrong.</exception>
        public void Prepare()
        {
            inspector.Undone(() => PostgresUnitStep.MustBePlain(connection, unit, run.Bindings));
            foreach (UnitStatement statement in unit.Statements)
            {
                Typed(statement.Sql);
            }
        }

        /// <summary>Executes every statement once more with the values that it was sent with, counted, and adds up what they count.</summary>
        /// <returns>The plan of each statement, with the counts of all its executions where they ran by one plan; no counters where there are too many executions, or no time is left.</returns>
        private (Plan Plan, Dictionary<string, long>? Counters) Counted()
        {
            var plans = new Plan?[unit.Statements.Count];
            Dictionary<string, long>? sums = _sent.Count > MostCounted ? null : [];
            long begun = Stopwatch.GetTimestamp();
            foreach ((int statement, IReadOnlyList<SqlValue> values) in _sent)
            {
                sums = sums is null || limit.IsSpent || Stopwatch.GetElapsedTime(begun) > CountedWithin ? null : sums;
                if (sums is null && plans[statement] is not null)
                {
                    continue;
                }

                Plan? plan = Kept(statement, values, execute => inspector.Explain(sums is null ? "FORMAT JSON" : Counting, execute));
                plans[statement] = plan is null || sums is null ? plans[statement] ?? plan : plans[statement]?.Plus(plan) ?? plan;
                foreach ((string name, long count) in sums is null ? [] : CountersOf(plan, null))
                {
                    sums![name] = sums.GetValueOrDefault(name) + count;
                }
            }

            for (int i = 0; i < plans.Length; i++)
            {
                plans[i] ??= Kept(i, null, execute => inspector.Explain("FORMAT JSON", execute)) ?? new Plan([]);
            }

            return (Plan.OfUnit([.. plans.OfType<Plan>()]).WithSent(_statements), sums);
        }

        /// <summary>A statement as an application has it after a while; see <see cref="AsKept"/>.</summary>
        /// <param name="values">By the places of its parameters; null where it was never executed.</param>
        private Plan? Kept(int statement, IReadOnlyList<SqlValue>? values, Func<string, Plan?> look)
        {
            PostgresParameters typed = Typed(unit.Statements[statement].Sql);
            return inspector.AsKept(values is null ? typed : typed with { Values = [.. values.Select(PostgresParameters.TextOf)] }, look);
        }
    }

    private Holding Holds => holding;
}
