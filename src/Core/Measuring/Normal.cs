namespace SwiftLedger.Core.Measuring;

/// <summary>The standard normal distribution.</summary>
public static class Normal
{
    /// <summary>Standard errors to each side of an interval of 99.9 %, as a trial has over all its looks: the quantile of 0.9995.</summary>
    public const double Width = 3.2905;

    // Table 26.10, for P = 0.999.
    private static readonly double[] _studentOfFew = [636.619, 31.598, 12.924, 8.610];

    /// <summary>The same of Student's distribution, to 2.5 % from five degrees of freedom on.</summary>
    /// <param name="freedom">Degrees of freedom, at least 1.</param>
    /// <remarks>M. Abramowitz, I. A. Stegun, Handbook of Mathematical Functions (1964), 26.7.5, and table 26.10 for up to four degrees.</remarks>
    public static double StudentWidth(int freedom)
    {
        if (freedom <= _studentOfFew.Length)
        {
            return _studentOfFew[freedom - 1];
        }

        const double z = Width;
        double z3 = z * z * z, z5 = z3 * z * z, z7 = z5 * z * z;
        return z + ((z3 + z) / 4 / freedom) + (((5 * z5) + (16 * z3) + (3 * z)) / 96 / freedom / freedom) + (((3 * z7) + (19 * z5) + (17 * z3) - (15 * z)) / 384 / Math.Pow(freedom, 3));
    }

    /// <summary>P(Z > z) of the standard normal distribution, to 1.5e-7.</summary>
    /// <remarks>M. Abramowitz, I. A. Stegun, Handbook of Mathematical Functions (1964), 7.1.26.</remarks>
    public static double Tail(double z)
    {
        double x = Math.Abs(z) / Math.Sqrt(2), t = 1 / (1 + (0.3275911 * x));
        double tail = 0.5 * t * (0.254829592 + (t * (-0.284496736 + (t * (1.421413741 + (t * (-1.453152027 + (t * 1.061405429)))))))) * Math.Exp(-x * x);
        return z >= 0 ? tail : 1 - tail;
    }
}
