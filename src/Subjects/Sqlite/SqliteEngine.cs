namespace SwiftLedger.Subjects.Sqlite;

/// <summary>The engine that times everything: the stock library that ships with the program.</summary>
public static class SqliteEngine
{
    public static string Version => SqliteConnection.EngineVersion;
}
