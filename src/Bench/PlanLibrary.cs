namespace SwiftLedger.Bench;

/// <summary>Where the SQLite that counts lies (<c>native/sqlite</c> builds it).</summary>
public static class PlanLibrary
{
    private const string Variable = "SWIFT_LEDGER_PLAN_SQLITE", FileName = "libplan_sqlite.so";

    /// <summary>Its path: from the environment, else beside the program; null where it is not there.</summary>
    public static string? Find()
    {
        string path = Environment.GetEnvironmentVariable(Variable) is { Length: > 0 } named ? named : Path.Combine(AppContext.BaseDirectory, FileName);
        return File.Exists(path) ? path : null;
    }
}
