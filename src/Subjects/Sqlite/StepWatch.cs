using System.Globalization;
using SQLitePCL;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// Runs a statement of a change and tells the tables that it names and went through: what reads or writes rows by as many steps of full scans as
/// they have rows, what alters the schema, whose scans the engine does not count, by steps of its virtual machine.
/// </summary>
/// <remarks>
/// SQLite documentation, "File Locking And Concurrency" and "Write-Ahead Logging": one connection writes at a time, to any table. "Status
/// Parameters for prepared statements": SQLITE_STMTSTATUS_FULLSCAN_STEP and VM_STEP.
/// </remarks>
internal static class StepWatch
{
    private const string OneWriter = "one connection writes at a time";

    /// <summary>The names of a database's tables.</summary>
    /// <exception cref="EngineException">They cannot be read.</exception>
    public static IReadOnlySet<string> Tables(SqliteConnection session)
    {
        var names = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        using sqlite3_stmt tables = session.Prepare("SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' AND sql NOT LIKE 'CREATE VIRTUAL%'");
        session.Drain(tables, () => names.Add(raw.sqlite3_column_text(tables, 0).utf8_to_string()));
        return names;
    }

    /// <param name="session">Of the side.</param>
    /// <param name="sql">One statement.</param>
    /// <param name="known">The tables before the change.</param>
    /// <exception cref="EngineException">The engine refused it.</exception>
    public static IReadOnlyList<StepHold> Execute(SqliteConnection session, string sql, IReadOnlySet<string> known)
    {
        using sqlite3_stmt statement = session.Prepare(sql);
        if (raw.sqlite3_stmt_readonly(statement) != 0)
        {
            session.Drain(statement);
            return [];
        }

        string first = StatementShape.Of(sql, SqliteEngine.Engine.Dialect).FirstWord;
        bool all = first == "vacuum";
        Dictionary<string, long> rows = (all ? known : NamesIn(sql).Where(known.Contains)).Distinct(StringComparer.OrdinalIgnoreCase).ToDictionary(n => n, n => RowsOf(session, n));
        session.Drain(statement);

        // The step behind the last row is none.
        long went = first is "alter" or "create" or "drop" or "reindex" or "analyze" ? raw.sqlite3_stmt_status(statement, raw.SQLITE_STMTSTATUS_VM_STEP, 0) : raw.sqlite3_stmt_status(statement, raw.SQLITE_STMTSTATUS_FULLSCAN_STEP, 0) + 1L;
        return [.. rows.Where(r => all || r.Value <= went).Select(r => new StepHold(r.Key, HeldBack.Writes, "the database", all, r.Value, OneWriter))];
    }

    /// <returns>0 of a table that an earlier step dropped.</returns>
    private static long RowsOf(SqliteConnection session, string table)
    {
        try
        {
            return long.Parse(session.Ask($"SELECT count(*) FROM {SqliteConnection.Quoted(table)}"), CultureInfo.InvariantCulture);
        }
        catch (EngineException)
        {
            return 0;
        }
    }

    private static List<string> NamesIn(string sql)
    {
        var names = new List<string>();
        var lexer = new SqlLexer(sql, SqliteEngine.Engine.Dialect);
        while (lexer.TryReadSignificant(out Token token))
        {
            string text = lexer.TextOf(token).ToString();
            if (token.Kind is TokenKind.Word)
            {
                names.Add(text);
            }
            else if (token.Kind is TokenKind.QuotedIdentifier && text.Length > 1)
            {
                names.Add(text[1..^1].Replace($"{text[^1]}{text[^1]}", text[^1].ToString(), StringComparison.Ordinal));
            }
        }

        return names;
    }
}
