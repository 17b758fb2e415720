using System.Globalization;
using Dapper;
using Microsoft.Data.Sqlite;

namespace SwiftLedger.Store.Tests;

/// <summary>A ledger as an earlier version left it.</summary>
internal static class OldLedger
{
    /// <param name="until">The last schema that it knows.</param>
    public static void Write(string path, int until)
    {
        using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        foreach ((int number, string script) in typeof(LedgerDatabase).Assembly.GetManifestResourceNames()
            .Select(n => (Number: int.Parse(n.Split('-')[0], CultureInfo.InvariantCulture), Name: n)).Where(n => n.Number <= until).OrderBy(n => n.Number)
            .Select(n => (n.Number, new StreamReader(typeof(LedgerDatabase).Assembly.GetManifestResourceStream(n.Name)!).ReadToEnd())))
        {
            connection.Execute(script);
            connection.Execute(string.Create(CultureInfo.InvariantCulture, $"PRAGMA user_version = {number}"));
        }
    }
}
