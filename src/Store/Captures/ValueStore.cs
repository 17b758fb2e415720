using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Store.Captures;

/// <summary>Which values statements were called with, hour by hour.</summary>
public sealed class ValueStore(LedgerDatabase ledger)
{
    private static readonly ValueJson Json = new(new JsonSerializerOptions { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingDefault });

    /// <summary>The hours of some patterns in a span, in order, sources summed.</summary>
    /// <param name="from">First minute since 1970, UTC.</param>
    /// <param name="to">The minute behind the last.</param>
    public ILookup<long, TimedValues> Hours(IReadOnlyList<long> patterns, IReadOnlyList<long> sources, int from, int to)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Pattern, long Hour, string Drawn)>($"""
            SELECT pattern_id, hour, drawn FROM value_hour
            WHERE pattern_id IN ({string.Join(',', patterns)}) AND source_id IN ({string.Join(',', sources)}) AND hour >= @from AND hour < @to
            ORDER BY pattern_id, hour
            """, new { from, to }).GroupBy(v => (v.Pattern, v.Hour)).Select(g => (g.Key.Pattern, Values: new TimedValues((int)g.Key.Hour, Sum(g.Select(v => Read(v.Drawn))))))
            .ToLookup(v => v.Pattern, v => v.Values);
    }

    internal static void Write(SqliteConnection connection, SqliteTransaction transaction, IReadOnlyDictionary<ValuesKey, HourOfValues> hours, BookIds ids)
    {
        using var insert = new PreparedRows(connection, "INSERT INTO value_hour VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING");
        foreach ((ValuesKey key, HourOfValues hour) in hours.OrderBy(h => h.Key.Pattern))
        {
            var place = new { pattern = ids.Pattern(key.Pattern), source = ids.Source(key.Source), hour = key.Hour };
            if (insert.With(place.pattern).With(place.source).With((long)place.hour).With(Written(hour)).Run() == 0)
            {
                hour.Add(Read(connection.ExecuteScalar<string>("SELECT drawn FROM value_hour WHERE pattern_id = @pattern AND source_id = @source AND hour = @hour", place, transaction)!));
                connection.Execute("UPDATE value_hour SET drawn = @drawn WHERE pattern_id = @pattern AND source_id = @source AND hour = @hour", new { place.pattern, place.source, place.hour, drawn = Written(hour) }, transaction);
            }
        }
    }

    private static string Written(HourOfValues hour) => JsonSerializer.Serialize(hour.ToKept(), Json.KeptHour);

    private static HourOfValues Read(string drawn) => HourOfValues.Of(JsonSerializer.Deserialize(drawn, Json.KeptHour)!);

    private static HourOfValues Sum(IEnumerable<HourOfValues> hours)
    {
        var sum = new HourOfValues();
        foreach (HourOfValues hour in hours)
        {
            sum.Add(hour);
        }

        return sum;
    }
}

[JsonSerializable(typeof(KeptHour))]
internal sealed partial class ValueJson : JsonSerializerContext;
