using System.Data.Common;
using System.Globalization;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Demo.Live;

namespace SwiftLedger.Demo.Sqlite;

/// <summary>A copy of the demo's file, which is read while it is written to.</summary>
internal sealed class SqliteStage : ILiveStage
{
    private const string Prefix = "live-";

    /// <summary>SQLITE_BUSY.</summary>
    private const int Busy = 5;

    public Engine Engine => SqliteEngine.Engine;

    public string Workload => DemoScenario.Resource("workload.sql");

    /// <remarks>With fresh statistics the planner knows that a hut has few bookings on average, and not that one of them has a quarter of all.</remarks>
    public LiveStory Story { get; } = new(
        "day_sheet", "SELECT id, member_id, state, nights, party\nFROM booking INDEXED BY booking_first_night\nWHERE hut_id = :hut AND first_night = :night",
        new("3.2", "An index for the weather page, and fresh statistics", "CREATE INDEX weather_humidity ON weather_reading(humidity);\nANALYZE;\n"), "fresh statistics",
        "An index on hut and night", "CREATE INDEX booking_hut_night ON booking(hut_id, first_night);\n",
        "The board of a hut's day reads all of the hut's bookings since the statistics are fresh.", "add_booking", new Dictionary<string, string> { ["add_booking"] = "Day sheets are read far more often than bookings are made." });

    public LivePlace Prepare(LivePlace demo, DateTime now)
    {
        string folder = Path.GetDirectoryName(demo.Address)!;
        foreach (string file in Directory.GetFiles(folder, Prefix + "*"))
        {
            File.Delete(file);
        }

        string database = Path.Combine(folder, string.Create(CultureInfo.InvariantCulture, $"{Prefix}{now:yyyyMMddHHmmss}.db"));
        File.Copy(demo.Address, database);
        using DbConnection connection = Open(database);
        using DbCommand command = connection.CreateCommand();
        command.CommandText = "PRAGMA journal_mode = WAL";
        command.ExecuteNonQuery();
        return new(database, database);
    }

    public bool IsMade(string address, LivePlace demo) => address.StartsWith(Path.Combine(Path.GetDirectoryName(demo.Address)!, Prefix), StringComparison.Ordinal);

    public DbConnection Open(string connection)
    {
        var opened = new SqliteConnection(new SqliteConnectionStringBuilder { DataSource = connection, Pooling = false, DefaultTimeout = 10 }.ToString());
        opened.Open();
        return opened;
    }

    public DbCommand Command(DbConnection connection, string sql, IReadOnlyList<(string Key, object Value)> values)
    {
        DbCommand command = connection.CreateCommand();
        command.CommandText = sql;
        foreach ((string key, object value) in values)
        {
            DbParameter parameter = command.CreateParameter();
            (parameter.ParameterName, parameter.Value) = (key, value);
            command.Parameters.Add(parameter);
        }

        return command;
    }

    public string Explaining(string sql) => "EXPLAIN QUERY PLAN " + sql;

    public string PlanOf(DbDataReader rows)
    {
        var lines = new List<string>();
        var depths = new Dictionary<long, int>();
        while (rows.Read())
        {
            int depth = depths.GetValueOrDefault(rows.GetInt64(1), -1) + 1;
            depths[rows.GetInt64(0)] = depth;
            lines.Add(new string(' ', 2 * depth) + rows.GetString(3));
        }

        return string.Join('\n', lines);
    }

    public string CodeOf(DbException failure) => ((SqliteException)failure).SqliteErrorCode.ToString(CultureInfo.InvariantCulture);

    public bool IsLockedOut(DbException failure) => failure is SqliteException { SqliteErrorCode: Busy };
}
