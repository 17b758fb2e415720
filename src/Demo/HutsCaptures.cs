using System.Globalization;
using System.Text.Encodings.Web;
using System.Text.Json;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Demo;

/// <summary>A deployment of the demo's two weeks.</summary>
public sealed record DemoDeployment(DateTime At, string Version, string What, string Script);

/// <summary>
/// Two weeks of what two instances of the huts' application sent: daily and weekly rhythm, four announced deployments, one of which made
/// three patterns dearer, one schema change that nobody announced, a burst of errors, and a page that asks once for a list and then
/// once for each row of it.
/// </summary>
public sealed class HutsCaptures(double scale, ulong seed = 20_260_706)
{
    /// <summary>Statements a minute and instance at scale 1, on average.</summary>
    private const double StatementsAMinute = 8;
    private const int Days = 14, BusiestHut = 137, Huts = 212;
    private const double BusiestShare = 0.27;

    private static readonly DateTime Start = new(2026, 7, 6, 0, 0, 0, DateTimeKind.Utc);
    private static readonly DateTime TidyUp = Start.AddDays(5).AddHours(10);
    private static readonly DateTime Unannounced = Start.AddDays(10).AddHours(3.2);
    private static readonly DateTime PriceCache = Start.AddDays(8).AddHours(16);
    private static readonly (DateTime From, DateTime To) Locked = (Start.AddDays(7).AddHours(19), Start.AddDays(7).AddHours(19.4));

    /// <summary>How the tidy-up hit: times as long, and rows read for each row read before.</summary>
    private static readonly Dictionary<string, (double Slower, double RowsRead)> Hurt = new(StringComparer.Ordinal)
    {
        ["latest_reports"] = (38, 900),
        ["reports_in_week"] = (22, 240),
        ["member_history"] = (55, 4_000),
    };

    /// <summary>SQLite's plans of those three, before and after: what the application logged with one execution in twenty.</summary>
    private static readonly Dictionary<string, (string Before, string After)> Plans = new(StringComparer.Ordinal)
    {
        ["latest_reports"] = (
            "SEARCH trail_report USING INDEX trail_report_section_written (section_id=?)",
            "SEARCH trail_report USING INDEX trail_report_section (section_id=?)\nUSE TEMP B-TREE FOR ORDER BY"),
        ["reports_in_week"] = (
            "SEARCH trail_report USING INDEX trail_report_section_written (section_id=? AND written_on>? AND written_on<?)",
            "SEARCH trail_report USING INDEX trail_report_section (section_id=?)"),
        ["member_history"] = (
            "SEARCH b USING INDEX booking_member (member_id=?)\nSEARCH h USING INTEGER PRIMARY KEY (rowid=?)\nUSE TEMP B-TREE FOR ORDER BY",
            "SCAN b USING INDEX booking_first_night\nSEARCH h USING INTEGER PRIMARY KEY (rowid=?)"),
    };

    private const int PlanOneIn = 20;

    public static IReadOnlyList<string> Instances { get; } = ["huts-app-1", "huts-app-2"];

    public static IReadOnlyList<DemoDeployment> Deployments { get; } =
    [
        new(Start.AddDays(1).AddHours(9.5), "3.1", "Boards show the size of parties", ""),
        new(Start.AddDays(3).AddHours(14), "3.2", "New page: reports of the week", ""),
        new(TidyUp, "3.3", "Tidy up indexes", "DROP INDEX trail_report_section_written;\nDROP INDEX booking_member;"),
        new(PriceCache, "3.4", "Prices are kept in the application for ten minutes", ""),
    ];

    /// <summary>Writes one file for each instance, in our own capture form.</summary>
    public void Write(string folder, Workload workload)
    {
        Directory.CreateDirectory(folder);
        double perDay = workload.Statements.Sum(s => s.CallsPerDay ?? 0);
        Parallel.For(0, Instances.Count, i =>
        {
            string path = Path.Combine(folder, Instances[i] + ".jsonl");
            using (var file = new FileStream(path + ".partial", FileMode.Create, FileAccess.Write, FileShare.None, 1 << 20))
            {
                WriteInstance(file, i, workload, StatementsAMinute * scale * 1440 / perDay);
            }

            File.Move(path + ".partial", path, overwrite: true);
        });
    }

    private void WriteInstance(FileStream file, int instance, Workload workload, double thinned)
    {
        var random = new SplitMix(seed + (ulong)instance);
        using var json = new Utf8JsonWriter(file, new JsonWriterOptions { SkipValidation = true, Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping });
        json.WriteStartObject();
        json.WriteString("schema", JsonLinesForm.Schema);
        EndLine(json, file);
        var due = new List<(double Second, WorkloadStatement Statement)>();
        int unit = 0;
        for (int minute = 0; minute < Days * 1440; minute++)
        {
            DateTime at = Start.AddMinutes(minute);
            due.Clear();
            foreach (WorkloadStatement statement in workload.Statements)
            {
                double expected = (statement.CallsPerDay ?? 0) / 1440 * thinned * Rhythm(at) * Share(statement.Name, at);
                int calls = (int)expected + (random.Unit() < expected - (int)expected ? 1 : 0);
                for (int c = 0; c < calls; c++)
                {
                    due.Add((random.Unit() * 60, statement));
                }
            }

            due.Sort((a, b) => a.Second.CompareTo(b.Second));
            foreach ((double second, WorkloadStatement statement) in due)
            {
                WriteStatement(json, file, ref random, at.AddSeconds(second), statement, instance, ++unit);
            }

            if (instance == 0 && at.Hour is >= 6 and < 21 && minute % 20 == 7)
            {
                WriteBoardPage(json, file, ref random, at.AddSeconds(30), ++unit);
            }

            if (instance == 1 && at <= Unannounced && Unannounced < at.AddMinutes(1))
            {
                Statement(json, file, Unannounced, 2_140, "CREATE INDEX weather_reading_wind ON weather_reading (wind_ms)", "", null, null, "maintenance", unit, "", application: "console");
            }
        }
    }

    /// <summary>A day's course: quiet at night, busiest in the evening, more at weekends.</summary>
    private static double Rhythm(DateTime at)
    {
        double hour = at.TimeOfDay.TotalHours;
        double day = 0.25 + (0.9 * Math.Exp(-Math.Pow((hour - 9) / 2.5, 2))) + (1.9 * Math.Exp(-Math.Pow((hour - 18.5) / 3, 2)));
        return day * (at.DayOfWeek is DayOfWeek.Saturday or DayOfWeek.Sunday ? 1.45 : 0.9);
    }

    private static double Share(string name, DateTime at) => name switch
    {
        "price_on_day" => at > PriceCache ? 0.08 : 1,
        "reports_in_week" => at < Deployments[1].At ? 0.2 : 1,
        _ => 1,
    };

    private static void WriteStatement(Utf8JsonWriter json, FileStream file, ref SplitMix random, DateTime at, WorkloadStatement statement, int instance, int unit)
    {
        bool busiest = random.Unit() < BusiestShare;
        int hut = busiest ? BusiestHut : 1 + random.Below(Huts);
        bool writes = statement.Sql.TrimStart().StartsWith("INSERT", StringComparison.Ordinal) || statement.Sql.TrimStart().StartsWith("UPDATE", StringComparison.Ordinal);
        bool readsHut = statement.Parameters.Contains("hut") && !writes;
        double rows = writes ? 0 : Math.Round(Math.Exp(random.Unit() * 3) * (readsHut && busiest ? 4 : 1));
        double rowsRead = writes ? 1 : Math.Ceiling(rows * (2 + (Spread(statement.Name) * 6)));
        double ms = Typical(statement.Name, writes) * Math.Exp((Normal(ref random) * 0.35) + (readsHut && busiest ? 0.7 : 0)) * (1 + (0.15 * instance));
        if (at > TidyUp && Hurt.TryGetValue(statement.Name, out (double Slower, double RowsRead) hurt))
        {
            (ms, rowsRead) = (ms * hurt.Slower, rowsRead * hurt.RowsRead);
        }

        bool failed = writes && at >= Locked.From && at < Locked.To && random.Unit() < 0.5;
        string page = statement.Name.Split('_')[0];
        string plan = unit % PlanOneIn == 0 && Plans.TryGetValue(statement.Name, out (string Before, string After) plans) ? at > TidyUp ? plans.After : plans.Before : "";
        Statement(json, file, at, failed ? 55 : ms, $"{statement.Sql}\n/*app='huts',page='{page}'*/", failed ? "SQLITE_BUSY" : "",
            writes ? null : (long)rows, writes ? null : (long)rowsRead, $"s{instance}-{random.Below(24)}", unit, Binds(statement, hut, at, ref random), writes ? 1 : null, plan, Sender(statement.Name));
    }

    /// <summary>One query for the guests who are expected, then one for each guest: the unit of the workload.</summary>
    private static void WriteBoardPage(Utf8JsonWriter json, FileStream file, ref SplitMix random, DateTime at, int unit)
    {
        int guests = 6 + random.Below(12);
        string session = $"s0-{random.Below(24)}";
        Statement(json, file, at, 3.1, "SELECT id, member_id AS member, first_night, party FROM booking WHERE hut_id = :hut AND state = 'confirmed' ORDER BY id\n/*app='huts',page='board'*/", "",
            guests, guests, session, unit, string.Create(CultureInfo.InvariantCulture, $"hut={BusiestHut}"), application: "warden-board");
        at = at.AddMilliseconds(3.1);
        for (int i = 0; i < guests; i++)
        {
            at = at.AddMilliseconds(1.7 + (random.Unit() * 0.3));
            Statement(json, file, at, 0.12 + (random.Unit() * 0.1), "SELECT name, email FROM member WHERE id = :member\n/*app='huts',page='board'*/", "", 1, 1, session, unit,
                string.Create(CultureInfo.InvariantCulture, $"member={1 + random.Below(60_000)}"), application: "warden-board");
        }
    }

    /// <summary>Which of the association's programs sends a statement.</summary>
    private static string Sender(string statement) => statement switch
    {
        "arrivals_tonight" or "day_sheet" or "expected_guests" or "open_bookings_of_hut" or "rooms_of_hut" => "warden-board",
        "add_reading" or "latest_weather" or "weather_of_day" => "weather-gate",
        "orders_of_day" or "supply_of_section" or "activity_of_section" or "supply_lines" or "huts_without_reports" or "members_by_country" or "booking_pages" => "office",
        _ => "booking-site",
    };

    private static string Binds(WorkloadStatement statement, int hut, DateTime at, ref SplitMix random)
    {
        var binds = new List<string>();
        foreach (string key in statement.Parameters)
        {
            binds.Add(key + "=" + key switch
            {
                "hut" => Text(hut),
                "night" or "day" or "from" => at.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                "to" => at.AddDays(1).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                "monday" => at.AddDays(-(((int)at.DayOfWeek + 6) % 7)).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                "sunday" => at.AddDays(6 - (((int)at.DayOfWeek + 6) % 7)).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                "member" => Text(1 + random.Below(60_000)),
                "number" => string.Create(CultureInfo.InvariantCulture, $"M{random.Below(60_000):000000}"),
                "email" => $"walker{random.Below(60_000)}@post.invalid",
                "id" or "booking" => Text(1 + random.Below(statement.Name == "supply_lines" ? 20_000 : 250_000)),
                "bunk" => Text(1 + random.Below(9_000)),
                "section" => Text(1 + random.Below(12)),
                "skip" => Text(20 * (int)Math.Floor(Math.Exp(random.Unit() * 6))),
                "kind" => random.Coin() ? "dormitory" : "private",
                "word" => "%rockfall%",
                _ => "Snow field above the saddle",
            });
        }

        return string.Join('|', binds);
    }

    private static void Statement(
        Utf8JsonWriter json, FileStream file, DateTime at, double ms, string sql, string error, long? rows, long? rowsRead, string session, int unit, string binds,
        long? rowsWritten = null, string plan = "", string application = "")
    {
        json.WriteStartObject();
        json.WriteString("at", at.ToString("yyyy-MM-ddTHH:mm:ss.ffffffZ", CultureInfo.InvariantCulture));
        json.WriteNumber("ms", Math.Round(ms, 3));
        json.WriteString("sql", sql);
        if (binds.Length > 0)
        {
            json.WriteStartObject("binds");
            foreach (string bind in binds.Split('|'))
            {
                (string key, string value) = (bind[..bind.IndexOf('=', StringComparison.Ordinal)], bind[(bind.IndexOf('=', StringComparison.Ordinal) + 1)..]);
                if (long.TryParse(value, CultureInfo.InvariantCulture, out long number))
                {
                    json.WriteNumber(key, number);
                }
                else
                {
                    json.WriteString(key, value);
                }
            }

            json.WriteEndObject();
        }

        WriteIf(json, "rows", rows);
        WriteIf(json, "rowsRead", rowsRead);
        WriteIf(json, "rowsWritten", rowsWritten);
        if (error.Length > 0)
        {
            json.WriteString("error", error);
            json.WriteString("message", "database is locked");
        }

        if (plan.Length > 0)
        {
            json.WriteString("plan", plan);
        }

        json.WriteString("app", application);
        json.WriteString("session", session);
        json.WriteString("unit", Text(unit));
        EndLine(json, file);
    }

    private static void WriteIf(Utf8JsonWriter json, string name, long? value)
    {
        if (value is { } v)
        {
            json.WriteNumber(name, v);
        }
    }

    private static void EndLine(Utf8JsonWriter json, FileStream file)
    {
        json.WriteEndObject();
        json.Flush();
        json.Reset();
        file.WriteByte((byte)'\n');
    }

    private static string Text(int number) => number.ToString(CultureInfo.InvariantCulture);

    /// <summary>A statement's usual milliseconds: always the same for a name.</summary>
    private static double Typical(string name, bool writes) => name switch
    {
        "expected_guests" => 1.6,
        "booking_pages" => 4.2,
        "report_search" => 38,
        "members_by_country" => 11,
        "huts_without_reports" => 3.1,
        "activity_of_section" => 24,
        "member_history" => 0.35,
        "latest_reports" => 0.3,
        "reports_in_week" => 0.6,
        _ => writes ? 0.9 + Spread(name) : 0.15 + Spread(name),
    };

    private static double Spread(string name) => name.Sum(c => c * 31 % 97) % 100 / 100.0;

    /// <summary>A standard normal deviate: the sum of twelve uniform ones less six.</summary>
    private static double Normal(ref SplitMix random)
    {
        double sum = -6;
        for (int i = 0; i < 12; i++)
        {
            sum += random.Unit();
        }

        return sum;
    }
}
