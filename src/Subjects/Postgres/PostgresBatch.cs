using System.Diagnostics;
using System.Globalization;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Runs a whole script on a private copy and folds what each statement did.</summary>
/// <remarks>
/// PostgreSQL manual, "EXPLAIN": with ANALYZE a statement is executed, with all that it does. So each one that has a plan runs explained: at its
/// pattern's first execution with a clock in every operator, which takes time itself, and from then on without. Its time is the server's own.
/// </remarks>
/// <param name="counted">Whether statements run explained; otherwise they run as they stand, and their time is what a client sees.</param>
internal sealed class PostgresBatch(PostgresConnection connection, TimeSpan limit, GrowthWatch growth, bool counted)
{
    private static readonly HashSet<string> Explained = new(StringComparer.Ordinal) { "select", "insert", "update", "delete", "merge", "values", "with", "table", "execute" };

    private readonly HashSet<ulong> _seen = [];

    /// <param name="whole">Limit of the whole script.</param>
    /// <param name="told">Told where it is; null where nobody listens.</param>
    public BatchRun Run(string script, TimeSpan whole, Action<BatchProgress>? told, CancellationToken stop) => BatchLoop.Run(script, PostgresEngine.Engine.Dialect, limit, whole, (sql, line, fold, within) =>
    {
        try
        {
            connection.Execute($"SET statement_timeout = {within.Milliseconds.ToString(CultureInfo.InvariantCulture)}", growth.Token);
            Execute(sql, line, fold, growth.Token);
        }
        catch (EngineException) when (growth.Exceeded is not null)
        {
            throw growth.Exceeded;
        }
        catch (EngineException e) when (e.TimeLimit)
        {
            throw new EngineException($"It took longer than {limit.TotalSeconds:0.###} s, the limit of one statement, or waited too long for a lock.", timeLimit: true);
        }
    }, told, counted, stop);

    private void Execute(string sql, int line, BatchFold fold, CancellationToken stop)
    {
        if (!counted || !Explained.Contains(StatementShape.Of(sql, PostgresEngine.Engine.Dialect).FirstWord))
        {
            string meant = PostgresCopy.SettingOf(sql) ?? sql;
            long start = Stopwatch.GetTimestamp();
            connection.Execute(meant, stop);
            fold.Add(sql, line, Stopwatch.GetElapsedTime(start).TotalMilliseconds, 0, 0, "", () => null);
            return;
        }

        bool first = _seen.Add(SqlPattern.HashOf(sql, PostgresEngine.Engine.Dialect));
        string json = connection.Told($"EXPLAIN (ANALYZE, {(first ? "" : "TIMING OFF, ")}BUFFERS, FORMAT JSON) {sql}", stop);
        if (PostgresPlanText.Read(json) is not { Roots: [var root, ..] } plan)
        {
            throw new EngineException("the server gave no plan that can be read");
        }

        fold.Add(sql, line, Milliseconds(plan, "Planning Time") + Milliseconds(plan, "Execution Time"), plan.Lines().Sum(l => l.Operator.Counts?.RowsVisited ?? 0), RowsOf(root), plan.Text, () => plan);
    }

    /// <summary>Rows returned; of a write that returns none, those that reached it.</summary>
    private static long RowsOf(PlanOperator root)
    {
        long returned = root.Counts?.RowsPassed ?? 0;
        bool writes = root.Text.Split(' ')[0] is "Insert" or "Update" or "Delete" or "Merge";
        return returned > 0 || !writes ? returned : root.Children.Where(c => !c.Details.ContainsKey("Parent Relationship")).Sum(c => c.Counts?.RowsPassed ?? 0);
    }

    private static double Milliseconds(Plan plan, string name) =>
        plan.Details.TryGetValue(name, out string? text) && double.TryParse(text, CultureInfo.InvariantCulture, out double number) ? number : 0;
}
