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

/// <summary>How many statements a page sends for a unit, before and after a deployment.</summary>
/// <param name="Page">Its name.</param>
/// <param name="Before">All of its units before.</param>
/// <param name="After">And since.</param>
/// <param name="Moved">Whether the statements of a unit moved beyond chance, by a tenth at least.</param>
public sealed record PageChange(string Page, PageSum Before, PageSum After, bool Moved)
{
    private const double LeastChange = 0.1;
    private const int LeastUnits = 20, LeastHours = 3;

    /// <remarks>
    /// The ratio of two sums over hours, with the variance of a ratio estimator by hours (Cochran, Sampling Techniques, 1977, 6.4): units of one
    /// hour are alike.
    /// </remarks>
    /// <param name="page">Its name.</param>
    /// <param name="before">Its hours before.</param>
    /// <param name="after">Its hours since.</param>
    public static PageChange Of(string page, IReadOnlyList<PageSum> before, IReadOnlyList<PageSum> after)
    {
        PageSum x = before.Aggregate(default(PageSum), (a, b) => a + b), y = after.Aggregate(default(PageSum), (a, b) => a + b);
        bool enough = Math.Min(x.Units, y.Units) >= LeastUnits && Math.Min(before.Count, after.Count) >= LeastHours;
        double change = y.PerUnit - x.PerUnit, error = Math.Sqrt(Variance(before, x) + Variance(after, y));
        return new(page, x, y, enough && Math.Abs(change) > LeastChange * x.PerUnit && Math.Abs(change) > Normal.Width * error);
    }

    private static double Variance(IReadOnlyList<PageSum> hours, PageSum sum) => hours.Count < 2 || sum.Units == 0 ? 0
        : hours.Sum(h => Math.Pow(h.Statements - (sum.PerUnit * h.Units), 2)) * hours.Count / (hours.Count - 1) / ((double)sum.Units * sum.Units);
}

/// <summary>A version of a service that a capture tells of.</summary>
/// <param name="Service">Its name.</param>
/// <param name="Version">As it calls it.</param>
public readonly record struct VersionKey(string Service, string Version);
