using System.Data;
using System.Diagnostics;
using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>What is prepared on the server, ready to be timed: a statement, or a unit of work; from sending to the last row, as an application sees it.</summary>
/// <param name="connection">Where.</param>
/// <param name="writes">Whether each execution is rolled back.</param>
/// <param name="readOnly">Whether each batch stands in a transaction that cannot write, and is rolled back.</param>
/// <param name="limit">Of one execution.</param>
internal abstract class PostgresCase(PostgresConnection connection, bool writes, bool readOnly, ExecutionLimit limit) : IPreparedCase
{
    /// <summary>Longer ones are not executed just to be thrown away.</summary>
    private const double MostDiscarded = 50_000;

    private readonly string? _schedule = connection.LocalProcess is { } folder ? Path.Combine(folder, "schedstat") : null;

    /// <exception cref="EngineException">The server cannot prepare it.</exception>
    public static PostgresCase Of(PostgresConnection connection, CaseRun run, bool rollsBack, bool readOnly, ExecutionLimit limit) =>
        run.Unit is { } unit
            ? new PostgresUnit(connection, unit, run.Bindings, rollsBack && PostgresInspector.Writes(run), readOnly, limit)
            : new PostgresPreparedCase(connection, run, rollsBack && PostgresInspector.Writes(run), readOnly, limit);

    /// <remarks>Workers that run a part in parallel are processes of their own, and not in it.</remarks>
    public ProcessorTime? EngineTime => _schedule is null ? null : ProcessorTime.Read(_schedule);

    protected ExecutionLimit Limit => limit;

    public double Execute(int times)
    {
        try
        {
            connection.Execute($"SET statement_timeout = {limit.Milliseconds.ToString(System.Globalization.CultureInfo.InvariantCulture)}");
            return (readOnly ? connection.Undone(() => Executed(times), readOnly: true) : Executed(times)) * (1e6 / Stopwatch.Frequency);
        }
        catch (Exception e) when (e is NpgsqlException or InvalidOperationException or IOException)
        {
            throw Placed(e);
        }
    }

    public void Discard(double microseconds)
    {
        // A statement on a server is not cut short from here without ending its connection's next one as well.
        if (microseconds * 5 <= MostDiscarded)
        {
            Execute(1);
        }
    }

    public abstract void Dispose();

    /// <summary>Executes once, to its last row.</summary>
    protected abstract void Run();

    /// <summary>What the server or the driver complains of, with its place in what was asked for.</summary>
    protected abstract EngineException Placed(Exception e);

    private long Executed(int times)
    {
        long ticks = 0;
        for (int i = 0; i < times; i++)
        {
            ticks += writes ? Written() : Once();
        }

        return ticks;
    }

    private long Once()
    {
        long start = Stopwatch.GetTimestamp();
        Run();
        return Stopwatch.GetTimestamp() - start;
    }

    private long Written()
    {
        connection.Execute("BEGIN");
        try
        {
            return Once();
        }
        finally
        {
            if (connection.Handle.State == ConnectionState.Open)
            {
                connection.Execute("ROLLBACK");
            }
        }
    }
}
