using SQLitePCL;
using NativeLibrary = System.Runtime.InteropServices.NativeLibrary;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Which SQLite serves this process: the stock one, or, in a process of its own, the one that counts. One library serves a whole process.</summary>
public static class SqliteLibrary
{
    private static readonly Lock Gate = new();
    private static nint _handle;

    /// <summary>Chooses the stock library, unless another was chosen.</summary>
    public static void Ensure()
    {
        lock (Gate)
        {
            if (_handle == 0)
            {
                Batteries_V2.Init();
                _handle = NativeLibrary.Load("e_sqlite3", typeof(SqliteLibrary).Assembly, null);
            }
        }
    }

    /// <summary>Chooses another library, before anything else is done.</summary>
    /// <exception cref="DllNotFoundException">There is none, or it does not load.</exception>
    /// <exception cref="BadImageFormatException">It is no library of this machine.</exception>
    /// <exception cref="EntryPointNotFoundException">It does not count.</exception>
    public static void Use(string path)
    {
        lock (Gate)
        {
            if (_handle != 0)
            {
                throw new InvalidOperationException("This process has a SQLite already.");
            }

            nint handle = NativeLibrary.Load(path);
            NativeLibrary.GetExport(handle, "sqlite3_stmt_scanstatus_v2");
            SQLite3Provider_dynamic_cdecl.Setup(path, new Exports(handle));
            raw.SetProvider(new SQLite3Provider_dynamic_cdecl());
            raw.FreezeProvider();
            _handle = handle;
        }
    }

    internal static nint Export(string name)
    {
        Ensure();
        return NativeLibrary.GetExport(_handle, name);
    }

    private sealed class Exports(nint handle) : IGetFunctionPointer
    {
        public nint GetFunctionPointer(string name) => NativeLibrary.TryGetExport(handle, name, out nint address) ? address : 0;
    }
}
