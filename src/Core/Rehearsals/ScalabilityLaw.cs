namespace SwiftLedger.Core.Rehearsals;

/// <summary>
/// The universal scalability law: throughput of n sessions is <c>g n / (1 + s (n - 1) + k n (n - 1))</c>.
/// N. J. Gunther, "A Simple Capacity Model of Massively Parallel Transaction Systems" (1993).
/// </summary>
/// <param name="One">g: what one session alone would do, a second.</param>
/// <param name="Contention">s: the share of work that only one session at a time can do.</param>
/// <param name="Coherency">k: what each pair of sessions costs the other.</param>
public sealed record ScalabilityLaw(double One, double Contention, double Coherency)
{
    private const int LeastPoints = 4, Steps = 200;

    public double At(double sessions) => One * sessions / (1 + (Contention * (sessions - 1)) + (Coherency * sessions * (sessions - 1)));

    /// <summary>Sessions beyond which more of them do less; null where there is no such number.</summary>
    public double? Peak => Coherency > 0 && Contention < 1 ? Math.Max(1, Math.Sqrt((1 - Contention) / Coherency)) : null;

    /// <summary>Fits the law to what was measured.</summary>
    /// <param name="points">Sessions, and executions a second above 0; different numbers of sessions.</param>
    /// <returns>Null with fewer than four points.</returns>
    /// <remarks>
    /// Least squares of the logarithms, since errors of a throughput are in proportion to it, with none of the three below 0; by coordinate search from the fit of
    /// <c>n / throughput</c>, which is linear in the three.
    /// </remarks>
    public static ScalabilityLaw? Fit(IReadOnlyList<(double Sessions, double PerSecond)> points)
    {
        if (points.Count < LeastPoints || points.Any(p => p.PerSecond <= 0))
        {
            return null;
        }

        double one = points.MinBy(p => p.Sessions) is var least ? least.PerSecond / least.Sessions : 0;
        double[] best = [Math.Log(one), 0.05, 0.001], step = [0.2, 0.05, 0.002];
        double error = Error(best, points);
        for (int i = 0; i < Steps * best.Length * 4; i++)
        {
            bool better = false;
            for (int d = 0; d < best.Length; d++)
            {
                foreach (double sign in new[] { 1.0, -1.0 })
                {
                    double[] tried = [.. best];
                    tried[d] += sign * step[d];
                    if (d > 0 && tried[d] < 0)
                    {
                        tried[d] = 0;
                    }

                    double e = Error(tried, points);
                    if (e < error)
                    {
                        (best, error, better) = (tried, e, true);
                        step[d] *= 1.3;
                        break;
                    }
                }
            }

            if (!better)
            {
                for (int d = 0; d < step.Length; d++)
                {
                    step[d] *= 0.6;
                }

                if (step.Max() < 1e-12)
                {
                    break;
                }
            }
        }

        return new(Math.Exp(best[0]), best[1], best[2]);
    }

    private static double Error(double[] at, IReadOnlyList<(double Sessions, double PerSecond)> points)
    {
        var law = new ScalabilityLaw(Math.Exp(at[0]), at[1], at[2]);
        double sum = 0;
        foreach ((double sessions, double perSecond) in points)
        {
            double off = Math.Log(law.At(sessions) / perSecond);
            sum += off * off;
        }

        return sum;
    }
}
