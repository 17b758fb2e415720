using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Captures;

/// <summary>Units of work of one page, in an hour.</summary>
/// <param name="Page">What names the unit: the route or name of a trace's root span, or the page of a tag.</param>
/// <param name="Source">The server or application instance.</param>
/// <param name="Hour">Its first minute since 1970, UTC.</param>
public readonly record struct PageKey(string Page, string Source, int Hour);

/// <summary>What they came to.</summary>
/// <param name="Units">How many.</param>
/// <param name="Statements">Sent by all of them.</param>
/// <param name="Ticks">Time in the database of all of them.</param>
public readonly record struct PageSum(long Units, long Statements, long Ticks)
{
    /// <summary>Both together.</summary>
    public static PageSum operator +(PageSum a, PageSum b) => new(a.Units + b.Units, a.Statements + b.Statements, a.Ticks + b.Ticks);

    /// <summary>Statements of one unit, on average.</summary>
    public double PerUnit => Statements / (double)Math.Max(1, Units);

    /// <summary>Milliseconds in the database of one unit, on average.</summary>
    public double MsPerUnit => Ticks / (double)TimeSpan.TicksPerMillisecond / Math.Max(1, Units);
}

/// <summary>A page's hours in a span, summed, with what tells how much they scatter.</summary>
/// <param name="Sum">Of all hours.</param>
/// <param name="Hours">In which it had units.</param>
/// <param name="UnitsSquared">Sum over the hours of the units' square.</param>
/// <param name="Products">Likewise of units times statements.</param>
/// <param name="StatementsSquared">Likewise of the statements' square.</param>
public readonly record struct PageSpan(PageSum Sum, long Hours, double UnitsSquared, double Products, double StatementsSquared)
{
    /// <param name="hours">Of one page.</param>
    public static PageSpan Of(IReadOnlyList<PageSum> hours) => new(hours.Aggregate(default(PageSum), (a, b) => a + b), hours.Count,
        hours.Sum(h => (double)h.Units * h.Units), hours.Sum(h => (double)h.Units * h.Statements), hours.Sum(h => (double)h.Statements * h.Statements));

    /// <summary>Of the statements of a unit, as a ratio of two sums over hours (Cochran, Sampling Techniques, 1977, 6.4): units of one hour are alike.</summary>
    public double Variance => Hours < 2 || Sum.Units == 0 ? 0
        : Math.Max(0, StatementsSquared - (2 * Sum.PerUnit * Products) + (Sum.PerUnit * Sum.PerUnit * UnitsSquared)) * Hours / (Hours - 1) / ((double)Sum.Units * Sum.Units);
}

/// <summary>How many statements a page sends for a unit, before and after a deployment.</summary>
/// <param name="Page">Its name.</param>
/// <param name="Before">All of its units before.</param>
/// <param name="After">And since.</param>
/// <param name="Moved">Whether the statements of a unit moved beyond chance, by a tenth at least.</param>
public sealed record PageChange(string Page, PageSum Before, PageSum After, bool Moved)
{
    private const double LeastChange = 0.1;
    private const int LeastUnits = 20, LeastHours = 3;

    /// <param name="page">Its name.</param>
    /// <param name="before">Its span before.</param>
    /// <param name="after">Its span since.</param>
    public static PageChange Of(string page, PageSpan before, PageSpan after)
    {
        bool enough = Math.Min(before.Sum.Units, after.Sum.Units) >= LeastUnits && Math.Min(before.Hours, after.Hours) >= LeastHours;
        double change = after.Sum.PerUnit - before.Sum.PerUnit;
        return new(page, before.Sum, after.Sum, enough && Math.Abs(change) > LeastChange * before.Sum.PerUnit && Math.Abs(change) > Normal.Width * Math.Sqrt(before.Variance + after.Variance));
    }
}

/// <summary>A version of a service that a capture tells of.</summary>
/// <param name="Service">Its name.</param>
/// <param name="Version">As it calls it.</param>
public readonly record struct VersionKey(string Service, string Version);
