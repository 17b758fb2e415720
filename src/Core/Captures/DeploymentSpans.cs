namespace SwiftLedger.Core.Captures;

/// <summary>The times before and after a deployment that are held against each other: whole hours without the one in which it happened, or minutes where another deployment came too soon for that.</summary>
/// <param name="From">First minute since 1970 of the span before.</param>
/// <param name="Before">First minute behind it.</param>
/// <param name="After">First minute of the span after.</param>
/// <param name="To">First minute behind it.</param>
/// <param name="Grain">What the spans are made of.</param>
public sealed record DeploymentSpans(int From, int Before, int After, int To, Stretch Grain = Stretch.Hour)
{
    private const int UsualDays = 7, MostDays = 36_600, Day = 1_440;

    /// <summary>The scatter of hours is not known from fewer of them.</summary>
    internal const int LeastHours = 4;

    /// <summary>So many whole hours tell by themselves: from fewer, Student's interval is more than 1.65 times as wide as that of a known scatter, and hides what minutes show.</summary>
    private const int EnoughHours = 8;

    public double DaysBefore => Math.Max(0, Before - From) / (double)Day;

    public double DaysAfter => Math.Max(0, To - After) / (double)Day;

    /// <param name="at">Minute of the deployment, since 1970.</param>
    /// <param name="others">Minutes of the book's other deployments.</param>
    /// <param name="extent">What the captures cover.</param>
    /// <param name="days">Length of each span; null for what lies between this deployment and its neighbours, a week at most.</param>
    public static DeploymentSpans Of(int at, IReadOnlyList<int> others, (int From, int To) extent, double? days)
    {
        int most = (int)(Math.Clamp(days is { } d && double.IsFinite(d) ? d : UsualDays, 0, MostDays) * Day);
        int from = Math.Max(extent.From, at - most), to = Math.Min(extent.To, at + most);
        if (days is null)
        {
            // Another deployment in the span would be held against this one.
            from = Math.Max(from, others.Where(o => o < at).DefaultIfEmpty(int.MinValue).Max());
            to = Math.Min(to, others.Where(o => o > at).DefaultIfEmpty(int.MaxValue).Min());
        }

        int hour = Stretch.Hour.StartOf(at);
        return new(Stretch.Hour.StartOf(from + 59), hour, hour + Stretch.Hour.Minutes(), to);
    }

    /// <summary>
    /// The same, by minutes where a side has so few whole hours that their scatter is not known well: just after a deployment, or where a fix follows some hours after what it mends.
    /// Minutes in which anything was deployed belong to neither side, and a day is enough for the longer one.
    /// </summary>
    /// <inheritdoc cref="Of"/>
    public static DeploymentSpans ToTheMinute(int at, IReadOnlyList<int> others, (int From, int To) extent)
    {
        var hours = Of(at, others, extent, null);
        return Math.Min(hours.Before - hours.From, hours.To - hours.After) >= EnoughHours * Stretch.Hour.Minutes() ? hours : Minutes(at, others, extent) ?? hours;
    }

    /// <summary>By minutes, whatever there is of hours; null where a side would be empty.</summary>
    /// <inheritdoc cref="Of"/>
    public static DeploymentSpans? Minutes(int at, IReadOnlyList<int> others, (int From, int To) extent)
    {
        int from = Math.Max(Math.Max(extent.From, at - Day), others.Where(o => o < at).Select(o => o + 1).DefaultIfEmpty(int.MinValue).Max());
        int to = Math.Min(Math.Min(extent.To, at + Day), others.Where(o => o > at).DefaultIfEmpty(int.MaxValue).Min());
        return from >= at || to <= at + 1 ? null : new(from, at, at + 1, to, Stretch.Minute);
    }
}
