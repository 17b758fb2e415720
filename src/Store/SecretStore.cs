using Dapper;
using Microsoft.Data.Sqlite;

namespace SwiftLedger.Store;

/// <summary>Encrypted passwords of subjects on servers, by the address without its password.</summary>
public sealed class SecretStore(LedgerDatabase ledger, TimeProvider clock)
{
    /// <param name="secret">Encrypted already.</param>
    public void Keep(string address, string secret)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("""
            INSERT INTO subject_secret (address, protected, kept_at) VALUES (@address, @secret, @now)
            ON CONFLICT (address) DO UPDATE SET protected = excluded.protected, kept_at = excluded.kept_at
            """, new { address, secret, now = clock.Now() });
    }

    public string? Find(string address)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<string>("SELECT protected FROM subject_secret WHERE address = @address", new { address });
    }

    public void Forget(string address)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("DELETE FROM subject_secret WHERE address = @address", new { address });
    }
}
