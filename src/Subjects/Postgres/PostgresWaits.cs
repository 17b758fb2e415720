using SwiftLedger.Core.Rehearsals;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>What the server's words for waits mean.</summary>
public static class PostgresWaits
{
    /// <summary>What a session does, by the server's words for it (PostgreSQL manual, 28.2.3, tables of wait events); no kind where it waits for us.</summary>
    public static (string Kind, WaitMeaning Meaning) MeaningOf(string state, string type, string wait) => (type, wait) switch
    {
        _ when state.StartsWith("idle", StringComparison.Ordinal) => ("idle in transaction", WaitMeaning.IdleInTransaction),
        ("", _) => ("running", WaitMeaning.Running),
        ("Client", _) => ("", WaitMeaning.Other),
        ("Lock", "transactionid" or "tuple") => ($"{type}: {wait}", WaitMeaning.Row),
        ("Lock", "extend") => ($"{type}: {wait}", WaitMeaning.Page),
        ("LWLock", "WALWrite" or "WALWriteLock") or ("IO", "WALSync" or "WALWrite" or "WalSync" or "WalWrite") or ("IPC", "SyncRep") => ($"{type}: {wait}", WaitMeaning.Commit),
        ("LWLock", "BufferContent" or "buffer_content" or "WALInsert" or "wal_insert") or ("BufferPin" or "Buffer", _) => ($"{type}: {wait}", WaitMeaning.Page),
        ("IO", _) => ($"{type}: {wait}", WaitMeaning.Disk),
        _ => ($"{type}: {wait}", WaitMeaning.Other),
    };
}
