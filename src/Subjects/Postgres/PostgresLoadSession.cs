using System.Data;
using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>One session of a load on a server: every statement prepared once, as an application does.</summary>
internal sealed class PostgresLoadSession : ILoadSession
{
    private readonly PostgresConnection _connection;
    private readonly (NpgsqlCommand Command, int[] At)[] _statements;
    private readonly NpgsqlCommand _begin, _commit, _rollback;
    private bool _inTransaction;

    /// <exception cref="EngineException">The server refuses a statement.</exception>
    public PostgresLoadSession(PostgresConnection connection, IReadOnlyList<LoadText> texts, TimeSpan limit)
    {
        _connection = connection;
        Schedule = connection.LocalProcess is { } folder ? Path.Combine(folder, "schedstat") : null;
        connection.Execute($"SET statement_timeout = {new ExecutionLimit(limit).Milliseconds.ToString(CultureInfo.InvariantCulture)}");
        (_begin, _commit, _rollback) = (connection.Command("BEGIN"), connection.Command("COMMIT"), connection.Command("ROLLBACK"));
        _statements = [.. texts.Select(t => Prepared(connection, t))];
    }

    public string Message { get; private set; } = "";

    /// <summary>Where this machine tells of the processor time of its process; null where it runs elsewhere.</summary>
    public string? Schedule { get; }

    public LoadOutcome Begin(LoadTask task) => Run(_begin, begins: true);

    public LoadOutcome Execute(int statement, ReadOnlySpan<SqlValue> values)
    {
        (NpgsqlCommand command, int[] at) = _statements[statement];
        for (int i = 0; i < at.Length; i++)
        {
            command.Parameters[i].Value = at[i] >= 0 && PostgresParameters.TextOf(values[at[i]]) is { } text ? text : DBNull.Value;
        }

        return Run(command);
    }

    public LoadOutcome Commit() => Run(_commit, ends: true);

    public void Rollback()
    {
        if (_inTransaction)
        {
            Run(_rollback, ends: true);
        }
    }

    /// <summary>Hands over what its process counted, where the server lets us ask for that: by itself it does so about once a second.</summary>
    /// <remarks>PostgreSQL manual, 28.2.26 "Statistics Functions".</remarks>
    public void HandOver()
    {
        try
        {
            if (_connection.Handle is { State: ConnectionState.Open, PostgreSqlVersion.Major: >= 15 } && !_inTransaction)
            {
                _connection.Execute("SELECT pg_catalog.pg_stat_force_next_flush()");
            }
        }
        catch (EngineException)
        {
            // Lost, which the next execution says.
        }
    }

    public void Dispose()
    {
        foreach ((NpgsqlCommand command, _) in _statements)
        {
            command.Dispose();
        }

        _begin.Dispose();
        _commit.Dispose();
        _rollback.Dispose();
        _connection.Dispose();
    }

    /// <summary>A statement with its parameters numbered.</summary>
    internal static PostgresParameters Numbered(PostgresConnection connection, LoadText text)
    {
        var run = new CaseRun(text.Sql, []);
        return PostgresParameters.Of(run) is { Probe: null } plain ? plain : connection.Undone(() => PostgresParameters.Of(run, connection), readOnly: true);
    }

    private static (NpgsqlCommand Command, int[] At) Prepared(PostgresConnection connection, LoadText text)
    {
        PostgresParameters parameters = Numbered(connection, text);
        NpgsqlCommand command = connection.Command(parameters.Sql, parameters.Values);
        try
        {
            command.Prepare();
        }
        catch (Exception e) when (e is NpgsqlException or InvalidOperationException or IOException)
        {
            command.Dispose();
            EngineException failure = PostgresConnection.Failure(e);
            throw new EngineException(parameters.Explained(failure), parameters.Original(failure.Offset)) { Code = failure.Code };
        }

        return (command, [.. parameters.Keys.Select(k => text.Keys.ToList().IndexOf(k) is var at and >= 0 ? text.At[at] : -1)]);
    }

    private LoadOutcome Run(NpgsqlCommand command, bool begins = false, bool ends = false)
    {
        try
        {
            using (NpgsqlDataReader reader = command.ExecuteReader(CommandBehavior.SequentialAccess))
            {
                while (reader.Read())
                {
                }
            }

            _inTransaction = begins || (_inTransaction && !ends);
            return LoadOutcome.Done;
        }
        catch (PostgresException e)
        {
            Message = PostgresConnection.Failure(e).Message;
            return e.SqlState switch
            {
                PostgresErrorCodes.SerializationFailure => LoadOutcome.Conflict,
                PostgresErrorCodes.DeadlockDetected => LoadOutcome.Deadlock,
                PostgresErrorCodes.QueryCanceled or PostgresErrorCodes.LockNotAvailable => LoadOutcome.TimedOut,
                PostgresErrorCodes.AdminShutdown or PostgresErrorCodes.CrashShutdown => LoadOutcome.Lost,
                _ => LoadOutcome.Failed,
            };
        }
        catch (Exception e) when (e is NpgsqlException or InvalidOperationException or IOException or ObjectDisposedException)
        {
            Message = PostgresConnection.Failure(e).Message;
            return _connection.Handle.State == ConnectionState.Open ? LoadOutcome.Failed : LoadOutcome.Lost;
        }
    }
}
