using System.Data;
using Npgsql;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>One statement of a unit of work, prepared on the server.</summary>
internal sealed class PostgresUnitStep : IUnitStep
{
    private readonly NpgsqlCommand _command;
    private readonly byte[] _buffer = new byte[PostgresRows.ValueBuffer];
    private readonly uint[] _types;
    private NpgsqlDataReader? _reader;

    /// <exception cref="EngineException">The server cannot prepare it.</exception>
    private PostgresUnitStep(PostgresConnection connection, PostgresParameters parameters, bool writes)
    {
        Parameters = parameters.Keys;
        Writes = writes;
        _command = connection.Command(parameters.Sql, parameters.Values);
        try
        {
            (Columns, _types) = PostgresConnection.Guarded(() =>
            {
                _command.Prepare();
                using NpgsqlDataReader described = _command.ExecuteReader(CommandBehavior.SchemaOnly);
                string[] names = [.. Enumerable.Range(0, described.FieldCount).Select(described.GetName)];
                return (names, names.Select((_, i) => described.GetDataTypeOID(i)).ToArray());
            });
        }
        catch (EngineException e)
        {
            _command.Dispose();
            throw new EngineException(parameters.Explained(e), parameters.Original(e.Offset), e.TimeLimit) { Code = e.Code };
        }
    }

    public IReadOnlyList<string> Parameters { get; }

    public IReadOnlyList<string> Columns { get; }

    public bool Writes { get; }

    public long Affected { get; private set; }

    /// <summary>Asks the server whether each statement of a unit reads or writes rows, and does nothing else; in a transaction that is rolled back.</summary>
    /// <exception cref="EngineException">One does, or is wrong.</exception>
    public static bool MustBePlain(PostgresConnection connection, WorkUnit unit, IReadOnlyList<Binding> bindings)
    {
        foreach (UnitStatement statement in unit.Statements)
        {
            var parameters = PostgresParameters.Of(new CaseRun(statement.Sql, bindings));
            try
            {
                connection.MustBePlain(parameters.Probe ?? parameters.Sql);
            }
            catch (EngineException e)
            {
                int? at = parameters.Probe is null ? parameters.Original(e.Offset) : null;
                throw new EngineException(parameters.Explained(e), at is null ? null : statement.Body.Start + at, e.TimeLimit) { Code = e.Code };
            }
        }

        return true;
    }

    /// <summary>Prepares a unit.</summary>
    /// <param name="typed">Numbers the parameters of one of its statements.</param>
    /// <exception cref="EngineException">The server cannot prepare a statement, or a parameter has no value.</exception>
    public static UnitLoop LoopOf(PostgresConnection connection, WorkUnit unit, IReadOnlyList<Binding> bindings, ExecutionLimit limit, Func<CaseRun, PostgresParameters> typed) =>
        new(unit, bindings, s => new PostgresUnitStep(connection, typed(new(s.Sql, bindings)), PostgresInspector.Writes(s.Sql)), limit);

    public void Set(int parameter, SqlValue value) => _command.Parameters[parameter].Value = (object?)PostgresParameters.TextOf(value) ?? DBNull.Value;

    public void Execute(Action? row) => PostgresConnection.Guarded(() =>
    {
        // A row that somebody stands on is read more than once.
        using NpgsqlDataReader reader = _command.ExecuteReader(row is null ? CommandBehavior.SequentialAccess : CommandBehavior.Default);
        _reader = reader;
        while (reader.Read())
        {
            row?.Invoke();
        }

        reader.Close();
        _reader = null;
        Affected = Writes ? Math.Max(0, (long)reader.RecordsAffected) : 0;
        return true;
    });

    public SqlValue Value(int column) => _reader!.IsDBNull(column) ? SqlValue.Null : SqlValue.Of(_reader.GetString(column));

    public void AddTo(RowHash hash)
    {
        for (int i = 0; i < _types.Length; i++)
        {
            PostgresRows.AddColumn(_reader!, i, hash, _buffer);
        }
    }

    public void AddNothingTo(RowHash hash)
    {
        foreach (uint type in _types)
        {
            PostgresRows.AddNull(type, hash);
        }
    }

    public IReadOnlyList<(string Type, string Value)> Shown(bool whole) =>
        [.. Enumerable.Range(0, _types.Length).Select(i => (_reader!.GetDataTypeName(i), _reader.IsDBNull(i) ? "NULL"
            : whole ? PostgresConnection.Literal(_reader.GetString(i)) : PostgresRows.Shown(_types[i], _reader.GetString(i))))];

    public void Dispose() => PostgresConnection.LetGo(_command);
}
