using System.Text;
using SQLitePCL;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A thin layer over the engine's own calls: errors become exceptions, and nothing happens behind one's back.</summary>
internal sealed class SqliteConnection : IDisposable
{
    /// <summary>How the engine's complaints begin of what a build or an application brings along.</summary>
    private static readonly string[] NotBuiltIn = ["no such function: ", "no such module: ", "no such collation sequence: ", "no such vfs: "];

    static SqliteConnection() => SqliteLibrary.Ensure();

    private SqliteConnection(sqlite3 handle) => Handle = handle;

    public sqlite3 Handle { get; }

    public static string EngineVersion
    {
        get
        {
            SqliteLibrary.Ensure();
            return raw.sqlite3_libversion().utf8_to_string();
        }
    }

    public bool InTransaction => raw.sqlite3_get_autocommit(Handle) == 0;

    /// <param name="target">A path, or a file: URI when <paramref name="flags"/> say so.</param>
    public static SqliteConnection Open(string target, int flags)
    {
        int rc = raw.sqlite3_open_v2(target, out sqlite3 handle, flags | raw.SQLITE_OPEN_NOMUTEX, null);
        var connection = new SqliteConnection(handle);
        if (rc != raw.SQLITE_OK)
        {
            string message = raw.sqlite3_errmsg(handle).utf8_to_string();
            connection.Dispose();
            throw new EngineException(message);
        }

        raw.sqlite3_extended_result_codes(handle, 1);
        return connection;
    }

    /// <summary>Prepares one statement.</summary>
    /// <exception cref="EngineException">It cannot be prepared, is none, or is followed by another one: the engine would leave that out without a word.</exception>
    public sqlite3_stmt Prepare(string sql)
    {
        int rc = raw.sqlite3_prepare_v2(Handle, sql, out sqlite3_stmt statement, out string tail);
        if (rc != raw.SQLITE_OK)
        {
            throw Failure(sql);
        }

        if (statement.IsInvalid)
        {
            throw new EngineException("there is no statement in this text");
        }

        if (tail.Length > 0 && new SqlLexer(tail, SqliteEngine.Engine.Dialect) is var lexer && HoldsMore(ref lexer))
        {
            statement.Dispose();
            throw new EngineException("the engine takes this text for several statements", sql.Length - tail.Length);
        }

        return statement;
    }

    private static bool HoldsMore(ref SqlLexer lexer)
    {
        while (lexer.TryReadSignificant(out Token token))
        {
            if (token.Kind != TokenKind.Semicolon)
            {
                return true;
            }
        }

        return false;
    }

    /// <summary>EXPLAIN QUERY PLAN of a statement; empty for one that explains by itself.</summary>
    public Plan Explain(string sql)
    {
        if (sql.StartsWith("EXPLAIN", StringComparison.OrdinalIgnoreCase))
        {
            return new([]);
        }

        using sqlite3_stmt statement = Prepare("EXPLAIN QUERY PLAN " + sql);
        var rows = new List<(int, int, string)>();
        while (raw.sqlite3_step(statement) == raw.SQLITE_ROW)
        {
            rows.Add((raw.sqlite3_column_int(statement, 0), raw.sqlite3_column_int(statement, 1), raw.sqlite3_column_text(statement, 3).utf8_to_string()));
        }

        return PlanText.Build(rows);
    }

    public void Execute(string sql)
    {
        using sqlite3_stmt statement = Prepare(sql);
        Drain(statement);
    }

    public string Ask(string sql)
    {
        using sqlite3_stmt statement = Prepare(sql);
        int rc = raw.sqlite3_step(statement);
        return rc is raw.SQLITE_ROW ? raw.sqlite3_column_text(statement, 0).utf8_to_string()
            : rc is raw.SQLITE_DONE ? "" : throw Failure();
    }

    /// <summary>Runs a prepared statement to its end.</summary>
    /// <param name="row">Told at each of its rows; null where nobody wants them.</param>
    /// <exception cref="EngineException">It did not come to its end.</exception>
    public void Drain(sqlite3_stmt statement, Action? row = null)
    {
        int rc;
        while ((rc = raw.sqlite3_step(statement)) == raw.SQLITE_ROW)
        {
            row?.Invoke();
        }

        if (rc != raw.SQLITE_DONE)
        {
            EngineException failure = Failure();
            _ = raw.sqlite3_reset(statement);
            throw failure;
        }

        _ = raw.sqlite3_reset(statement);
    }

    public static void Bind(sqlite3_stmt statement, IReadOnlyList<Binding> bindings)
    {
        foreach ((int i, string key) in ParametersOf(statement).Index())
        {
            if (bindings.FirstOrDefault(b => b.Key == key)?.Value is { } value)
            {
                Bind(statement, i + 1, value);
            }
        }
    }

    /// <summary>Keys of a statement's parameters, by their places.</summary>
    public static IReadOnlyList<string> ParametersOf(sqlite3_stmt statement) => [.. Enumerable.Range(1, raw.sqlite3_bind_parameter_count(statement)).Select(i =>
        raw.sqlite3_bind_parameter_name(statement, i).utf8_to_string() is { Length: > 1 } name ? name[1..] : i.ToString(System.Globalization.CultureInfo.InvariantCulture))];

    /// <summary>What the engine says about its latest error.</summary>
    /// <param name="sql">The text that the error's place refers to, when it was being prepared.</param>
    public EngineException Failure(string? sql = null)
    {
        string message = raw.sqlite3_errmsg(Handle).utf8_to_string();
        int at = sql is null ? -1 : Native.ErrorOffset(Handle);
        int code = raw.sqlite3_errcode(Handle) & 0xff;

        // The engine says that there is no more; the bound is ours.
        bool bound = code is raw.SQLITE_NOMEM or raw.SQLITE_TOOBIG;
        message = code == raw.SQLITE_NOMEM ? "It wanted more memory than a trial's processes may take (--most-megabytes)"
            : code == raw.SQLITE_TOOBIG ? $"{message}: a value or a row may have {SqliteBounds.LongestValue >> 20} MiB, a statement {SqliteBounds.LongestStatement >> 20}"
            : NotBuiltIn.Any(n => message.StartsWith(n, StringComparison.Ordinal)) ? $"{message}: this build of SQLite ({EngineVersion}) has none, and what an application adds to its own connections is not here"
            : message;
        return new(message, sql is not null && at >= 0 ? CodeUnits(sql, at) : null) { Code = code.ToString(System.Globalization.CultureInfo.InvariantCulture), Bound = bound };
    }

    public void Dispose() => Handle.Dispose();

    private static int CodeUnits(string sql, int byteOffset)
    {
        byte[] bytes = Encoding.UTF8.GetBytes(sql);
        return Encoding.UTF8.GetCharCount(bytes, 0, Math.Min(byteOffset, bytes.Length));
    }

    /// <summary>A name as an identifier in quotes.</summary>
    public static string Quoted(string name) => $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    /// <summary>Binds one parameter, by its number from 1.</summary>
    public static void Bind(sqlite3_stmt statement, int index, SqlValue value) => _ = value.Kind switch
    {
        SqlValueKind.Null => raw.sqlite3_bind_null(statement, index),
        SqlValueKind.Integer or SqlValueKind.Boolean => raw.sqlite3_bind_int64(statement, index, value.Integer),
        SqlValueKind.Real => raw.sqlite3_bind_double(statement, index, value.Real),
        SqlValueKind.Text => raw.sqlite3_bind_text(statement, index, value.Text),
        _ => raw.sqlite3_bind_blob(statement, index, value.Blob.ToArray()),
    };
}
