using System.Globalization;
using SwiftLedger.Core.Captures;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>A span as the ledger can answer it: to the second where a book is as short as that, else to minutes, hours or days.</summary>
/// <param name="From">Start, UTC.</param>
/// <param name="To">End, not included.</param>
/// <param name="Course">The run of cells that a course of it is made of.</param>
/// <param name="Step">How many of these cells make a point.</param>
/// <param name="Sums">The runs of cells whose sums are the span's.</param>
internal sealed record AnsweredSpan(DateTime From, DateTime To, Run Course, int Step, IReadOnlyList<Run> Sums)
{
    private const int MostPoints = 420;

    private static readonly int[] Steps = [1, 2, 5, 10, 15, 30, 60];

    /// <summary>Length of a point.</summary>
    public double PointMinutes => Course.Stretch == Stretch.Second ? Step / 60.0 : Course.Stretch.Minutes();

    /// <param name="from">ISO 8601; null or nothing of the kind for the start of all.</param>
    /// <param name="to">Likewise.</param>
    /// <param name="extent">What the captures cover, by minutes.</param>
    public static AnsweredSpan Of(string? from, string? to, Whose whose, DaybookStore daybook, long book, (int From, int To) extent)
    {
        if (!whose.IsOfCallers && daybook.Seconds(book) is { } seconds)
        {
            (int a, int b) = Clipped(SecondOf(from, false) ?? seconds.From, SecondOf(to, true) ?? seconds.To, seconds);
            var run = new Run(Stretch.Second, a, b);
            return new(Stretches.TimeOfSecond(a), Stretches.TimeOfSecond(b), run, Array.Find(Steps, s => (b - a) / s <= MostPoints) is var s and > 0 ? s : Steps[^1], [run]);
        }

        int minutesFrom = whose.IsOfCallers ? int.MaxValue : daybook.MinutesFrom(book);
        (int first, int last) = Clipped(MinuteOf(from, false) ?? extent.From, MinuteOf(to, true) ?? extent.To, extent);
        (first, last) = whose.IsOfCallers ? Coverage.WholeHours(first, last) : Coverage.Answerable(first, last, minutesFrom);
        Stretch stretch = last - first <= MostPoints && first >= minutesFrom ? Stretch.Minute : (last - first) / 60 <= MostPoints ? Stretch.Hour : Stretch.Day;
        return new(Stretches.TimeOf(first), Stretches.TimeOf(last), new(stretch, stretch.StartOf(first), last), 1, Coverage.Of(first, last, minutesFrom));
    }

    /// <summary>The course of some sources.</summary>
    /// <param name="patterns">Null for all.</param>
    public List<CoursePoint> CourseOf(DaybookStore daybook, IReadOnlyList<long> sources, IReadOnlyCollection<long>? patterns, bool percentiles)
    {
        if (Step == 1)
        {
            return [.. daybook.Timeline(sources, Course.Stretch, Course.From, Course.To, patterns, percentiles, c => CoursePoint.Of(TimeOf(c.Minute), c.Cell))];
        }

        var points = new List<(int At, Cell Cell)>();
        foreach (TimedCell cell in daybook.Timeline(sources, Course.Stretch, Course.From, Course.To, patterns, percentiles))
        {
            int at = Course.From + ((cell.Minute - Course.From) / Step * Step);
            if (points.Count == 0 || points[^1].At != at)
            {
                points.Add((at, new()));
            }

            points[^1].Cell.Add(cell.Cell);
        }

        return [.. points.Select(p => CoursePoint.Of(TimeOf(p.At), p.Cell))];
    }

    /// <summary>When a cell of the course begins.</summary>
    public DateTime TimeOf(int cell) => Course.Stretch == Stretch.Second ? Stretches.TimeOfSecond(cell) : Stretches.TimeOf(cell);

    // A minute or second of which the span holds a part belongs to it.
    private static int? MinuteOf(string? text, bool end) => Parse(text) is { } time ? Stretches.MinuteOf(end ? time + TimeSpan.FromMinutes(1) - TimeSpan.FromTicks(1) : time) : null;

    private static int? SecondOf(string? text, bool end) => Parse(text) is { } time ? Stretches.SecondOf(end ? time + TimeSpan.FromSeconds(1) - TimeSpan.FromTicks(1) : time) : null;

    private static DateTime? Parse(string? text) =>
        DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out DateTimeOffset time) && time.Year is > 1970 and < 2038 ? time.UtcDateTime : null;

    /// <summary>What of it the book covers; all of that where it has nothing in common with it.</summary>
    private static (int From, int To) Clipped(int first, int last, (int From, int To) extent)
    {
        last = last > first ? last : first + 1;
        return last <= extent.From || first >= extent.To ? extent : (Math.Max(first, extent.From), Math.Min(last, extent.To));
    }
}
