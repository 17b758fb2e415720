using System.Data.Common;
using System.Globalization;

namespace SwiftLedger.Demo.Live;

/// <summary>Draws parameters as the data is skewed: more than a quarter of what is asked is about the busiest hut.</summary>
public sealed class HutsValues
{
    private const int BusiestHut = 137;
    private const double BusiestShare = 0.27;

    private static readonly string[] Kinds = ["dormitory", "private"];

    private readonly Random _random;
    private readonly long _huts, _members, _bookings, _sections;

    /// <param name="connection">To the data.</param>
    /// <param name="random">Draws.</param>
    public HutsValues(DbConnection connection, Random random)
    {
        long Count(string table)
        {
            using DbCommand command = connection.CreateCommand();
            command.CommandText = $"SELECT max(id) FROM {table}";
            return Math.Max(1, command.ExecuteScalar() is IConvertible most and not DBNull ? most.ToInt64(CultureInfo.InvariantCulture) : 1);
        }

        (_random, _huts, _members, _bookings, _sections) = (random, Count("hut"), Count("member"), Count("booking"), Count("range_section"));
    }

    /// <param name="key">Of the parameter.</param>
    public object Of(string key) => key switch
    {
        "hut" => _random.NextDouble() < BusiestShare ? Math.Min(BusiestHut, _huts) : 1 + _random.NextInt64(_huts),
        "night" or "day" => new DateTime(2026, 7, 18, 0, 0, 0, DateTimeKind.Utc).AddDays(_random.Next(-20, 20)).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
        "number" => string.Create(CultureInfo.InvariantCulture, $"M{1 + _random.NextInt64(_members):000000}"),
        "member" => 1 + _random.NextInt64(_members),
        "id" => 1 + _random.NextInt64(_bookings),
        "section" => 1 + _random.NextInt64(_sections),
        "kind" => Kinds[_random.Next(Kinds.Length)],
        _ => DBNull.Value,
    };
}
