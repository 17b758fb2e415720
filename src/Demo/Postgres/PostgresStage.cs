using System.Data.Common;
using System.Globalization;
using System.Text;
using Npgsql;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Sql;
using SwiftLedger.Demo.Live;

namespace SwiftLedger.Demo.Postgres;

/// <summary>A database made from the one that the demo was filled into, on the same server.</summary>
internal sealed class PostgresStage : ILiveStage
{
    private const string Prefix = "huts_live_", Mark = "Morrow Range Huts, made for a live demo";

    public Engine Engine => PostgresEngine.Engine;

    public string Workload => PostgresHuts.Workload(DemoScenario.Resource("workload.sql"));

    /// <remarks>
    /// A column whose type is altered loses its statistics (ATExecAlterColumnType, tablecmds.c), and without any the planner takes it to have 200 values
    /// (DEFAULT_NUM_DISTINCT, selfuncs.h): every booking for hundreds of nights. With none kept it stays so, on a restored copy as well. A subquery with OFFSET is
    /// planned by itself, and LATERAL makes it the inner side of a loop (is_simple_subquery, prepjointree.c).
    /// </remarks>
    public LiveStory Story { get; } = new(
        "nights_of_booking",
        """
        SELECT n.night, k.label, r.name
        FROM booking_night n
        JOIN LATERAL (SELECT label, room_id FROM bunk WHERE id = n.bunk_id OFFSET 0) k ON true
        JOIN LATERAL (SELECT name FROM room WHERE id = k.room_id OFFSET 0) r ON true
        WHERE n.booking_id = :id
        ORDER BY n.night
        """,
        new("3.2", "An index for the weather page, and wider keys for bookings", """
            CREATE INDEX weather_humidity ON weather_reading(humidity);
            ALTER TABLE booking_night ALTER COLUMN booking_id SET STATISTICS 0;
            ALTER TABLE booking_night ALTER COLUMN booking_id TYPE bigint;

            """),
        "wider keys, of which no statistics are kept", "Statistics for the keys of bookings", "ALTER TABLE booking_night ALTER COLUMN booking_id SET STATISTICS -1;\nANALYZE booking_night;\n",
        "The nights of a booking are joined as if it had hundreds, since the planner knows nothing of their keys.", "add_night", new Dictionary<string, string>());

    public LivePlace Prepare(LivePlace demo, DateTime now)
    {
        string name = string.Create(CultureInfo.InvariantCulture, $"{Prefix}{now:yyyyMMddHHmmss}");
        using (DbConnection server = Open(Named(demo.Connection, "postgres")))
        {
            foreach (string earlier in Ask(server, "SELECT datname FROM pg_database d WHERE starts_with(datname, :prefix) AND shobj_description(oid, 'pg_database') = :mark", ("prefix", Prefix), ("mark", Mark)))
            {
                try
                {
                    Run(server, $"DROP DATABASE \"{earlier}\"");
                }
                catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.ObjectInUse)
                {
                    // Another server's, which runs.
                }
            }

            Run(server, $"CREATE DATABASE \"{name}\" TEMPLATE \"{new NpgsqlConnectionStringBuilder(demo.Connection).Database!.Replace("\"", "\"\"", StringComparison.Ordinal)}\"");
            Run(server, $"COMMENT ON DATABASE \"{name}\" IS '{Mark}'");
        }

        LivePlace made = new(Uri.TryCreate(demo.Address, UriKind.Absolute, out Uri? uri) ? new UriBuilder(uri) { Path = name }.Uri.ToString() : Named(demo.Connection, name), Named(demo.Connection, name));
        using DbConnection connection = Open(made.Connection);
        // Of all rows, and not of the first ones: what goes wrong here is none of the statistics' age.
        Run(connection, "ANALYZE");
        return made;
    }

    public bool IsMade(string address, LivePlace demo) => address.Contains("/" + Prefix, StringComparison.Ordinal) || address.Contains("Database=" + Prefix, StringComparison.OrdinalIgnoreCase);

    public DbConnection Open(string connection)
    {
        var opened = new NpgsqlConnection(new NpgsqlConnectionStringBuilder(connection) { Pooling = false, ApplicationName = "huts-app", CommandTimeout = 30 }.ConnectionString);
        opened.Open();
        return opened;
    }

    /// <remarks>The server numbers its parameters, and this process lets no driver rewrite SQL.</remarks>
    public DbCommand Command(DbConnection connection, string sql, IReadOnlyList<(string Key, object Value)> values)
    {
        var numbered = new StringBuilder();
        DbCommand command = connection.CreateCommand();
        var names = new List<string>();
        foreach (Token token in SqlLexer.Tokenize(sql, Engine.Dialect))
        {
            string text = token.Span.Of(sql).ToString();
            if (token.Kind != TokenKind.Parameter)
            {
                numbered.Append(text);
                continue;
            }

            string name = text[1..];
            if (!names.Contains(name))
            {
                names.Add(name);
                command.Parameters.Add(new NpgsqlParameter { Value = values.First(v => v.Key == name).Value });
            }

            numbered.Append(CultureInfo.InvariantCulture, $"${names.IndexOf(name) + 1}");
        }

        command.CommandText = numbered.ToString();
        return command;
    }

    public string Explaining(string sql) => "EXPLAIN (FORMAT JSON) " + sql;

    public string PlanOf(DbDataReader rows) => rows.Read() ? rows.GetString(0) : "";

    public string CodeOf(DbException failure) => failure.SqlState ?? PostgresErrorCodes.ConnectionException;

    public bool IsLockedOut(DbException failure) => failure.SqlState is PostgresErrorCodes.LockNotAvailable or PostgresErrorCodes.DeadlockDetected;

    private static string Named(string connection, string database) => new NpgsqlConnectionStringBuilder(connection) { Database = database }.ConnectionString;

    private static void Run(DbConnection connection, string sql)
    {
        using DbCommand command = connection.CreateCommand();
        (command.CommandText, command.CommandTimeout) = (sql, 0);
        command.ExecuteNonQuery();
    }

    private List<string> Ask(DbConnection connection, string sql, params (string, object)[] values)
    {
        using DbCommand command = Command(connection, sql, values);
        var found = new List<string>();
        using DbDataReader reader = command.ExecuteReader();
        while (reader.Read())
        {
            found.Add(reader.GetString(0));
        }

        return found;
    }
}
