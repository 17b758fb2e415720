using System.Globalization;
using System.Text.RegularExpressions;

namespace SwiftLedger.Core.Likenesses;

/// <summary>
/// What of a column's values may be told: none of its words but those that a text names that was handed in anyway; numbers and moments only on a grid of a
/// thousandth of their range, so that nobody's own can be read from them; the numbers of keys that are numbered through as they are, for they say nothing but which row.
/// </summary>
public static partial class Discretion
{
    private const int Steps = 1000;

    /// <summary>A number that was given to rows one after the other leaves few out: of another one, a bank's or a state's, most are nobody's.</summary>
    private const double LeastUsed = 0.25;

    private static readonly DateTime Origin = new(2000, 1, 1);

    /// <summary>The column as it may be told.</summary>
    /// <param name="column">With all that is known of it, values as the engine writes them.</param>
    /// <param name="named">Values that may be told as they are.</param>
    /// <param name="isKey">Whether it says which row: a key, or what refers to one.</param>
    /// <param name="rows">Of its table.</param>
    public static LikenessColumn Of(LikenessColumn column, NamedValues named, bool isKey, long rows)
    {
        string[] values = [.. column.Common.Select(c => c.Value).OfType<string>(), .. column.Bounds];
        ValueKind kind = column.Kind == ValueKind.Text && values.Length > 0 && values.All(v => Moment().IsMatch(v)) ? ValueKind.Moment : column.Kind;
        Func<string, string?> told = kind switch
        {
            ValueKind.Label => v => v,
            ValueKind.Whole when isKey && IsNumberedThrough(values, column.DistinctOf(rows)) => v => v,
            ValueKind.Whole or ValueKind.Number => OnGrid(values),
            ValueKind.Moment => OnDays(values),
            _ => _ => null,
        };
        return column with
        {
            Kind = kind,
            Nulls = Rounded(column.Nulls),
            Distinct = column.Distinct < 0 ? Rounded(column.Distinct) : column.Distinct,
            Width = Math.Round(column.Width, 1),
            Order = column.Order is { } order ? Math.Round(order, 2) + 0.0 : null,
            Common = [.. Together(column.Common.Select(c => new CommonValue(c.Share, c.Value is { } v ? named.Contains(v) ? v : told(v) : null)))],
            Bounds = [.. column.Bounds.Select(told).OfType<string>()],
        };
    }

    /// <summary>Whether a text is a day or a moment in the form that sorts by time.</summary>
    /// <param name="text">Any.</param>
    public static bool IsMoment(string text) => Moment().IsMatch(text);

    private static bool IsNumberedThrough(IReadOnlyList<string> values, double distinct)
    {
        double[] numbers = [.. values.Select(NumberOf).Where(double.IsFinite)];
        return numbers.Length == 0 || distinct >= (numbers.Max() - numbers.Min() + 1) * LeastUsed;
    }

    private static double Rounded(double share) => Math.Round(share, 6);

    /// <summary>Values that fell together are one; the most common first.</summary>
    private static IEnumerable<CommonValue> Together(IEnumerable<CommonValue> all)
    {
        List<CommonValue> list = [.. all];
        return list.Where(c => c.Value is not null).GroupBy(c => c.Value).Select(g => new CommonValue(Rounded(g.Sum(c => c.Share)), g.Key))
            .Concat(list.Where(c => c.Value is null).Select(c => c with { Share = Rounded(c.Share) })).OrderByDescending(c => c.Share);
    }

    private static Func<string, string?> OnGrid(IReadOnlyList<string> values)
    {
        double[] numbers = [.. values.Select(NumberOf).Where(double.IsFinite)];
        if (numbers.Length == 0)
        {
            return _ => null;
        }

        bool whole = values.All(v => !v.Contains('.', StringComparison.Ordinal) && !v.Contains('e', StringComparison.OrdinalIgnoreCase));

        // One value alone has no range: then of its own size.
        double range = numbers.Max() - numbers.Min() is var spread and > 0 ? spread : numbers.Max(Math.Abs);
        double step = range / Steps is var least and > 1e-300 ? Math.Pow(10, Math.Ceiling(Math.Log10(least))) : 0;
        step = whole ? Math.Max(1, step) : step;
        return v => NumberOf(v) is var n && !double.IsFinite(n) ? null : step == 0 ? "0" : Math.Round(n / step) * step is var snapped && double.IsFinite(snapped) ? Written(snapped, step) : null;
    }

    private static string Written(double number, double step) =>
        number.ToString($"F{Math.Clamp((int)Math.Round(-Math.Log10(step)), 0, 15).ToString(CultureInfo.InvariantCulture)}", CultureInfo.InvariantCulture) is var text && text.Trim('-', '0', '.').Length == 0 ? text.TrimStart('-') : text;

    private static double NumberOf(string text) => double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double number) ? number : double.NaN;

    /// <summary>By whole days, or more of them where they span years; of what is finer, the form stays.</summary>
    private static Func<string, string?> OnDays(IReadOnlyList<string> values)
    {
        DateTime[] days = [.. values.Select(DayOf).OfType<DateTime>()];
        if (days.Length == 0)
        {
            return _ => null;
        }

        int step = Math.Max(1, (int)Math.Ceiling((days.Max() - days.Min()).TotalDays / Steps));
        return v =>
        {
            if (DayOf(v) is not { } day)
            {
                return null;
            }

            DateTime snapped = Origin.AddDays(Math.Floor((day - Origin).TotalDays / step) * step);
            return snapped.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) + (v.Length > 10 ? Digits().Replace(v[10..], "0") : "");
        };
    }

    private static DateTime? DayOf(string text) =>
        text.Length >= 10 && DateTime.TryParseExact(text[..10], "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out DateTime day) ? day : null;

    [GeneratedRegex("^[0-9]{4}-[01][0-9]-[0-3][0-9](?:[ T][0-2][0-9]:[0-5][0-9](?::[0-5][0-9](?:\\.[0-9]+)?)?(?:Z|[+-][0-9:]{2,5})?)?$", RegexOptions.CultureInvariant)]
    private static partial Regex Moment();

    [GeneratedRegex("(?<![+-][0-9:]*)[0-9]", RegexOptions.CultureInvariant)]
    private static partial Regex Digits();
}
