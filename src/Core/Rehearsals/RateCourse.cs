using System.Globalization;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>How often executions arrive over a stint, whether or not a session is free.</summary>
/// <param name="PerSecond">The course: of steps, each as long as the others; of a ramp, its corners, evenly apart.</param>
/// <param name="Ramps">Whether the rate moves evenly from corner to corner.</param>
/// <param name="Poisson">Whether arrivals know nothing of each other; else they come evenly.</param>
public sealed record RateCourse(IReadOnlyList<double> PerSecond, bool Ramps, bool Poisson)
{
    /// <summary>More arrivals than this are not laid out for one stint.</summary>
    public const int MostArrivals = 5_000_000;

    /// <summary>Average rate over the course.</summary>
    public double Mean => Cumulated(1);

    public RateCourse Times(double factor) => this with { PerSecond = [.. PerSecond.Select(r => r * factor)] };

    /// <summary>When executions are due, ascending.</summary>
    /// <param name="seconds">How long the course lasts.</param>
    /// <param name="random">Draws the arrivals, where they are random.</param>
    /// <returns>Nanoseconds from the beginning of the course.</returns>
    /// <remarks>
    /// By inversion of the integrated rate: a Poisson process of rate 1, or the whole numbers from a random start, read off at the time at which the
    /// course has offered so many (E. Çinlar, "Introduction to Stochastic Processes" (1975), chapter 4).
    /// </remarks>
    public long[] Arrivals(double seconds, ref SplitMix random)
    {
        double all = Mean * seconds;
        var due = new List<long>((int)Math.Min(all + 16, MostArrivals));
        for (double offered = Poisson ? Gap(ref random) : random.Unit(); offered < all && due.Count < MostArrivals; offered += Poisson ? Gap(ref random) : 1)
        {
            due.Add((long)(TimeAt(offered / all) * seconds * 1e9));
        }

        return [.. due];
    }

    /// <summary>As a load file says it.</summary>
    public override string ToString() =>
        $"{string.Join(Ramps ? " to " : ", ", PerSecond.Select(r => r.ToString("0.###", CultureInfo.InvariantCulture)))}/second {(Poisson ? "poisson" : "even")}";

    private static double Gap(ref SplitMix random) => -Math.Log(1 - random.Unit());

    private int Stretches => Ramps ? PerSecond.Count - 1 : PerSecond.Count;

    /// <summary>The rate at the two ends of a stretch of the course.</summary>
    private (double From, double To) Stretch(int i) => Ramps ? (PerSecond[i], PerSecond[i + 1]) : (PerSecond[i], PerSecond[i]);

    /// <summary>What is offered up to a share of the course, as if the course took one second.</summary>
    private double Cumulated(double share)
    {
        double width = 1.0 / Stretches, sum = 0;
        for (int i = 0; i < Stretches && share > i * width; i++)
        {
            double x = Math.Min(1, (share - (i * width)) / width);
            (double from, double to) = Stretch(i);
            sum += width * ((from * x) + ((to - from) * x * x / 2));
        }

        return sum;
    }

    /// <summary>At which share of the course so great a share of all is offered.</summary>
    private double TimeAt(double shareOffered)
    {
        double wanted = shareOffered * Mean, width = 1.0 / Stretches, sum = 0;
        for (int i = 0; i < Stretches; i++)
        {
            (double from, double to) = Stretch(i);
            double here = width * (from + to) / 2;
            if (sum + here >= wanted && here > 0)
            {
                double rest = (wanted - sum) / width, slope = to - from;

                // from x + slope x² / 2 = rest, in the form that loses no digits where the slope is small.
                double x = 2 * rest / (from + Math.Sqrt(Math.Max(0, (from * from) + (2 * slope * rest))));
                return (i + Math.Min(1, x)) * width;
            }

            sum += here;
        }

        return 1;
    }
}
