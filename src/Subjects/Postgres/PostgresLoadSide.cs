using System.Diagnostics;
using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Live;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A private database under a load. Where the time of its sessions goes is seen by looking at them through one more connection.</summary>
/// <remarks>
/// PostgreSQL manual, 28.2.3 "pg_stat_activity", for the kinds of waits, and 9.26 for pg_blocking_pids: it takes the lock manager for itself for a moment, so
/// that it is asked ten times a second at the most, and of sessions that wait for a lock alone.
/// </remarks>
internal sealed class PostgresLoadSide : ILoadSide
{
    private const int LongestSql = 300, LeastMilliseconds = 20, RestForEachLook = 10;

    private static readonly TimeSpan BetweenTrees = TimeSpan.FromMilliseconds(100);

    private const string Plain = $"""
        SELECT state, coalesce(wait_event_type, ''), coalesce(wait_event, ''), left(query, 300), pid, ''
        {From}
        """;

    private const string WithTree = $"""
        SELECT state, coalesce(wait_event_type, ''), coalesce(wait_event, ''), left(query, 300), pid,
          CASE WHEN wait_event_type OPERATOR(pg_catalog.=) 'Lock' THEN pg_catalog.array_to_string(pg_catalog.pg_blocking_pids(pid), ',') ELSE '' END,
          extract(epoch FROM pg_catalog.clock_timestamp() - xact_start)
        {From}
        """;

    private const string From = """
        FROM pg_catalog.pg_stat_activity
        WHERE datname OPERATOR(pg_catalog.=) pg_catalog.current_database() AND pid OPERATOR(pg_catalog.<>) pg_catalog.pg_backend_pid() AND state IN ('active', 'idle in transaction', 'idle in transaction (aborted)')
        """;

    private readonly Func<PostgresConnection> _connect;
    private readonly IReadOnlyList<LoadText> _texts;
    private readonly TimeSpan _limit;
    private readonly PostgresConnection _questions;
    private readonly NpgsqlCommand _look, _tree;
    private readonly PostgresCounts _counts;
    private readonly LockQueueFold _queues = new();
    private readonly List<PostgresLoadSession> _sessions = [];
    private readonly Dictionary<string, int> _statements = [];
    private readonly ManualResetEventSlim _ended = new(true);
    private readonly Dictionary<(string Kind, WaitMeaning Meaning, int Statement), long> _seen = [];
    private Thread? _looking;

    /// <param name="connect">Opens a session of the side.</param>
    /// <param name="questions">Looks on.</param>
    /// <param name="texts">The statements of the load.</param>
    /// <param name="limit">Of one execution.</param>
    /// <exception cref="EngineException">One of them is no plain statement.</exception>
    public PostgresLoadSide(Func<PostgresConnection> connect, PostgresConnection questions, IReadOnlyList<LoadText> texts, TimeSpan limit)
    {
        (_connect, _questions, _texts, _limit) = (connect, questions, texts, limit);
        using PostgresConnection checking = connect();
        for (int i = 0; i < texts.Count; i++)
        {
            string sql = PostgresLoadSession.Numbered(checking, texts[i]).Sql;
            checking.MustBePlain(sql);
            _statements[Begin(sql)] = i;
        }

        Durability = $"synchronous_commit {checking.Ask("SHOW synchronous_commit")}, fsync {checking.Ask("SHOW fsync")}";
        _counts = new(questions);
        (_look, _tree) = (questions.Command(Plain), questions.Command(WithTree));
        PostgresConnection.Guarded(() =>
        {
            _look.Prepare();
            _tree.Prepare();
            return true;
        });
    }

    public string Durability { get; }

    public long Bytes => long.Parse(_questions.Ask("SELECT pg_catalog.pg_database_size(pg_catalog.current_database())")!, CultureInfo.InvariantCulture);

    /// <summary>Why a server cannot have so many sessions more; null where it can.</summary>
    /// <param name="sessions">Wanted.</param>
    public string? Protest(int sessions)
    {
        string?[] room = _questions.Rows("SELECT pg_catalog.current_setting('max_connections')::int - pg_catalog.current_setting('superuser_reserved_connections')::int - (SELECT pg_catalog.count(*) FROM pg_catalog.pg_stat_activity WHERE backend_type OPERATOR(pg_catalog.=) 'client backend')::int, pg_catalog.current_setting('max_connections')")[0];
        int free = int.Parse(room[0]!, CultureInfo.InvariantCulture);
        return sessions <= free ? null : $"The server has room for {Math.Max(0, free)} more sessions (max_connections is {room[1]}), and this load wants {sessions}";
    }

    public ILoadSession Open()
    {
        var session = new PostgresLoadSession(_connect(), _texts, _limit);
        _sessions.Add(session);
        return session;
    }

    public void BeginStint()
    {
        _seen.Clear();
        _queues.Take();
        _counts.Begin(_sessions.Select(s => s.Schedule));
        _ended.Reset();
        _looking = new(Look) { IsBackground = true, Name = "looking at waits" };
        _looking.Start();
    }

    public StintSeen EndStint(double busyNanoseconds, long tasks)
    {
        _ended.Set();
        _looking?.Join();
        _looking = null;
        double all = _seen.Values.Sum();
        WaitShare[] waits = all == 0 ? [] :
        [.. _seen.GroupBy(s => (s.Key.Kind, s.Key.Meaning))
            .Select(g => new WaitShare(g.Key.Kind, g.Key.Meaning, g.Sum(s => s.Value) / all, g.MaxBy(s => s.Value).Key.Statement is var most and >= 0 ? most : null))
            .OrderByDescending(w => w.Share)];
        _sessions.ForEach(s => s.HandOver());
        return new(waits, _queues.Take(), _counts.End(tasks));
    }

    public IReadOnlyList<SqlValue> FirstColumn(string sql, int most)
    {
        using PostgresConnection connection = _connect();
        connection.Execute($"SET statement_timeout = {new ExecutionLimit(_limit).Milliseconds.ToString(CultureInfo.InvariantCulture)}");
        return connection.Undone(() => Read(connection, sql, most), readOnly: true);
    }

    public void Dispose()
    {
        _ended.Set();
        _looking?.Join();
        _sessions.ForEach(s => s.Dispose());
        _look.Dispose();
        _tree.Dispose();
        _questions.Dispose();
        _ended.Dispose();
    }

    private static List<SqlValue> Read(PostgresConnection connection, string sql, int most)
    {
        using NpgsqlCommand command = connection.Command(sql);
        return PostgresConnection.Guarded(() =>
        {
            var values = new List<SqlValue>();
            using NpgsqlDataReader reader = command.ExecuteReader();
            while (reader.Read())
            {
                if (values.Count < most)
                {
                    values.Add(reader.IsDBNull(0) ? SqlValue.Null : SqlValue.Of(reader.GetString(0)));
                }
            }

            return values;
        });
    }

    private void Look()
    {
        int rest = LeastMilliseconds;
        long lastTree = 0;
        while (!_ended.Wait(rest))
        {
            long start = Stopwatch.GetTimestamp();
            bool asksWhom = Stopwatch.GetElapsedTime(lastTree) >= BetweenTrees;
            try
            {
                List<string?[]> rows = PostgresConnection.RowsOf(asksWhom ? _tree : _look);
                int busy = 0;
                foreach (string?[] row in rows)
                {
                    (string kind, WaitMeaning meaning) = PostgresWaits.MeaningOf(row[0]!, row[1]!, row[2]!);
                    if (kind.Length > 0)
                    {
                        busy++;
                        (string, WaitMeaning, int) key = (kind, meaning, StatementOf(row[3] ?? "") ?? -1);
                        _seen[key] = _seen.GetValueOrDefault(key) + 1;
                    }
                }

                if (asksWhom)
                {
                    lastTree = start;
                    _queues.Add(new(DateTimeOffset.UnixEpoch, [.. rows.Select(StateOf)], 0), busy, Doing, StatementOf);
                }
            }
            catch (EngineException)
            {
                // The server went away: the sessions will say so.
                return;
            }

            // A look takes no more than a tenth of one session's time, however many sessions there are.
            rest = Math.Max(LeastMilliseconds, (int)(Stopwatch.GetElapsedTime(start).TotalMilliseconds * RestForEachLook));
        }
    }

    private static SessionState StateOf(string?[] row) => new(
        int.Parse(row[4]!, CultureInfo.InvariantCulture), "", "", row[0]!, row[1]!, row[2]!, double.TryParse(row[6], NumberStyles.Float, CultureInfo.InvariantCulture, out double age) ? age : null, null, row[3] ?? "",
        [.. (row[5] ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries).Select(p => int.Parse(p, CultureInfo.InvariantCulture)).Where(p => p > 0)]);

    private static (string Kind, WaitMeaning Meaning) Doing(SessionState session) => PostgresWaits.MeaningOf(session.State, session.WaitKind, session.WaitFor) is { Kind.Length: > 0 } told ? told : ("waiting for the client", WaitMeaning.Other);

    private int? StatementOf(string sql) => _statements.TryGetValue(Begin(sql), out int index) ? index : null;

    private static string Begin(string sql) => sql.Length <= LongestSql ? sql : sql[..LongestSql];
}
