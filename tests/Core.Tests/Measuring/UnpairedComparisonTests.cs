using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Measuring;

public class UnpairedComparisonTests
{
    private static readonly Band Band = Band.OfTolerance(0.05);

    // J. L. Hodges and E. L. Lehmann (1963): the shift is the median of all n x m differences, here computed outright.
    [Fact]
    public void The_shift_is_the_median_of_all_differences()
    {
        (List<LatencyHistogram> before, double[] x) = Hours(48, 20, 1, seed: 1);
        (List<LatencyHistogram> after, double[] y) = Hours(48, 20, 1.6, seed: 2);
        double[] differences = (from a in x from b in y select Math.Log(b / a)).Order().ToArray();
        double exact = Quantile.OfSorted(differences, 0.5);
        UnpairedComparison.Of(before, after, Band, 1)!.LogShift.ShouldBe(exact, 0.01);
    }

    [Fact]
    public void A_slow_down_is_found_and_nothing_is_found_where_nothing_changed()
    {
        List<LatencyHistogram> before = Hours(72, 40, 1, seed: 3).Hours;
        UnpairedComparison.Of(before, Hours(72, 40, 1.3, seed: 4).Hours, Band, 1)!.Standing.ShouldBe(Standing.Above);
        UnpairedComparison.Of(before, Hours(72, 40, 0.7, seed: 5).Hours, Band, 1)!.Standing.ShouldBe(Standing.Below);
        UnpairedComparison.Of(before, Hours(72, 40, 1, seed: 6).Hours, Band, 1)!.Standing.ShouldBe(Standing.Inside);
    }

    [Fact]
    public void A_false_alarm_is_rarer_than_one_in_fifty_even_when_hours_drift_together()
    {
        int alarms = Enumerable.Range(0, 100).Count(i =>
            UnpairedComparison.Of(Hours(60, 15, 1, (ulong)i + 100, drift: 0.25).Hours, Hours(60, 15, 1, (ulong)i + 900, drift: 0.25).Hours, Band, (ulong)i)!.Standing
                is Standing.Above or Standing.Below);
        alarms.ShouldBeLessThanOrEqualTo(2);
    }

    /// <summary>At 99.9 % one in a thousand may be told to have moved where nothing did, however few the hours are of which the scatter has to be guessed.</summary>
    [Theory]
    [InlineData(2, 20)]
    [InlineData(3, 20)]
    [InlineData(5, 15)]
    [InlineData(8, 15)]
    [InlineData(30, 4)]
    public void Few_hours_cry_wolf_no_oftener_than_many(int hours, int calls)
    {
        const int runs = 1_000;
        Band narrow = Band.OfTolerance(0.001);
        int alarms = Enumerable.Range(0, runs).AsParallel().Count(i => UnpairedComparison.Of(Tailed(hours, calls, (ulong)i), Tailed(hours, calls, (ulong)i + runs), narrow, (ulong)i)!.Standing is Standing.Above or Standing.Below);
        alarms.ShouldBeLessThanOrEqualTo(runs * 3 / 1_000);
    }

    /// <summary>From 0.2 to 11 ms, evenly on a logarithmic scale, with hours of their own speed.</summary>
    private static List<LatencyHistogram> Tailed(int hours, int calls, ulong seed)
    {
        var random = new SplitMix((seed * 7_919) + 5);
        var stretches = new List<LatencyHistogram>();
        for (int h = 0; h < hours; h++)
        {
            double speed = Math.Exp(0.1 * (random.Unit() - 0.5));
            var stretch = new LatencyHistogram();
            for (int i = 0; i < calls; i++)
            {
                stretch.Record(TimeSpan.FromMilliseconds(0.2 * speed * Math.Exp(4 * random.Unit())).Ticks);
            }

            stretches.Add(stretch);
        }

        return stretches;
    }

    [Fact]
    public void Minutes_are_joined_within_their_hour_and_tell_the_same()
    {
        List<LatencyHistogram> before = Hours(1_440, 4, 1, seed: 31).Hours, after = Hours(1_440, 4, 1.4, seed: 32).Hours;
        List<int> hours = [.. Enumerable.Range(0, 1_440).Select(m => m / 60)];
        UnpairedComparison minutes = UnpairedComparison.Of(before, after, Band, 1, hours, hours)!, byHour = UnpairedComparison.Of(Together(before), Together(after), Band, 1, [.. Enumerable.Range(0, 24)], [.. Enumerable.Range(0, 24)])!;
        (minutes.CallsBefore, minutes.Standing).ShouldBe((byHour.CallsBefore, Standing.Above));
        minutes.Ratio.ShouldBe(byHour.Ratio, 0.02);

        static List<LatencyHistogram> Together(List<LatencyHistogram> minutes) => [.. minutes.Chunk(60).Select(c =>
        {
            var hour = new LatencyHistogram();
            foreach (LatencyHistogram m in c)
            {
                hour.Add(m);
            }

            return hour;
        })];
    }

    [Fact]
    public void Fewer_than_thirty_calls_decide_nothing()
    {
        UnpairedComparison few = UnpairedComparison.Of(Hours(5, 5, 1, seed: 7).Hours, Hours(50, 20, 9, seed: 8).Hours, Band, 1)!;
        (few.CallsBefore, few.Standing).ShouldBe((25, Standing.Undecided));
        UnpairedComparison.Of([], Hours(5, 5, 1, seed: 7).Hours, Band, 1).ShouldBeNull();
    }

    [Fact]
    public void Like_hours_are_compared_where_the_spans_differ()
    {
        // By night everything is three times faster. Before covers days only, after both: without like hours that would pass for a gain.
        List<TimedCell> before = Cells(0, 48, h => h is >= 8 and < 20), after = Cells(2_400, 2_448, _ => true);
        DeploymentEffect effect = DeploymentEffects.Of(1, before, after, 2, 2, Band, 1);
        effect.LikeHours.ShouldBeTrue();
        effect.Comparison!.Ratio.ShouldBe(1, 0.05);

        static List<TimedCell> Cells(int from, int to, Func<int, bool> kept)
        {
            var random = new SplitMix((ulong)from + 1);
            var cells = new List<TimedCell>();
            for (int hour = from; hour < to; hour++)
            {
                if (!kept(hour % 24))
                {
                    continue;
                }

                var cell = new Cell();
                for (int i = 0; i < 40; i++)
                {
                    double ms = (hour % 24 is >= 8 and < 20 ? 3 : 1) * Math.Exp(random.Unit() * 0.3);
                    cell.Count(new Observation { Duration = TimeSpan.FromMilliseconds(ms) });
                }

                cells.Add(new(hour * 60, cell));
            }

            return cells;
        }
    }

    [Fact]
    public void What_came_and_went_with_a_deployment_is_called_new_and_gone()
    {
        var cell = new Cell();
        cell.Count(new Observation { Duration = TimeSpan.FromMilliseconds(1) });
        DeploymentEffects.Of(1, [], [new(0, cell)], 1, 1, Band, 1).Movement.ShouldBe(Movement.New);
        DeploymentEffects.Of(1, [new(0, cell)], [], 1, 1, Band, 1).Movement.ShouldBe(Movement.Gone);
        DeploymentEffects.Of(1, [new(0, cell)], [new(60, cell)], 1, 1, Band, 1).Message.ShouldStartWith("Too few calls to tell");
    }

    /// <summary>Log-uniform durations around a factor; drift moves whole hours, each like the one before it.</summary>
    private static (List<LatencyHistogram> Hours, double[] All) Hours(int hours, int calls, double factor, ulong seed, double drift = 0)
    {
        var random = new SplitMix(seed);
        var all = new List<double>();
        var histograms = new List<LatencyHistogram>();
        double level = 0;
        for (int h = 0; h < hours; h++)
        {
            level = (0.8 * level) + (drift * (random.Unit() - 0.5));
            var histogram = new LatencyHistogram();
            for (int i = 0; i < calls; i++)
            {
                double ticks = 20_000 * factor * Math.Exp(level + (random.Unit() - 0.5));
                histogram.Record((long)ticks);
                all.Add(ticks);
            }

            histograms.Add(histogram);
        }

        return (histograms, [.. all]);
    }
}
