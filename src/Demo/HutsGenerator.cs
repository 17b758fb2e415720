using System.Globalization;
using Microsoft.Data.Sqlite;
using SQLitePCL;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Demo;

/// <summary>
/// Writes the demo database: the same bytes of data for the same scale, whatever the machine. Skewed where life is skewed:
/// hut popularity follows a Zipf law, home countries and booking states are very uneven, and ANALYZE ran last in the pilot.
/// </summary>
public sealed class HutsGenerator(double scale)
{
    private const int Huts = 212, Sections = 12, PilotHuts = 12, SeasonDays = 60;
    private const double ZipfExponent = 1.3;

    /// <summary>The busiest hut's id: popularity ranks are spread over the ids so that rank and id say nothing of each other.</summary>
    public const int BusiestHut = 137;

    private static readonly string[] Countries = ["AV", "BR", "CO", "DU", "EL", "FJ", "GR", "HO"];
    private static readonly double[] CountryShares = [0.62, 0.17, 0.09, 0.05, 0.035, 0.02, 0.01, 0.005];
    private static readonly string[] Peaks = ["Grey", "Long", "Broken", "White", "Raven", "Twin", "Hollow", "Amber", "Quiet", "High"];
    private static readonly string[] Forms = ["Saddle", "Horn", "Ledge", "Spur", "Crest", "Basin", "Notch", "Ridge", "Terrace", "Gate"];
    private static readonly string[] Words =
        ["path", "snow", "bridge", "stream", "marker", "steep", "scree", "fog", "rockfall", "dry", "muddy", "cable", "ladder", "clear", "ice", "detour", "goats", "wind", "spring", "cairn"];

    private static readonly string[] Titles =
        ["Snow field above the saddle", "Bridge out", "Markers renewed", "Fog below the crest", "Good tracks", "Cable loose", "Spring is dry", "Path washed out"];

    private static readonly string[] Kinds = ["private", "dormitory"];
    private static readonly DateTime[] SeasonStarts = [new(2024, 7, 1), new(2025, 7, 1), new(2026, 7, 1)];
    private static readonly DateTime Now = new(2026, 7, 18, 9, 30, 0);

    private readonly int[] _hutOfRank = RankHuts();
    private readonly double[] _popularity = Cumulate(Enumerable.Range(1, Huts).Select(r => Math.Pow(r, -ZipfExponent)));
    private readonly List<int>[] _bunksOfHut = Enumerable.Range(0, Huts + 1).Select(_ => new List<int>()).ToArray();
    private SplitMix _random = new(20_260_718);

    private int Members => Scaled(60_000, 3_000);

    private int Bookings => Scaled(250_000, 12_500);

    public void Write(string path)
    {
        Batteries_V2.Init();
        using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        Run(connection, "PRAGMA page_size = 4096; PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA foreign_keys = OFF; PRAGMA cache_size = -64000;");
        Run(connection, DemoScenario.Resource("schema.sql"));

        // Indexes grow with the data, so that their pages are as full as a busy year leaves them. Built at the end they would be
        // packed, and every single insert would split a page.
        Run(connection, DemoScenario.Resource("indexes.sql"));
        WritePlaces(connection);
        int pilotMembers = Members / 10, pilotBookings = Bookings / 10, pilotReadings = Scaled(400_000, 20_000) / 10;
        InTransaction(connection, () =>
        {
            WriteMembers(connection, 1, pilotMembers);
            WriteBookings(connection, 1, pilotBookings, PilotHuts, pilotMembers);
            WriteReadings(connection, 0, pilotReadings);
            WriteReports(connection, Scaled(20_000, 2_000) / 10);
            WriteSupplies(connection, Scaled(6_000, 600) / 10);
        });
        Run(connection, "ANALYZE");

        // Everything below came after the last ANALYZE.
        InTransaction(connection, () =>
        {
            WriteMembers(connection, pilotMembers + 1, Members);
            WriteBookings(connection, pilotBookings + 1, Bookings, Huts, Members);
            WriteReadings(connection, pilotReadings, Scaled(400_000, 20_000));
            WriteReports(connection, Scaled(20_000, 2_000) * 9 / 10);
            WriteSupplies(connection, Scaled(6_000, 600) * 9 / 10);
        });
    }

    private int Scaled(int full, int least) => Math.Max(least, (int)(full * scale));

    private static int[] RankHuts()
    {
        var random = new SplitMix(137);
        int[] ids = Enumerable.Range(1, Huts).ToArray();
        for (int i = ids.Length - 1; i > 0; i--)
        {
            int j = random.Below(i + 1);
            (ids[i], ids[j]) = (ids[j], ids[i]);
        }

        int at = Array.IndexOf(ids, BusiestHut);
        (ids[0], ids[at]) = (ids[at], ids[0]);
        return ids;
    }

    private static double[] Cumulate(IEnumerable<double> weights)
    {
        double[] sums = weights.ToArray();
        for (int i = 1; i < sums.Length; i++)
        {
            sums[i] += sums[i - 1];
        }

        return sums;
    }

    private int Draw(double[] cumulated, int among)
    {
        int found = Array.BinarySearch(cumulated, 0, among, _random.Unit() * cumulated[among - 1]);
        return Math.Min(found < 0 ? ~found : found, among - 1);
    }

    private static void Run(SqliteConnection connection, string sql)
    {
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    private static void InTransaction(SqliteConnection connection, Action write)
    {
        Run(connection, "BEGIN");
        write();
        Run(connection, "COMMIT");
    }

    private static string Day(DateTime day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static string Minute(DateTime time) => time.ToString("yyyy-MM-dd HH:mm", CultureInfo.InvariantCulture);

    private void WritePlaces(SqliteConnection connection)
    {
        InTransaction(connection, () =>
        {
            using var section = new Inserter(connection, "range_section", 2);
            using var hut = new Inserter(connection, "hut", 5);
            using var room = new Inserter(connection, "room", 3);
            using var bunk = new Inserter(connection, "bunk", 4);
            using var price = new Inserter(connection, "bunk_price", 6);
            for (int s = 1; s <= Sections; s++)
            {
                section.Add(s, $"{Peaks[s % Peaks.Length]} {(s > 6 ? "South" : "North")}");
            }

            int rooms = 0, bunks = 0, prices = 0;
            for (int h = 1; h <= Huts; h++)
            {
                hut.Add(h, (h % Sections) + 1, $"{Peaks[h % 10]} {Forms[h / 10 % 10]} Hut {h}", 1_100 + _random.Below(1_900), Day(new DateTime(1931, 6, 1).AddDays(_random.Below(30_000))));
                int roomCount = 4 + _random.Below(5);
                for (int r = 1; r <= roomCount; r++)
                {
                    room.Add(++rooms, h, $"Room {r}");
                    int bunkCount = 4 + _random.Below(7);
                    for (int b = 1; b <= bunkCount; b++)
                    {
                        bunk.Add(++bunks, rooms, $"{r}{(char)('a' + b - 1)}", r == 1 ? "private" : "dormitory");
                        _bunksOfHut[h].Add(bunks);
                    }
                }

                foreach (string kind in Kinds)
                {
                    for (int year = 2015; year <= 2026; year++)
                    {
                        price.Add(++prices, h, kind, $"{year}-01-01", $"{year + 1}-01-01", (kind == "private" ? 4_200 : 2_400) + ((year - 2015) * 90) + _random.Below(600));
                    }
                }
            }
        });
    }

    private void WriteMembers(SqliteConnection connection, int from, int to)
    {
        using var member = new Inserter(connection, "member", 6);
        double[] shares = Cumulate(CountryShares);
        for (int i = from; i <= to; i++)
        {
            string number = i.ToString("000000", CultureInfo.InvariantCulture);
            member.Add(i, "M" + number, $"Walker {Forms[i % 10]} {Peaks[i / 10 % 10]} {i}", Countries[Draw(shares, shares.Length)],
                $"walker{i}@post.invalid", Day(new DateTime(2000, 1, 1).AddDays(_random.Below(9_000))));
        }
    }

    private void WriteBookings(SqliteConnection connection, int from, int to, int huts, int members)
    {
        using var booking = new Inserter(connection, "booking", 9);
        using var night = new Inserter(connection, "booking_night", 5);
        int nightId = from == 1 ? 0 : LastId(connection, "booking_night");
        for (int i = from; i <= to; i++)
        {
            DateTime created = CreatedAt((i - 1.0) / Bookings);
            DateTime start = SeasonStarts[created.Year - SeasonStarts[0].Year];
            int lead = _random.Below(20) == 0 ? 1 + _random.Below(40) : 1 + _random.Below(4);
            DateTime first = start.AddDays(Math.Clamp((created.Date - start).Days + lead, 0, SeasonDays - 1));
            int hut = _hutOfRank[Draw(_popularity, huts)];
            int nights = 1 + _random.Below(3), party = 1 + (_random.Below(10) < 3 ? 1 : 0);
            string state = StateOf(first);
            string? checkedIn = state == "completed" ? Minute(first.AddHours(13).AddMinutes(_random.Below(420))) : null;
            booking.Add(i, hut, 1 + _random.Below(members), state, Day(first), nights, party, Minute(created), checkedIn);
            if (state == "cancelled")
            {
                continue;
            }

            List<int> bunks = _bunksOfHut[hut];
            for (int n = 0; n < nights; n++)
            {
                for (int p = 0; p < party; p++)
                {
                    night.Add(++nightId, i, hut, bunks[_random.Below(bunks.Count)], Day(first.AddDays(n)));
                }
            }
        }
    }

    /// <summary>Bookings come in evenly over two whole seasons and this one up to now; most are for a night soon after.</summary>
    private static DateTime CreatedAt(double share)
    {
        const double whole = SeasonDays + 2;
        double thisSeason = (Now - SeasonStarts[2].AddDays(-3)).TotalDays;
        double day = share * ((2 * whole) + thisSeason);
        int season = (int)Math.Min(2, day / whole);
        return SeasonStarts[season].AddDays(-3 + day - (season * whole));
    }

    private string StateOf(DateTime first)
    {
        int draw = _random.Below(1_000);
        return draw < 70 ? "cancelled" : first < Now ? (draw < 80 ? "no_show" : "completed") : draw < 150 ? "open" : "confirmed";
    }

    private void WriteReadings(SqliteConnection connection, int from, int to)
    {
        using var reading = new Inserter(connection, "weather_reading", 6);
        for (int i = from; i < to; i++)
        {
            DateTime taken = Now.AddMinutes(-5.0 * (Scaled(400_000, 20_000) - i) / Huts);
            int hut = (i % Huts) + 1;
            reading.Add(i + 1, hut, taken.ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture),
                Math.Round(14 - (hut % 20) + (8 * Math.Sin(taken.Hour / 24.0 * Math.PI)) + _random.Unit(), 1), Math.Round(_random.Unit() * 18, 1), 30 + _random.Below(70));
        }
    }

    private void WriteReports(SqliteConnection connection, int count)
    {
        using var report = new Inserter(connection, "trail_report", 7);
        int id = LastId(connection, "trail_report");
        int all = Scaled(20_000, 2_000);
        for (int i = 0; i < count; i++)
        {
            id++;
            int hut = 1 + _random.Below(Huts);
            string body = string.Join(' ', Enumerable.Range(0, 12 + _random.Below(30)).Select(_ => Words[_random.Below(Words.Length)]));
            report.Add(id, (hut % Sections) + 1, _random.Below(10) == 0 ? null : hut, 1 + _random.Below(Members / 10),
                Day(Now.AddDays(-900.0 * (all - id) / all)), Titles[_random.Below(Titles.Length)] + (_random.Below(50) == 0 ? "" : $", {Peaks[hut % 10]} {Forms[id % 10]} {id % 997}"), body);
        }
    }

    private void WriteSupplies(SqliteConnection connection, int count)
    {
        using var order = new Inserter(connection, "supply_order", 5);
        using var line = new Inserter(connection, "supply_order_line", 6);
        int id = LastId(connection, "supply_order"), lineId = LastId(connection, "supply_order_line");
        for (int i = 0; i < count; i++)
        {
            int hut = 1 + _random.Below(Huts);
            order.Add(++id, hut, Minute(Now.AddMinutes(-_random.Below(800 * 24 * 60))), _random.Below(20) == 0 ? "open" : "delivered", Math.Round(40 + (_random.Unit() * 400), 1));
            int lines = 2 + _random.Below(8);
            for (int l = 0; l < lines; l++)
            {
                line.Add(++lineId, id, hut, Words[_random.Below(Words.Length)] + " crate", 1 + _random.Below(12), 150 + _random.Below(4_000));
            }
        }
    }

    private static int LastId(SqliteConnection connection, string table)
    {
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = $"SELECT coalesce(max(id), 0) FROM {table}";
        return Convert.ToInt32(command.ExecuteScalar(), CultureInfo.InvariantCulture);
    }

    /// <summary>One prepared INSERT for all rows of a table, through the engine's own calls: two million rows are written.</summary>
    private sealed class Inserter : IDisposable
    {
        private readonly sqlite3_stmt _statement;

        public Inserter(SqliteConnection connection, string table, int columns)
        {
            string marks = string.Join(", ", Enumerable.Repeat("?", columns));
            Check(raw.sqlite3_prepare_v2(connection.Handle, $"INSERT INTO {table} VALUES ({marks})", out _statement), raw.SQLITE_OK);
        }

        public void Add(params ReadOnlySpan<object?> values)
        {
            for (int i = 0; i < values.Length; i++)
            {
                _ = values[i] switch
                {
                    int n => raw.sqlite3_bind_int64(_statement, i + 1, n),
                    double d => raw.sqlite3_bind_double(_statement, i + 1, d),
                    string s => raw.sqlite3_bind_text(_statement, i + 1, s),
                    _ => raw.sqlite3_bind_null(_statement, i + 1),
                };
            }

            Check(raw.sqlite3_step(_statement), raw.SQLITE_DONE);
            _ = raw.sqlite3_reset(_statement);
        }

        public void Dispose() => _statement.Dispose();

        private static void Check(int code, int expected)
        {
            if (code != expected)
            {
                throw new InvalidOperationException($"The demo data cannot be written: {raw.sqlite3_errstr(code).utf8_to_string()}.");
            }
        }
    }
}
