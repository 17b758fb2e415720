using System.Diagnostics;
using System.Text;
using SQLitePCL;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines.Sqlite;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Runs a whole script on a private copy, and folds what each statement did.</summary>
/// <param name="bytes">The copy's size before it.</param>
/// <param name="counted">Whether the library is the one that counts.</param>
internal sealed class SqliteBatch(SqliteConnection connection, Watchdog watchdog, TimeSpan limit, ChangeBounds bounds, long bytes, bool counted)
{
    /// <summary>Runs until the script or the time is over, or the engine refuses a statement; what ran until then is told.</summary>
    /// <param name="whole">Of the whole script.</param>
    /// <param name="told">Told where it is; null where nobody listens.</param>
    public BatchRun Run(string script, TimeSpan whole, Action<BatchProgress>? told, CancellationToken stop = default) =>
        BatchLoop.Run(script, SqliteEngine.Engine.Dialect, limit, whole, Execute, told, counted, stop);

    private void Execute(string sql, int line, BatchFold fold, ExecutionLimit within)
    {
        watchdog.Arm(connection.Handle, within.Now);
        using sqlite3_stmt statement = connection.Prepare(sql);
        long start = Stopwatch.GetTimestamp(), rows = 0;
        int rc;
        while ((rc = raw.sqlite3_step(statement)) == raw.SQLITE_ROW)
        {
            rows++;
        }

        double took = Stopwatch.GetElapsedTime(start).TotalMilliseconds;
        EngineException? failure = rc == raw.SQLITE_DONE ? null
            : watchdog.Fired ? new($"It took longer than {limit.TotalSeconds:0.###} s, the limit of one statement.", timeLimit: true)
            : SqliteCopy.Bounded(connection.Failure(), bounds, bytes);
        watchdog.Disarm();
        if (failure is not null)
        {
            throw failure;
        }

        if (!counted)
        {
            fold.Add(sql, line, took, 0, rows, "", () => null);
            return;
        }

        (string plan, long visited) = Seen(statement);
        fold.Add(sql, line, took, visited, rows, plan, () => SqlitePlanCounter.Read(connection, statement));
    }

    private static (string Plan, long Visited) Seen(sqlite3_stmt statement)
    {
        StringBuilder? plan = null;
        long visited = 0;
        for (int i = 0; Native.ScanStatus.TryRead(statement, i, out ScanElement element); i++)
        {
            (plan ??= new()).Append(element.Text).Append('\n');
            visited += Math.Max(0, element.Visits);
        }

        return (plan?.ToString() ?? "", visited);
    }
}
