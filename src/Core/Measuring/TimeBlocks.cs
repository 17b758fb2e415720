namespace SwiftLedger.Core.Measuring;

/// <summary>How many neighbours in time belong together when they are drawn anew.</summary>
public static class TimeBlocks
{
    private const double MostCorrelation = 0.97;

    /// <summary>The block length for a mean from the lag-1 correlation of a course (E. Carlstein, "The Use of Subseries Values for Estimating the Variance of a General Statistic", 1986).</summary>
    /// <param name="course">In order of time.</param>
    /// <returns>At least 1, at most half of the course.</returns>
    public static int LengthOf(IReadOnlyList<double> course)
    {
        int count = course.Count;
        if (count < 4)
        {
            return 1;
        }

        double mean = course.Average(), variance = 0, covariance = 0;
        for (int i = 0; i < count; i++)
        {
            variance += (course[i] - mean) * (course[i] - mean);
            covariance += i > 0 ? (course[i] - mean) * (course[i - 1] - mean) : 0;
        }

        double r = variance > 0 ? Math.Clamp(covariance / variance, 0, MostCorrelation) : 0;
        double length = Math.Pow(2 * r / (1 - (r * r)), 2.0 / 3) * Math.Cbrt(count);
        return Math.Clamp((int)Math.Ceiling(length), 1, count / 2);
    }
}
