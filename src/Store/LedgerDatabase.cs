using System.Globalization;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Store;

/// <summary>The ledger's own SQLite file: write-ahead log, foreign keys, numbered migrations.</summary>
public sealed class LedgerDatabase
{
    /// <summary>The schema that keeps cells in blocks.</summary>
    private const int BlocksFrom = 3;

    private readonly string _connectionString;

    /// <param name="path">The file; it is made, or brought to this version, if need be.</param>
    /// <exception cref="LedgerException">A newer version wrote it, or it cannot be used.</exception>
    public LedgerDatabase(string path)
    {
        SQLitePCL.Batteries_V2.Init();
        _connectionString = new SqliteConnectionStringBuilder { DataSource = path, ForeignKeys = true, DefaultTimeout = 30 }.ToString();
        try
        {
            Migrate();
        }
        catch (SqliteException e)
        {
            throw LedgerException.Of(e);
        }
    }

    /// <summary>An open connection; the caller disposes it.</summary>
    public SqliteConnection Open()
    {
        var connection = new SqliteConnection(_connectionString);
        connection.Open();
        // The daybook and its imports touch more pages than the two megabytes that SQLite keeps by default.
        connection.Execute("PRAGMA synchronous = NORMAL; PRAGMA cache_size = -16384");
        return connection;
    }

    /// <summary>A watch on whether anything is written, with a connection of its own.</summary>
    public LedgerPulse Pulse() => new(Open());

    private static SortedDictionary<int, string> Migrations()
    {
        var assembly = typeof(LedgerDatabase).Assembly;
        var scripts = new SortedDictionary<int, string>();
        foreach (string name in assembly.GetManifestResourceNames())
        {
            using var reader = new StreamReader(assembly.GetManifestResourceStream(name)!);
            scripts.Add(int.Parse(name.Split('-')[0], CultureInfo.InvariantCulture), reader.ReadToEnd());
        }

        return scripts;
    }

    /// <summary>
    /// Foreign keys are off while tables are rebuilt, and checked before anything is committed: SQLite's manual, "ALTER TABLE",
    /// section 7.
    /// </summary>
    private void Migrate()
    {
        SortedDictionary<int, string> scripts = Migrations();
        using SqliteConnection connection = Open();
        connection.Execute("PRAGMA journal_mode = WAL");
        connection.Execute("PRAGMA foreign_keys = OFF");
        using SqliteTransaction transaction = connection.BeginTransaction();
        int version = connection.ExecuteScalar<int>("PRAGMA user_version", transaction: transaction);
        if (version > scripts.Keys.Last())
        {
            throw new LedgerException(
                $"The ledger was written by a newer Swift Ledger (schema {version}, this one knows {scripts.Keys.Last()}). Use that version, or another SWIFT_LEDGER_HOME.");
        }

        foreach ((int number, string script) in scripts.Where(s => s.Key > version))
        {
            connection.Execute(script, transaction: transaction);
            if (number == BlocksFrom)
            {
                CellsIntoBlocks.Run(connection, transaction);
            }

            connection.Execute(string.Create(CultureInfo.InvariantCulture, $"PRAGMA user_version = {number}"), transaction: transaction);
        }

        if (connection.Query("PRAGMA foreign_key_check", transaction: transaction).Any())
        {
            throw new LedgerException("The ledger could not be brought to this version: rows would refer to nothing. It was left as it was.");
        }

        transaction.Commit();
        connection.Execute("PRAGMA foreign_keys = ON");
    }
}
