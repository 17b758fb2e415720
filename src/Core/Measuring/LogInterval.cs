namespace SwiftLedger.Core.Measuring;

/// <summary>The ends of intervals of ln(after / before), as they are told.</summary>
public static class LogInterval
{
    /// <summary>Beyond it nothing is known: a factor of 5 * 10^21. Of two calls, Student's distribution would have ends that no number holds.</summary>
    public const double Most = 50;

    /// <summary>An end, no further out than that.</summary>
    /// <param name="end">In natural logarithms; may be infinite.</param>
    public static double Told(double end) => Math.Clamp(end, -Most, Most);
}
