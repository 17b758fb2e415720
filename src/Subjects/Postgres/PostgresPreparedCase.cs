using System.Data;
using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>One statement, prepared with its values.</summary>
internal sealed class PostgresPreparedCase : PostgresCase
{
    private readonly PostgresParameters _parameters;
    private readonly NpgsqlCommand _command;

    /// <param name="writes">Whether each execution is rolled back.</param>
    /// <param name="readOnly">Whether each batch stands in a transaction that cannot write, and is rolled back.</param>
    /// <exception cref="EngineException">The server cannot prepare it.</exception>
    public PostgresPreparedCase(PostgresConnection connection, CaseRun run, bool writes, bool readOnly, ExecutionLimit limit)
        : base(connection, writes, readOnly, limit)
    {
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

    public override void Dispose() => PostgresConnection.LetGo(_command);

    protected override void Run()
    {
        using NpgsqlDataReader reader = _command.ExecuteReader(CommandBehavior.SequentialAccess);
        while (reader.Read())
        {
        }
    }

    protected override EngineException Placed(Exception e)
    {
        EngineException failure = PostgresConnection.Failure(e);
        return new(failure.TimeLimit ? Limit.Exceeded.Message : failure.Message, _parameters.Original(failure.Offset), failure.TimeLimit);
    }
}
