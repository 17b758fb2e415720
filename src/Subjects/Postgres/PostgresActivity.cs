using System.Diagnostics;
using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Live;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Looks at a server's sessions through one connection.</summary>
/// <remarks>PostgreSQL manual, 28.2.3 "pg_stat_activity", and 9.26 for pg_blocking_pids, which is asked only for sessions that wait for a lock.</remarks>
internal sealed class PostgresActivity : IServerActivity
{
    private const int LongestSql = 4_000;

    private static readonly string Query = $"""
        SELECT pid, coalesce(usename, ''), application_name, coalesce(state, ''), CASE WHEN state = 'active' THEN coalesce(wait_event_type, '') ELSE '' END,
          CASE WHEN state = 'active' THEN coalesce(wait_event, '') ELSE '' END, extract(epoch FROM clock_timestamp() - xact_start), extract(epoch FROM clock_timestamp() - query_start),
          left(query, {LongestSql}), CASE WHEN wait_event_type = 'Lock' THEN array_to_string(pg_blocking_pids(pid), ',') ELSE '' END
        FROM pg_stat_activity
        WHERE backend_type IN ('client backend', 'parallel worker') AND datname = current_database() AND pid <> pg_backend_pid() AND state <> 'idle'
        """;

    private readonly PostgresConnection _connection;
    private readonly NpgsqlCommand _command;

    private PostgresActivity(PostgresConnection connection)
    {
        _connection = connection;

        // Planned once, and not at every look.
        _command = connection.Command(Query);
        PostgresConnection.Guarded(() =>
        {
            _command.Prepare();
            return true;
        });
    }

    /// <exception cref="SubjectException">No connection.</exception>
    public static PostgresActivity Open(string address)
    {
        PostgresConnection connection = PostgresSubject.Connect(PostgresSession.Questions(PostgresAddress.Parse(address)));
        try
        {
            connection.Execute("SET statement_timeout = '5s'");
            return new(connection);
        }
        catch (EngineException)
        {
            connection.Dispose();
            throw;
        }
    }

    /// <summary>Looks once.</summary>
    /// <param name="at">What time it is.</param>
    /// <exception cref="EngineException">The connection is lost, or the look took longer than five seconds.</exception>
    public ActivitySample Look(DateTimeOffset at)
    {
        long start = Stopwatch.GetTimestamp();
        List<string?[]> rows = PostgresConnection.RowsOf(_command);
        return new(at, [.. rows.Select(r => new SessionState(
            int.Parse(r[0]!, CultureInfo.InvariantCulture), r[1] ?? "", r[2] ?? "", r[3] ?? "", r[4] ?? "", r[5] ?? "", Number(r[6]), Number(r[7]), r[8] ?? "",
            [.. (r[9] ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries).Select(p => int.Parse(p, CultureInfo.InvariantCulture)).Where(p => p > 0)]))],
            Stopwatch.GetElapsedTime(start).TotalMilliseconds);
    }

    public void Dispose()
    {
        _command.Dispose();
        _connection.Dispose();
    }

    private static double? Number(string? text) => double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double number) ? number : null;
}
