using Microsoft.Data.Sqlite;

namespace SwiftLedger.Store;

/// <summary>Tells whether anybody wrote to the ledger since it was asked last; in this process or another.</summary>
public sealed class LedgerPulse : IDisposable
{
    private readonly SqliteConnection _connection;
    private long _seen = -1;

    internal LedgerPulse(SqliteConnection connection) => _connection = connection;

    /// <summary>True the first time, and whenever something was written meanwhile.</summary>
    /// <remarks>SQLite manual, "PRAGMA data_version": its number changes for one connection when another commits.</remarks>
    public bool HasMoved()
    {
        using SqliteCommand command = _connection.CreateCommand();
        command.CommandText = "PRAGMA data_version";
        long before = _seen;
        _seen = (long)command.ExecuteScalar()!;
        return _seen != before;
    }

    public void Dispose() => _connection.Dispose();
}
