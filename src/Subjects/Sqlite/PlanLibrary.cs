namespace SwiftLedger.Subjects.Sqlite;

/// <summary>The SQLite that counts what plans do (<c>native/sqlite</c> builds it).</summary>
public sealed class PlanLibrary : ICountingLibrary
{
    private const string Variable = "SWIFT_LEDGER_PLAN_SQLITE", FileName = "libplan_sqlite.so";

    public string Missing => "Only estimates: the SQLite that counts is not built, for want of a C compiler. Install gcc and libc6-dev, and start Swift Ledger again.";

    /// <summary>Its path: from the environment, else beside the program; null where it is not there.</summary>
    public string? Find()
    {
        string path = Environment.GetEnvironmentVariable(Variable) is { Length: > 0 } named ? named : Path.Combine(AppContext.BaseDirectory, FileName);
        return File.Exists(path) ? path : null;
    }

    public string? Use(string path)
    {
        try
        {
            SqliteLibrary.Use(path);
            return null;
        }
        catch (Exception e) when (e is DllNotFoundException or BadImageFormatException or EntryPointNotFoundException)
        {
            return $"The library that counts does not load: {e.Message}";
        }
    }

    public IPlanCounter Open() => new SqlitePlanCounter();
}
