using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>Statements of PostgreSQL that reach beyond the database that they run in: files, other databases, roles, the server itself.</summary>
/// <remarks>PostgreSQL manual, part VI "SQL Commands" and 9.28 "System Administration Functions".</remarks>
internal sealed class ServerReach : IStatementGuard
{
    private static readonly HashSet<string> OfTheServer = new(StringComparer.Ordinal)
    {
        "database", "role", "user", "group", "tablespace", "subscription", "server", "language", "event",
    };

    private static readonly HashSet<string> Functions = new(StringComparer.Ordinal)
    {
        "pg_read_file", "pg_read_binary_file", "pg_ls_dir", "pg_stat_file", "lo_import", "lo_export", "dblink", "dblink_exec", "dblink_connect", "pg_terminate_backend", "pg_cancel_backend",
        "pg_reload_conf", "pg_rotate_logfile", "pg_switch_wal", "pg_create_restore_point", "pg_promote", "pg_file_write", "pg_file_unlink", "pg_notify", "pg_logical_emit_message", "set_config",
    };

    public string? RefusalOfFirst(string first) => first switch
    {
        "copy" => "COPY is refused: it reads or writes files, or waits for data that no script holds.",
        "load" => "LOAD is refused: a trial runs no code but the engine's.",
        "listen" or "notify" or "unlisten" => $"{first.ToUpperInvariant()} is refused: it speaks with other sessions.",
        _ => null,
    };

    public string? RefusalOf(string first, string previous, string word, ReadOnlySpan<char> text)
    {
        if (first is "create" or "alter" or "drop" && previous == first && OfTheServer.Contains(word))
        {
            return $"{first.ToUpperInvariant()} {word.ToUpperInvariant()} is refused: it reaches beyond the trial's own copies.";
        }

        return first is "reassign" ? "REASSIGN OWNED is refused: it reaches beyond the trial's own copies."
            : Functions.Contains(word) ? $"{word} is refused: it reaches beyond the trial's own copies."
            : null;
    }
}
