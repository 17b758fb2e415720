namespace SwiftLedger.Core.Measuring;

/// <summary>The standard normal distribution.</summary>
internal static class Normal
{
    /// <summary>Standard errors to each side of an interval of 99.9 %, as a trial has over all its looks: the quantile of 0.9995.</summary>
    public const double Width = 3.2905;

    /// <summary>P(Z > z) of the standard normal distribution, to 1.5e-7.</summary>
    /// <remarks>M. Abramowitz, I. A. Stegun, Handbook of Mathematical Functions (1964), 7.1.26.</remarks>
    public static double Tail(double z)
    {
        double x = Math.Abs(z) / Math.Sqrt(2), t = 1 / (1 + (0.3275911 * x));
        double tail = 0.5 * t * (0.254829592 + (t * (-0.284496736 + (t * (1.421413741 + (t * (-1.453152027 + (t * 1.061405429)))))))) * Math.Exp(-x * x);
        return z >= 0 ? tail : 1 - tail;
    }
}
