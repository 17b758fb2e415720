using System.Runtime.InteropServices;
using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>The one call that the wrapper package lacks; same library, same process.</summary>
internal static partial class Native
{
    /// <summary>Byte offset of the token that the latest error is about, or -1.</summary>
    public static int ErrorOffset(sqlite3 db) => ErrorOffset(db.DangerousGetHandle());

    [LibraryImport("e_sqlite3", EntryPoint = "sqlite3_error_offset")]
    [UnmanagedCallConv(CallConvs = [typeof(System.Runtime.CompilerServices.CallConvCdecl)])]
    private static partial int ErrorOffset(IntPtr db);
}
