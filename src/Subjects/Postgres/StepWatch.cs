using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Runs a statement of a change in a transaction of its own, and asks the server before its end which tables it holds and how many of their rows it read.</summary>
/// <remarks>
/// PostgreSQL's manual, 13.3 "Explicit Locking": what conflicts with ROW EXCLUSIVE holds back who writes, ACCESS EXCLUSIVE also who reads. 28.2:
/// pg_stat_xact_all_tables counts what the transaction itself did. A table whose relfilenode is another one was written anew.
/// </remarks>
/// <param name="session">Of the side.</param>
/// <param name="known">The tables before the change.</param>
internal sealed class StepWatch(PostgresConnection session, IReadOnlyDictionary<string, StepWatch.Held> known)
{
    private const string Locks = """
        SELECT relation, max(CASE mode WHEN 'AccessExclusiveLock' THEN 2 ELSE 1 END), string_agg(DISTINCT mode, ', ')
        FROM pg_catalog.pg_locks
        WHERE pid = pg_catalog.pg_backend_pid() AND locktype = 'relation' AND granted AND mode IN ('ShareLock', 'ShareRowExclusiveLock', 'ExclusiveLock', 'AccessExclusiveLock')
        GROUP BY relation
        """;

    /// <summary>Of all that the session did and has not handed in yet, which happens between transactions: only a difference within one says what a statement did.</summary>
    private const string Counts = "SELECT relid, coalesce(seq_tup_read, 0) + coalesce(idx_tup_fetch, 0), n_tup_upd + n_tup_del FROM pg_catalog.pg_stat_xact_all_tables";

    /// <summary>A table, with the file that its rows stand in.</summary>
    /// <param name="Name">As statements have to name it.</param>
    /// <param name="File">Its relfilenode.</param>
    /// <param name="Rows">That the statistics believe in; null where they know nothing.</param>
    internal sealed record Held(string Name, string File, long? Rows);

    /// <summary>Which tables the latest statement held; null where it controls transactions itself, or allows none around it, and so lets go of what it held before anybody can look.</summary>
    public IReadOnlyList<StepHold>? Holds { get; private set; } = [];

    /// <summary>The tables of a database, by their oid.</summary>
    public static IReadOnlyDictionary<string, Held> Tables(PostgresConnection session) => session.Rows("""
        SELECT c.oid, c.oid::pg_catalog.regclass, c.relfilenode, CASE WHEN c.reltuples > 0 THEN c.reltuples::bigint END
        FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
        WHERE c.relkind IN ('r', 'p', 'm') AND n.nspname NOT IN ('pg_catalog', 'information_schema', 'pg_toast') AND n.nspname NOT LIKE 'pg\_temp%'
        """).ToDictionary(r => r[0]!, r => new Held(r[1]!, r[2]!, r[3] is { } rows ? long.Parse(rows, CultureInfo.InvariantCulture) : null));

    /// <summary>Whether a statement begins or ends a transaction, or a part of one.</summary>
    public static bool EndsTransactions(string sql) =>
        StatementShape.Of(sql, PostgresEngine.Engine.Dialect).FirstWord is "begin" or "commit" or "rollback" or "start" or "end" or "abort" or "savepoint" or "release";

    /// <exception cref="EngineException">The engine refused it.</exception>
    public void Execute(string sql, CancellationToken stop)
    {
        Holds = [];
        string first = StatementShape.Of(sql, PostgresEngine.Engine.Dialect).FirstWord;
        bool inside = session.InTransaction;

        // What wants a transaction around it has to be refused where the change gives it none.
        if (EndsTransactions(sql) || (!inside && first is "lock" or "declare"))
        {
            session.Execute(sql, stop);
            return;
        }

        IReadOnlyDictionary<string, Held> before = Tables(session);
        Seen? seen = inside ? Within(sql, stop) : InOwnTransaction(sql, stop);
        IReadOnlyDictionary<string, Held> after = Tables(session);
        bool emptied = first == "truncate";
        var told = new List<StepHold>();
        foreach ((string oid, Held table) in before.Where(t => known.ContainsKey(t.Key)))
        {
            bool anew = !emptied && after.TryGetValue(oid, out Held? now) && now.File != table.File;
            if (seen?.Locks.Find(l => l[0] == oid) is { } by)
            {
                long rows = seen.Of(oid).Read;
                told.Add(new(table.Name, by[1] == "2" ? HeldBack.Reads : HeldBack.Writes, table.Name, anew, anew ? table.Rows ?? rows : rows, by[2]!));
            }
            else if (seen?.Of(oid).Written is > 0 and var written)
            {
                told.Add(new(table.Name, HeldBack.Writes, "the rows that it writes", false, written, "a lock on each row"));
            }
            else if (anew)
            {
                told.Add(new(table.Name, HeldBack.Reads, table.Name, true, table.Rows, "its rows stand in another file"));
            }
        }

        Holds = seen is null && told.Count == 0 && !HoldsNothing(first, sql) ? null : told;
    }

    /// <summary>Whether what allows no transaction around it lets others go on (PostgreSQL's manual, VACUUM, CLUSTER, "Building Indexes Concurrently"); where VACUUM or CLUSTER wrote a table anew, its file told.</summary>
    private static bool HoldsNothing(string first, string sql)
    {
        var lexer = new SqlLexer(sql, PostgresEngine.Engine.Dialect);
        bool concurrently = false;
        while (!concurrently && lexer.TryReadSignificant(out Token token))
        {
            concurrently = token.Kind == TokenKind.Word && lexer.TextOf(token).Equals("concurrently", StringComparison.OrdinalIgnoreCase);
        }

        return concurrently || first is "vacuum" or "cluster";
    }

    /// <summary>What a statement held, and read of each table.</summary>
    private sealed record Seen(List<string?[]> Locks, Dictionary<string, (long Read, long Written)> Before, Dictionary<string, (long Read, long Written)> After)
    {
        public (long Read, long Written) Of(string oid)
        {
            ((long read, long written), (long more, long anew)) = (Before.GetValueOrDefault(oid), After.GetValueOrDefault(oid));
            return (more - read, anew - written);
        }
    }

    private Dictionary<string, (long Read, long Written)> SoFar() =>
        session.Rows(Counts).ToDictionary(r => r[0]!, r => (long.Parse(r[1]!, CultureInfo.InvariantCulture), long.Parse(r[2]!, CultureInfo.InvariantCulture)));

    private Seen Within(string sql, CancellationToken stop)
    {
        Dictionary<string, (long Read, long Written)> before = SoFar();
        session.Execute(sql, stop);
        return new(session.Rows(Locks), before, SoFar());
    }

    /// <returns>Null where the statement allows no transaction around it.</returns>
    private Seen? InOwnTransaction(string sql, CancellationToken stop)
    {
        session.Execute("BEGIN", stop);
        Seen seen;
        try
        {
            // What workers read is counted as theirs.
            session.Execute("SET LOCAL max_parallel_maintenance_workers = 0", stop);
            session.Execute("SET LOCAL max_parallel_workers_per_gather = 0", stop);
            seen = Within(sql, stop);
            session.Execute("COMMIT", stop);
        }
        catch (EngineException e)
        {
            if (session.Handle.State == System.Data.ConnectionState.Open)
            {
                session.Execute("ROLLBACK", CancellationToken.None);
            }

            if (e.Code is not (PostgresErrorCodes.ActiveSqlTransaction or PostgresErrorCodes.InvalidTransactionTermination))
            {
                throw;
            }

            session.Execute(sql, stop);
            return null;
        }

        return seen;
    }
}
