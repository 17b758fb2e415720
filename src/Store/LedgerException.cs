using Microsoft.Data.Sqlite;

namespace SwiftLedger.Store;

/// <summary>The ledger's own file cannot be used as it is; the message says why, and what to do.</summary>
public sealed class LedgerException(string message, Exception? inner = null) : Exception(message, inner)
{
    /// <summary>Whether the disk is full, which is the machine's fault.</summary>
    public bool DiskFull => InnerException is SqliteException { SqliteErrorCode: Full };

    private const int Full = 13;

    /// <summary>Says in words what the engine said of the ledger's file.</summary>
    public static LedgerException Of(SqliteException e) => new(
        e.SqliteErrorCode switch
        {
            11 or 26 => $"The ledger is damaged ({e.Message.TrimEnd('.')}). Restore ledger.db from a backup, or begin another one with another SWIFT_LEDGER_HOME.",
            Full => "The disk is full: the ledger cannot be written.",
            8 => "The ledger cannot be written: its file or its folder is read-only.",
            14 => "The ledger cannot be opened: its folder, or the file itself, may not be read and written, or is none.",
            10 => $"The ledger cannot be read or written: {e.Message.TrimEnd('.')}.",
            5 or 6 => "The ledger is in use by another process that does not let go of it.",
            _ => $"The ledger failed: {e.Message.TrimEnd('.')}.",
        }, e);
}
