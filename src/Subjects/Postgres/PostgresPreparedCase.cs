using System.Data;
using System.Diagnostics;
using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A statement prepared on the server with its values, ready to be timed: from sending to the last row, as an application sees it.</summary>
internal sealed class PostgresPreparedCase : IPreparedCase
{
    /// <summary>Longer ones are not executed just to be thrown away.</summary>
    private const double MostDiscarded = 50_000;

    private readonly PostgresConnection _connection;
    private readonly PostgresParameters _parameters;
    private readonly NpgsqlCommand _command;
    private readonly bool _writes;
    private readonly bool _readOnly;
    private readonly ExecutionLimit _limit;
    private readonly string? _schedule;

    /// <param name="writes">Whether each execution is rolled back.</param>
    /// <param name="readOnly">Whether each batch stands in a transaction that cannot write, and is rolled back.</param>
    /// <exception cref="EngineException">The server cannot prepare it.</exception>
    public PostgresPreparedCase(PostgresConnection connection, CaseRun run, bool writes, bool readOnly, ExecutionLimit limit)
    {
        _connection = connection;
        _writes = writes;
        _readOnly = readOnly;
        _limit = limit;
        _schedule = connection.LocalProcess is { } folder ? Path.Combine(folder, "schedstat") : null;
        _parameters = PostgresParameters.Of(run) is { Probe: null } plain ? plain : connection.Undone(() => PostgresParameters.Of(run, connection), readOnly: true);
        _command = connection.Command(_parameters.Sql, _parameters.Values);
        try
        {
            _command.Prepare();
        }
        catch (Exception e) when (e is NpgsqlException or InvalidOperationException or IOException)
        {
            _command.Dispose();
            throw Placed(e);
        }
    }

    /// <remarks>Workers that run a part in parallel are processes of their own, and not in it.</remarks>
    public ProcessorTime? EngineTime => _schedule is null ? null : ProcessorTime.Read(_schedule);

    public double Execute(int times)
    {
        try
        {
            _connection.Execute($"SET statement_timeout = {_limit.Milliseconds.ToString(System.Globalization.CultureInfo.InvariantCulture)}");
            return (_readOnly ? _connection.Undone(() => Executed(times), readOnly: true) : Executed(times)) * (1e6 / Stopwatch.Frequency);
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

    public void Dispose()
    {
        try
        {
            _command.Unprepare();
        }
        catch (Exception e) when (e is NpgsqlException or InvalidOperationException or IOException)
        {
            // The connection is gone, and the statement with it.
        }

        _command.Dispose();
    }

    private long Executed(int times)
    {
        long ticks = 0;
        for (int i = 0; i < times; i++)
        {
            ticks += _writes ? Written() : Once();
        }

        return ticks;
    }

    private long Once()
    {
        long start = Stopwatch.GetTimestamp();
        using (NpgsqlDataReader reader = _command.ExecuteReader(CommandBehavior.SequentialAccess))
        {
            while (reader.Read())
            {
            }
        }

        return Stopwatch.GetTimestamp() - start;
    }

    private long Written()
    {
        _connection.Execute("BEGIN");
        try
        {
            return Once();
        }
        finally
        {
            if (_connection.Handle.State == ConnectionState.Open)
            {
                _connection.Execute("ROLLBACK");
            }
        }
    }

    private EngineException Placed(Exception e)
    {
        EngineException failure = PostgresConnection.Failure(e);
        return new(failure.TimeLimit ? _limit.Exceeded.Message : failure.Message, _parameters.Original(failure.Offset), failure.TimeLimit);
    }
}
