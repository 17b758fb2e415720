using System.Globalization;
using System.Text.Json.Serialization;

namespace SwiftLedger.Core.Captures;

/// <summary>Which values: a pattern's, on one source, in one hour.</summary>
/// <param name="Pattern">The pattern's hash.</param>
/// <param name="Source">The server or application instance.</param>
/// <param name="Hour">Its first minute since 1970, UTC.</param>
public readonly record struct ValuesKey(ulong Pattern, string Source, int Hour);

/// <summary>What the executions came to that were drawn with one value, or of an hour.</summary>
public sealed class Drawn
{
    /// <summary>How many were drawn.</summary>
    public long Draws { get; set; }

    /// <summary>How many calls they stand for.</summary>
    public double Calls { get; set; }

    /// <summary>Sum of the squares of what each stands for: with <see cref="Calls"/> it tells how many draws of equal weight would say as much.</summary>
    public double Squares { get; set; }

    /// <summary>Those of the calls whose duration is known.</summary>
    public double Timed { get; set; }

    /// <summary>What these took, in ticks.</summary>
    public double Ticks { get; set; }

    /// <summary>Draws of equal weight that would say as much (Kish 1965, Survey Sampling, 8.2).</summary>
    public double EffectiveDraws => Squares > 0 ? Calls * Calls / Squares : 0;

    /// <param name="weight">How many calls it stands for.</param>
    /// <param name="ticks">How long it took; null where nobody knows.</param>
    public void Add(double weight, long? ticks)
    {
        Draws++;
        Calls += weight;
        Squares += weight * weight;
        Timed += ticks is null ? 0 : weight;
        Ticks += weight * (ticks ?? 0);
    }

    /// <param name="other">Of others.</param>
    public void Add(Drawn other)
    {
        Draws += other.Draws;
        Calls += other.Calls;
        Squares += other.Squares;
        Timed += other.Timed;
        Ticks += other.Ticks;
    }
}

/// <summary>A value and where it stands in the pattern.</summary>
/// <param name="Name">What it is compared with, or the parameter's name.</param>
/// <param name="Position">Which mark of the pattern, from 0.</param>
/// <param name="Text">As an SQL literal, cut where it is long.</param>
public readonly record struct PlacedValue(int Position, string Name, string Text)
{
    /// <summary>As it stands in a statement: <c>hut_id = 41</c>, <c>night &gt;= '2026-07-18'</c>.</summary>
    public override string ToString() => Name.Length > 0 && (char.IsLetterOrDigit(Name[^1]) || Name[^1] is '"' or ')' or '_' or ']') && !Name.EndsWith(" LIKE", StringComparison.OrdinalIgnoreCase) && !Name.EndsWith(" BETWEEN", StringComparison.OrdinalIgnoreCase)
        ? $"{Name} = {Text}" : $"{Name} {Text}";

    /// <summary>Whether it is a day or a time: those move with the calendar, whatever people ask for.</summary>
    public bool IsOfCalendar => Text.Length >= 12 && Text[0] == '\'' && DateTime.TryParse(Text.AsSpan(1, 10), CultureInfo.InvariantCulture, out _) && Text[5] == '-' && Text[8] == '-';
}

/// <summary>Executions by the length of the list that they were called with: sums of a least-squares line of milliseconds over items.</summary>
public sealed class ListSums
{
    private const int Decimals = 4;

    public double N { get; set; }

    public double X { get; set; }

    public double XX { get; set; }

    public double Y { get; set => field = Math.Round(value, Decimals); }

    public double YY { get; set => field = Math.Round(value, Decimals); }

    public double XY { get; set => field = Math.Round(value, Decimals); }

    public int Least { get; set; } = int.MaxValue;

    public int Most { get; set; }

    /// <param name="items">Length of the list.</param>
    /// <param name="milliseconds">What the execution took.</param>
    public void Add(int items, double milliseconds)
    {
        N++;
        X += items;
        XX += (double)items * items;
        Y += milliseconds;
        YY += milliseconds * milliseconds;
        XY += items * milliseconds;
        Least = Math.Min(Least, items);
        Most = Math.Max(Most, items);
    }

    public void Add(ListSums other)
    {
        N += other.N;
        X += other.X;
        XX += other.XX;
        Y += other.Y;
        YY += other.YY;
        XY += other.XY;
        Least = Math.Min(Least, other.Least);
        Most = Math.Max(Most, other.Most);
    }
}

/// <summary>Executions of a pattern that were drawn in an hour, by their heavy values.</summary>
public sealed class HourOfValues
{
    public Drawn All { get; } = new();

    /// <summary>Those that came again and again; the others are in <see cref="All"/> alone.</summary>
    public Dictionary<PlacedValue, Drawn> Values { get; } = [];

    public ListSums? Lists { get; private set; }

    /// <param name="other">Of the same pattern and hour.</param>
    public void Add(HourOfValues other)
    {
        All.Add(other.All);
        foreach ((PlacedValue value, Drawn drawn) in other.Values)
        {
            Of(value).Add(drawn);
        }

        if (other.Lists is { } lists)
        {
            (Lists ??= new()).Add(lists);
        }
    }

    internal Drawn Of(PlacedValue value)
    {
        if (!Values.TryGetValue(value, out Drawn? drawn))
        {
            Values[value] = drawn = new();
        }

        return drawn;
    }

    internal void AddList(int items, double milliseconds) => (Lists ??= new()).Add(items, milliseconds);

    /// <summary>As it is kept in a ledger: a value that all draws have is kept without sums of its own.</summary>
    public KeptHour ToKept() => new(KeptDrawn.Of(All, squares: true),
        [.. Values.Select(v => new KeptValue(v.Key.Position, v.Key.Name, v.Key.Text, v.Value.Draws == All.Draws ? null : KeptDrawn.Of(v.Value, squares: false)))], Lists);

    /// <param name="kept">As <see cref="ToKept"/> gave it.</param>
    public static HourOfValues Of(KeptHour kept)
    {
        var hour = new HourOfValues { Lists = kept.Lists };
        hour.All.Add(kept.All.ToDrawn());
        foreach (KeptValue value in kept.Values)
        {
            hour.Of(new(value.Position, value.Name, value.Text)).Add(value.Drawn?.ToDrawn() ?? hour.All);
        }

        return hour;
    }
}

/// <summary>An hour of values as a ledger keeps it.</summary>
public sealed record KeptHour([property: JsonPropertyName("a")] KeptDrawn All, [property: JsonPropertyName("v")] IReadOnlyList<KeptValue> Values, [property: JsonPropertyName("l")] ListSums? Lists);

/// <summary>A value of it; without sums of its own where it is the hour's only one.</summary>
public sealed record KeptValue(
    [property: JsonPropertyName("p")] int Position, [property: JsonPropertyName("k")] string Name, [property: JsonPropertyName("x")] string Text, [property: JsonPropertyName("w")] KeptDrawn? Drawn);

/// <summary>Sums as a ledger keeps them, to the thousandth of a call.</summary>
/// <param name="Draws">How many were drawn.</param>
/// <param name="Calls">How many calls they stand for.</param>
/// <param name="Ticks">What these took.</param>
/// <param name="Untimed">Calls whose duration is not known.</param>
/// <param name="Squares">Of the weights; 0 where nobody asks.</param>
public sealed record KeptDrawn(
    [property: JsonPropertyName("d")] long Draws, [property: JsonPropertyName("c")] double Calls, [property: JsonPropertyName("t")] double Ticks, [property: JsonPropertyName("u")] double Untimed, [property: JsonPropertyName("q")] double Squares)
{
    internal static KeptDrawn Of(Drawn drawn, bool squares) =>
        new(drawn.Draws, Math.Round(drawn.Calls, 3), Math.Round(drawn.Ticks), Math.Round(drawn.Calls - drawn.Timed, 3), squares ? Math.Round(drawn.Squares, 3) : 0);

    internal Drawn ToDrawn() => new() { Draws = Draws, Calls = Calls, Ticks = Ticks, Timed = Calls - Untimed, Squares = Squares };
}

/// <summary>Values of the hour that begins with a minute.</summary>
/// <param name="Minute">Minutes since 1970, UTC.</param>
/// <param name="Values">Of one pattern.</param>
public readonly record struct TimedValues(int Minute, HourOfValues Values);
