using Npgsql;
using NpgsqlTypes;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A thin layer over the driver: values come and go as text, errors become our exceptions.</summary>
internal sealed class PostgresConnection : IDisposable
{
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
        var builder = new NpgsqlDataSourceBuilder(address.ConnectionString);

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

    public static EngineException Failure(Exception e) => e switch
    {
        PostgresException { SqlState: PostgresErrorCodes.QueryCanceled } p => new($"An execution took longer than its time limit ({p.MessageText})", timeLimit: true),
        PostgresException { SqlState: PostgresErrorCodes.LockNotAvailable } p => new($"A lock was not to be had in time ({p.MessageText})", timeLimit: true),
        PostgresException { SqlState: PostgresErrorCodes.AdminShutdown or PostgresErrorCodes.CrashShutdown } p => new($"The server ended the connection: {p.MessageText}"),
        PostgresException p => new(p.MessageText + (p.Hint is { Length: > 0 } hint ? $" ({hint.TrimEnd('.')})" : ""), p.Position > 0 ? p.Position - 1 : null),
        NpgsqlException { InnerException: { } inner } n => new($"{n.Message}: {inner.Message}"),
        _ => new(e.Message),
    };

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
