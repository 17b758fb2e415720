using Npgsql;
using NpgsqlTypes;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A thin layer over the driver: values come and go as text, errors become our exceptions.</summary>
/// <remarks>
/// Every text goes to the server as it stands, by the extended protocol, which takes one statement only (PostgreSQL manual, 55.2.3): the driver's own
/// splitting of texts at semicolons is off for the whole process.
/// </remarks>
internal sealed class PostgresConnection : IDisposable
{
    /// <summary>Where a transaction stands that nothing from outside may end.</summary>
    private const string Hold = "swift_ledger_hold";

    private static readonly Lazy<bool> OneStatementOnly = new(IsOff);

    static PostgresConnection() => AppContext.SetSwitch("Npgsql.EnableSqlRewriting", false);

    /// <summary>Whether the driver's splitting is off: it reads its switch once, and somebody may have come before us.</summary>
    private static bool IsOff() => typeof(NpgsqlCommand).GetField("EnableSqlRewriting", System.Reflection.BindingFlags.Static | System.Reflection.BindingFlags.NonPublic | System.Reflection.BindingFlags.Public)?.GetValue(null) is false;

    private readonly NpgsqlDataSource _source;
    private readonly NpgsqlConnection _connection;

    private PostgresConnection(NpgsqlDataSource source, NpgsqlConnection connection) => (_source, _connection) = (source, connection);

    public NpgsqlConnection Handle => _connection;

    /// <summary>Where this machine tells of the server's process behind this connection; null where it runs elsewhere, or the connection is lost.</summary>
    public string? LocalProcess
    {
        get
        {
            if (_connection.State != System.Data.ConnectionState.Open)
            {
                return null;
            }

            bool here = _connection.Host is { } host && (host.StartsWith('/') || host is "localhost" or "127.0.0.1" or "::1");
            string folder = $"/proc/{_connection.ProcessID.ToString(System.Globalization.CultureInfo.InvariantCulture)}";
            try
            {
                return here && File.ReadAllText(Path.Combine(folder, "comm")).StartsWith("postgres", StringComparison.Ordinal) ? folder : null;
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return null;
            }
        }
    }

    /// <exception cref="EngineException">The server is not there, or refuses.</exception>
    public static PostgresConnection Open(NpgsqlConnectionStringBuilder address)
    {
        if (!OneStatementOnly.Value)
        {
            throw new EngineException("This process would split texts into statements by itself, which is not safe here: Npgsql.EnableSqlRewriting has to be false in its configuration");
        }

        var builder = new NpgsqlDataSourceBuilder(new NpgsqlConnectionStringBuilder(address.ConnectionString) { Pooling = false, Enlist = false, Multiplexing = false }.ConnectionString);

        // Values come as text: the server's list of types is not needed, and not read.
        builder.ConfigureTypeLoading(types => types.EnableTypeLoading(false));
        NpgsqlDataSource source = builder.Build();
        NpgsqlConnection connection = source.CreateConnection();
        try
        {
            connection.Open();
            return new(source, connection);
        }
        catch (Exception e) when (e is NpgsqlException or TimeoutException or InvalidOperationException or ArgumentException or IOException or System.Security.Authentication.AuthenticationException)
        {
            connection.Dispose();
            source.Dispose();
            throw Failure(e);
        }
    }

    public NpgsqlCommand Command(string sql, params IReadOnlyList<string?> values)
    {
        var command = new NpgsqlCommand(sql, _connection) { AllResultTypesAreUnknown = true };
        foreach (string? value in values)
        {
            // The server decides on the type, as it does for a literal.
            command.Parameters.Add(new() { Value = (object?)value ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Unknown });
        }

        return command;
    }

    /// <summary>Whether the server has a transaction open for this session, failed ones too: its own answer, for only there it takes a savepoint.</summary>
    public bool InTransaction
    {
        get
        {
            try
            {
                Execute("SAVEPOINT swift_ledger_open");
                return true;
            }
            catch (EngineException e) when (e.Code == PostgresErrorCodes.NoActiveSqlTransaction)
            {
                return false;
            }
            catch (EngineException e) when (e.Code == PostgresErrorCodes.InFailedSqlTransaction)
            {
                return true;
            }
        }
    }

    /// <summary>Runs something in a transaction that is rolled back, also where it failed, and in which nothing it executes can end that transaction unseen.</summary>
    /// <param name="readOnly">Whether the server refuses writes in it. What runs stands behind a savepoint: there even the session itself cannot make it writable (variable.c, check_transaction_read_only).</param>
    /// <exception cref="SubjectException">A statement ended the transaction: the session is dropped.</exception>
    public T Undone<T>(Func<T> work, bool readOnly)
    {
        Execute(readOnly ? "BEGIN READ ONLY" : "BEGIN");
        return Held(work, () => Execute("ROLLBACK"));
    }

    /// <summary>The same within a transaction that goes on.</summary>
    /// <exception cref="SubjectException">A statement ended the transaction: the session is dropped.</exception>
    public T Held<T>(Func<T> work) => Held(work, () => { });

    private T Held<T>(Func<T> work, Action end)
    {
        Execute($"SAVEPOINT {Hold}");
        try
        {
            return work();
        }
        finally
        {
            if (_connection.State == System.Data.ConnectionState.Open)
            {
                BackToHold();
                end();
            }
        }
    }

    /// <summary>Executes a statement from outside within a transaction: by the server's own rules it can neither end it nor be several.</summary>
    /// <remarks>PostgreSQL manual, 43.8 "Transaction Management": what EXECUTE runs within a block cannot control the transaction around it.</remarks>
    /// <exception cref="EngineException">The server refuses.</exception>
    /// <exception cref="SubjectException">It ended the transaction all the same: the session is dropped.</exception>
    public void ExecuteInside(string sql, CancellationToken stop)
    {
        Execute($"SAVEPOINT {Hold}", stop);
        Execute($"DO LANGUAGE plpgsql {Literal($"BEGIN EXECUTE {Literal(sql)}; END")}", stop);
        Release($"RELEASE SAVEPOINT {Hold}");
    }

    /// <summary>Asks the server whether a text is one statement that reads or writes rows, and none that controls the session or the schema: only such are prepared by name.</summary>
    /// <remarks>PostgreSQL manual, "PREPARE": "Any SELECT, INSERT, UPDATE, DELETE, MERGE, or VALUES statement".</remarks>
    /// <exception cref="EngineException">It is none, or is wrong.</exception>
    public void MustBePlain(string sql)
    {
        const string prefix = "PREPARE swift_ledger_plain AS ";
        try
        {
            Execute(prefix + sql);
        }
        catch (EngineException e) when (e.Offset is { } at)
        {
            throw new EngineException(e.Message, Math.Max(0, at - prefix.Length), e.TimeLimit) { Code = e.Code };
        }

        Execute("DEALLOCATE swift_ledger_plain");
    }

    /// <summary>Takes back what a transaction did since it is held, and makes one usable in which a statement failed.</summary>
    /// <exception cref="SubjectException">There is no such transaction any more: the session is dropped.</exception>
    public void BackToHold() => Release($"ROLLBACK TO SAVEPOINT {Hold}");

    private void Release(string sql)
    {
        try
        {
            Execute(sql);
        }
        catch (EngineException e) when (e.Code is PostgresErrorCodes.NoActiveSqlTransaction or PostgresErrorCodes.InvalidSavepointSpecification)
        {
            _connection.Close();
            throw SubjectException.Because("A statement ended the transaction that it was held in: its session is dropped, and the trial ends. Transactions are controlled by the trial alone here.");
        }
    }

    public void Execute(string sql, CancellationToken stop = default)
    {
        using NpgsqlCommand command = Command(sql);
        using CancellationTokenRegistration stopping = stop.Register(command.Cancel);
        Guarded(command.ExecuteNonQuery);
    }

    /// <summary>The first value of a statement that takes its time.</summary>
    /// <exception cref="EngineException">Whatever the server complains of, also that it was stopped.</exception>
    public string Told(string sql, CancellationToken stop)
    {
        using NpgsqlCommand command = Command(sql);
        using CancellationTokenRegistration stopping = stop.Register(command.Cancel);
        return RowsOf(command)[0][0] ?? "";
    }

    /// <summary>The first value of the first row; null where there is no row, or it is NULL.</summary>
    public string? Ask(string sql, params IReadOnlyList<string?> values) => Rows(sql, values).FirstOrDefault()?[0];

    public List<string?[]> Rows(string sql, params IReadOnlyList<string?> values)
    {
        using NpgsqlCommand command = Command(sql, values);
        return RowsOf(command);
    }

    /// <summary>All rows of a command, its values as text.</summary>
    /// <exception cref="EngineException">Whatever the driver or the server complains of.</exception>
    public static List<string?[]> RowsOf(NpgsqlCommand command) => Guarded(() =>
    {
        using NpgsqlDataReader reader = command.ExecuteReader();
        var rows = new List<string?[]>();
        while (reader.Read())
        {
            rows.Add([.. Enumerable.Range(0, reader.FieldCount).Select(i => reader.IsDBNull(i) ? null : reader.GetString(i))]);
        }

        return rows;
    });

    /// <exception cref="EngineException">Whatever the driver or the server complains of.</exception>
    public static T Guarded<T>(Func<T> work)
    {
        try
        {
            return work();
        }
        catch (Exception e) when (e is NpgsqlException or TimeoutException or IOException or InvalidOperationException or ObjectDisposedException)
        {
            throw Failure(e);
        }
    }

    /// <summary>Frees a prepared command on both sides.</summary>
    public static void LetGo(NpgsqlCommand command)
    {
        try
        {
            command.Unprepare();
        }
        catch (Exception e) when (e is NpgsqlException or InvalidOperationException or IOException)
        {
            // The connection is gone, and the statement with it.
        }

        command.Dispose();
    }

    public static EngineException Failure(Exception e) => e switch
    {
        PostgresException { SqlState: PostgresErrorCodes.QueryCanceled } p => new($"An execution took longer than its time limit ({p.MessageText})", timeLimit: true) { Code = p.SqlState },
        PostgresException { SqlState: PostgresErrorCodes.LockNotAvailable } p => new($"A lock was not to be had in time ({p.MessageText})", timeLimit: true),
        PostgresException { SqlState: PostgresErrorCodes.AdminShutdown or PostgresErrorCodes.CrashShutdown } p => new($"The server ended the connection: {p.MessageText}"),
        PostgresException p => new(p.MessageText + (p.Detail is { Length: > 0 } detail ? $": {detail.TrimEnd('.')}" : "") + (p.Hint is { Length: > 0 } hint ? $" ({hint.TrimEnd('.')})" : ""), p.Position > 0 ? p.Position - 1 : PositionInside(p)) { Code = p.SqlState },
        NpgsqlException { InnerException: { } inner } n => new($"{n.Message}: {inner.Message}"),
        _ => new(e.Message),
    };

    /// <summary>The place in a statement that ran by <see cref="ExecuteInside"/>, where the mistake is in it and not in a function that it called.</summary>
    private static int? PositionInside(PostgresException p) =>
        p.InternalPosition > 0 && p.Where is { } where && where.Contains("inline_code_block", StringComparison.Ordinal) && !where.Contains('\n') ? p.InternalPosition - 1 : null;

    public void Dispose()
    {
        _connection.Dispose();
        _source.Dispose();
    }

    /// <summary>A name as an identifier, whatever it holds.</summary>
    public static string Quoted(string name) => $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    /// <summary>A text as a literal, whatever it holds.</summary>
    public static string Literal(string text) => $"'{text.Replace("'", "''", StringComparison.Ordinal)}'";
}
