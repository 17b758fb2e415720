namespace SwiftLedger.Core.Measuring;

/// <summary>How much hours differ from each other by themselves: minutes of one hour share its load, its caches and its neighbours, so that no scatter among them tells of it.</summary>
public static class HoursApart
{
    /// <summary>The standard deviation of what hours take, in natural logarithms: common practice, no source.</summary>
    public const double Usual = 0.1;

    /// <summary>The standard error that this adds to ln(after / before).</summary>
    /// <param name="before">Minutes with calls, since any beginning of an hour, in order.</param>
    /// <param name="after">Likewise.</param>
    public static double Of(IReadOnlyList<int> before, IReadOnlyList<int> after) => Usual * Math.Sqrt((1 / Hours(before)) + (1 / Hours(after)));

    /// <summary>As many as they touch, and no more than lie between the first and the last: half an hour across the stroke of one is half an hour.</summary>
    private static double Hours(IReadOnlyList<int> minutes) =>
        minutes.Count == 0 ? 1.0 / 60 : Math.Min(minutes.Select(m => m / 60).Distinct().Count(), (minutes[^1] - minutes[0] + 1) / 60.0);
}
