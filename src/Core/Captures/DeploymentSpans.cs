namespace SwiftLedger.Core.Captures;

/// <summary>The times before and after a deployment that are held against each other: whole hours, without the one in which it happened.</summary>
/// <param name="From">First minute since 1970 of the span before.</param>
/// <param name="Before">First minute behind it.</param>
/// <param name="After">First minute of the span after.</param>
/// <param name="To">First minute behind it.</param>
public sealed record DeploymentSpans(int From, int Before, int After, int To)
{
    private const int UsualDays = 7, MostDays = 36_600, Day = 1_440;

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
}
