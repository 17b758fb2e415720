using System.Runtime.InteropServices;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>The calls that the wrapper package lacks, of whichever library serves this process.</summary>
internal static unsafe class Native
{
    private static readonly delegate* unmanaged[Cdecl]<nint, int> ErrorOffsetCall =
        (delegate* unmanaged[Cdecl]<nint, int>)SqliteLibrary.Export("sqlite3_error_offset");

    private static readonly delegate* unmanaged[Cdecl]<nint, int> StepCall = (delegate* unmanaged[Cdecl]<nint, int>)SqliteLibrary.Export("sqlite3_step");

    private static readonly delegate* unmanaged[Cdecl]<nint, int> ResetCall = (delegate* unmanaged[Cdecl]<nint, int>)SqliteLibrary.Export("sqlite3_reset");

    /// <summary>Runs a statement to its end and resets it: the wrapper's step takes and gives back its handle for each row, which a short statement's time would show.</summary>
    /// <returns>The engine's code: SQLITE_DONE, or an error, upon which nothing was reset.</returns>
    public static int Drain(sqlite3_stmt statement)
    {
        nint handle = statement.DangerousGetHandle();
        int rc;
        while ((rc = StepCall(handle)) == raw.SQLITE_ROW)
        {
        }

        if (rc == raw.SQLITE_DONE)
        {
            _ = ResetCall(handle);
        }

        GC.KeepAlive(statement);
        return rc;
    }

    /// <summary>Byte offset of the token that the latest error is about, or -1.</summary>
    public static int ErrorOffset(sqlite3 db) => ErrorOffsetCall(db.DangerousGetHandle());

    /// <summary>The engine's hooks around locks and commits (SQLite manual, sqlite3_busy_handler, sqlite3_commit_hook, sqlite3_wal_hook).</summary>
    public static class Hooks
    {
        private static readonly delegate* unmanaged[Cdecl]<nint, delegate* unmanaged[Cdecl]<nint, int, int>, nint, int> BusyCall =
            (delegate* unmanaged[Cdecl]<nint, delegate* unmanaged[Cdecl]<nint, int, int>, nint, int>)SqliteLibrary.Export("sqlite3_busy_handler");

        private static readonly delegate* unmanaged[Cdecl]<nint, delegate* unmanaged[Cdecl]<nint, int>, nint, nint> CommitCall =
            (delegate* unmanaged[Cdecl]<nint, delegate* unmanaged[Cdecl]<nint, int>, nint, nint>)SqliteLibrary.Export("sqlite3_commit_hook");

        private static readonly delegate* unmanaged[Cdecl]<nint, delegate* unmanaged[Cdecl]<nint, nint, byte*, int, int>, nint, nint> WalCall =
            (delegate* unmanaged[Cdecl]<nint, delegate* unmanaged[Cdecl]<nint, nint, byte*, int, int>, nint, nint>)SqliteLibrary.Export("sqlite3_wal_hook");

        private static readonly delegate* unmanaged[Cdecl]<nint, byte*, int> CheckpointCall = (delegate* unmanaged[Cdecl]<nint, byte*, int>)SqliteLibrary.Export("sqlite3_wal_checkpoint");

        public static void Busy(sqlite3 db, delegate* unmanaged[Cdecl]<nint, int, int> handler, nint context) => _ = BusyCall(db.DangerousGetHandle(), handler, context);

        public static void Commit(sqlite3 db, delegate* unmanaged[Cdecl]<nint, int> hook, nint context) => _ = CommitCall(db.DangerousGetHandle(), hook, context);

        public static void Wal(sqlite3 db, delegate* unmanaged[Cdecl]<nint, nint, byte*, int, int> hook, nint context) => _ = WalCall(db.DangerousGetHandle(), hook, context);

        public static int Checkpoint(nint db, byte* name) => CheckpointCall(db, name);
    }

    /// <summary>Numbers that a counting library holds of each element of a plan (SQLite manual, sqlite3_stmt_scanstatus_v2).</summary>
    public static class ScanStatus
    {
        private const int LoopsOp = 0, VisitsOp = 1, EstimateOp = 2, TextOp = 4, IdOp = 5, ParentOp = 6, CyclesOp = 7, Complex = 1, WholeStatement = -1;

        private static readonly delegate* unmanaged[Cdecl]<nint, int, int, int, void*, int> Call =
            (delegate* unmanaged[Cdecl]<nint, int, int, int, void*, int>)SqliteLibrary.Export("sqlite3_stmt_scanstatus_v2");

        private static readonly delegate* unmanaged[Cdecl]<nint, void> ResetCall =
            (delegate* unmanaged[Cdecl]<nint, void>)SqliteLibrary.Export("sqlite3_stmt_scanstatus_reset");

        private static readonly delegate* unmanaged[Cdecl]<nint, int, nint, byte*, nint, int> BindPointer =
            (delegate* unmanaged[Cdecl]<nint, int, nint, byte*, nint, int>)SqliteLibrary.Export("sqlite3_bind_pointer");

        // The engine keeps the name's address.
        private static readonly nint StatementPointer = Marshal.StringToCoTaskMemUTF8("stmt-pointer");

        public static void Reset(sqlite3_stmt statement) => ResetCall(statement.DangerousGetHandle());

        /// <summary>Cycles of the whole statement.</summary>
        public static long TotalCycles(sqlite3_stmt statement) => Number(statement, WholeStatement, CyclesOp);

        /// <summary>One element; false behind the last. Numbers that there are not are -1.</summary>
        public static bool TryRead(sqlite3_stmt statement, int element, out ScanElement read)
        {
            int id;
            if (Call(statement.DangerousGetHandle(), element, IdOp, Complex, &id) != 0)
            {
                read = default;
                return false;
            }

            int parent;
            _ = Call(statement.DangerousGetHandle(), element, ParentOp, Complex, &parent);
            byte* text = null;
            _ = Call(statement.DangerousGetHandle(), element, TextOp, Complex, &text);
            double estimate;
            _ = Call(statement.DangerousGetHandle(), element, EstimateOp, Complex, &estimate);
            read = new(id, parent, Marshal.PtrToStringUTF8((nint)text) ?? "", Number(statement, element, LoopsOp), Number(statement, element, VisitsOp), estimate, Number(statement, element, CyclesOp));
            return true;
        }

        /// <summary>Gives a statement to the table-valued function <c>bytecode(?)</c>.</summary>
        public static void BindStatement(sqlite3_stmt to, sqlite3_stmt statement) =>
            _ = BindPointer(to.DangerousGetHandle(), 1, statement.DangerousGetHandle(), (byte*)StatementPointer, 0);

        private static long Number(sqlite3_stmt statement, int element, int what)
        {
            long value;
            return Call(statement.DangerousGetHandle(), element, what, Complex, &value) == 0 ? value : -1;
        }
    }
}

/// <summary>One element of a plan with what was counted.</summary>
internal readonly record struct ScanElement(int Id, int Parent, string Text, long Loops, long Visits, double Estimate, long Cycles);
