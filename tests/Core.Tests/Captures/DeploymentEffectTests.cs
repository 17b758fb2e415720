using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

/// <summary>What a deployment did, held against what was put into made captures: durations, calls and failures, with a daily rhythm.</summary>
public sealed class DeploymentEffectTests
{
    private static readonly Band Band = Band.OfTolerance(0.05);

    // Seven days on each side, of which every hour is up to 15 % slower or faster than the day.
    [Theory]
    [InlineData(1.0, Movement.Level, 17)]
    [InlineData(1.12, Movement.Regressed, 18)]
    [InlineData(0.88, Movement.Improved, 18)]
    public void A_daily_rhythm_hides_neither_that_nothing_moved_nor_what_did(double factor, Movement movement, int least)
    {
        Movement[] found = [.. Enumerable.Range(0, 18).Select(p => EffectOf(new() { Days = 7, CallsAnHour = 60 + (p * 20), Rhythm = 0.15, Seed = p }, new() { Days = 7, CallsAnHour = 60 + (p * 20), Rhythm = 0.15, Factor = factor, Seed = p + 500 }).Movement)];
        found.Count(m => m == movement).ShouldBeGreaterThanOrEqualTo(least);
        found.ShouldAllBe(m => m == movement || m == Movement.Unsettled);
    }

    // A day before and a day after, nothing changed: the hours that are estimated take their degrees of freedom.
    [Fact]
    public void With_a_single_day_on_each_side_a_rhythm_makes_no_false_alarm()
    {
        int wrong = Enumerable.Range(0, 100).Count(i => EffectOf(
            new() { Days = 1, CallsAnHour = 40, Rhythm = 0.3, Drift = 0.1, Seed = i }, new() { Days = 1, CallsAnHour = 40, Rhythm = 0.3, Drift = 0.1, Seed = i + 10_000 }).Movement is Movement.Regressed or Movement.Improved);
        wrong.ShouldBeLessThanOrEqualTo(1);
    }

    // A cache in the application: 1,821 calls a day become 102, each as dear as before.
    [Fact]
    public void A_statement_that_is_called_less_often_is_said_to_and_the_saving_is_that_of_its_calls()
    {
        DeploymentEffect effect = EffectOf(new() { Days = 5, CallsAnHour = 1_821 / 24.0, Seed = 1 }, new() { Days = 5, CallsAnHour = 102 / 24.0, Seed = 2 });
        effect.Rate!.Standing.ShouldBe(Standing.Below);
        effect.Rate.Before.ShouldBe(1_821, 100);
        effect.Moves.ShouldHaveSingleItem().ShouldMatch("^Called (1[6-9]|2[0-2])[.0-9]* times as rarely: ");
        effect.OfMoreCalls.ShouldBe(effect.ChangePerDay, Math.Abs(effect.ChangePerDay) * 0.15);
        (effect.OfMoreCalls + effect.OfDearerCalls).ShouldBe(effect.ChangePerDay, 1e-9);
    }

    // Days differ by a tenth and calls come in heaps: neither is a change of how often a statement is called.
    [Theory]
    [InlineData(1, 1)]
    [InlineData(2, 5)]
    [InlineData(7, 7)]
    public void Calls_that_only_scatter_did_not_move(int daysBefore, int daysAfter)
    {
        int wrong = Enumerable.Range(0, 100).Count(i => EffectOf(
            new() { Days = daysBefore, CallsAnHour = 5, Rhythm = 0.5, OfDays = 0.1, Heaps = 3, Seed = i }, new() { Days = daysAfter, CallsAnHour = 5, Rhythm = 0.5, OfDays = 0.1, Heaps = 3, Seed = i + 10_000 })
            .Rate!.Standing is Standing.Above or Standing.Below);
        wrong.ShouldBeLessThanOrEqualTo(1);
    }

    [Theory]
    [InlineData(2.0, Standing.Above)]
    [InlineData(0.5, Standing.Below)]
    public void Twice_or_half_as_many_calls_over_five_days_are_told(double factor, Standing standing) => Enumerable.Range(0, 30).Count(i => EffectOf(
        new() { Days = 5, CallsAnHour = 20, Rhythm = 0.5, OfDays = 0.1, Seed = i }, new() { Days = 5, CallsAnHour = 20 * factor, Rhythm = 0.5, OfDays = 0.1, Seed = i + 900 }).Rate!.Standing == standing).ShouldBeGreaterThanOrEqualTo(29);

    // Thirty hours before and nine since, by day only: a day's calls are those of the hours that both have.
    [Fact]
    public void Counts_are_compared_by_like_hours()
    {
        List<TimedCell> before = new Made { Days = 2, CallsAnHour = 50, Rhythm = 0.9, Seed = 3 }.Cells(), after = [.. new Made { Days = 1, CallsAnHour = 50, Rhythm = 0.9, Seed = 4 }.Cells().Where(c => c.Minute / 60 % 24 is >= 9 and < 18)];
        DeploymentEffect effect = DeploymentEffects.Of(1, [.. before.Where(c => c.Minute >= 18 * 60)], after, 30 / 24.0, 9 / 24.0, Band, 1);
        effect.Rate!.Standing.ShouldNotBe(Standing.Above);
        effect.Rate.Ratio.ShouldBe(1, 0.2);
    }

    // An hour in which a statement was not called is an hour without calls, where the capture holds others.
    [Fact]
    public void Hours_without_a_call_count_where_somebody_looked()
    {
        List<TimedCell> before = new Made { Days = 3, CallsAnHour = 20, Seed = 5 }.Cells(), after = [.. new Made { Days = 3, CallsAnHour = 20, Seed = 6 }.Cells().Where(c => c.Minute / 60 % 6 == 0)];
        List<int> hours = [.. Enumerable.Range(0, 72).Select(h => h * 60)];
        DeploymentEffects.Of(1, before, after, 3, 3, Band, 1, (hours, hours)).Rate!.Standing.ShouldBe(Standing.Below);
        DeploymentEffects.Of(1, before, after, 3, 3, Band, 1).Rate!.Standing.ShouldNotBe(Standing.Below, "nobody says that the other hours were observed");
    }

    [Theory]
    [InlineData(0.001, 0.03, 1, Standing.Above)]
    [InlineData(0.03, 0.001, 1, Standing.Below)]
    [InlineData(0, 0.01, 1, Standing.Above)]
    [InlineData(0.002, 0.002, 1, Standing.Inside)]
    [InlineData(0.01, 0.01, 60, Standing.Inside)]
    [InlineData(0, 0, 1, Standing.Inside)]
    public void Failures_are_judged_by_their_share_of_the_calls(double before, double after, int heaps, Standing moved)
    {
        FailureChange[] found = [.. Enumerable.Range(0, 40).Select(i => EffectOf(
            new() { Days = 2, CallsAnHour = 60, Failing = before, FailingTogether = heaps, Seed = i }, new() { Days = 2, CallsAnHour = 60, Failing = after, FailingTogether = heaps, Seed = i + 700 }).Failures!)];
        found.Count(f => f.Moved == moved).ShouldBeGreaterThanOrEqualTo(39);
    }

    [Fact]
    public void What_failed_after_a_while_is_no_duration_of_the_statement()
    {
        var cell = new Cell();
        cell.Count(new Observation { Duration = TimeSpan.FromMilliseconds(1) });
        cell.Count(new Observation { Duration = TimeSpan.FromSeconds(30), SqlState = "57014" });
        (cell.Calls, cell.Errors, cell.Timed, cell.MaxTicks, cell.TotalTicks, cell.Durations.Count).ShouldBe((2, 1, 1, 10_000, 300_010_000, 1));
    }

    private static DeploymentEffect EffectOf(Made before, Made after) => DeploymentEffects.Of(1, before.Cells(), after.Cells(), before.Days, after.Days, Band, (ulong)before.Seed);

    /// <summary>A statement's hours: durations lognormal, calls Poisson around a day's course.</summary>
    private sealed record Made
    {
        public int Days { get; init; }

        public double CallsAnHour { get; init; }

        /// <summary>How far durations and calls of an hour lie from the day's at the most, a fraction.</summary>
        public double Rhythm { get; init; }

        public double Factor { get; init; } = 1;

        /// <summary>Standard deviation of ln(duration) of single hours, beyond the rhythm.</summary>
        public double Drift { get; init; }

        /// <summary>Standard deviation of whole days' calls, a fraction.</summary>
        public double OfDays { get; init; }

        /// <summary>Calls that come together.</summary>
        public int Heaps { get; init; } = 1;

        public double Failing { get; init; }

        public int FailingTogether { get; init; } = 1;

        public int Seed { get; init; }

        public List<TimedCell> Cells()
        {
            var random = new SplitMix((ulong)Seed + 77);
            var cells = new List<TimedCell>();
            double day = 1;
            for (int hour = 0; hour < Days * 24; hour++)
            {
                day = hour % 24 == 0 ? Math.Exp(OfDays * Normal(ref random)) : day;
                double course = 1 + (Rhythm * Math.Cos((hour % 24 / 24.0 * 2 * Math.PI) - 1)), drift = Math.Exp(Drift * Normal(ref random));
                var cell = new Cell();
                for (int calls = Poisson(ref random, CallsAnHour * course * day / Heaps) * Heaps, failing = 0; calls > 0; calls--)
                {
                    failing = failing > 0 ? failing - 1 : random.Unit() < Failing / FailingTogether ? FailingTogether : 0;
                    cell.Count(new Observation { Duration = TimeSpan.FromMilliseconds(2 * course * drift * Factor * Math.Exp(0.5 * Normal(ref random))), SqlState = failing > 0 ? "40001" : "" });
                }

                if (cell.Calls > 0)
                {
                    cells.Add(new(hour * 60, cell));
                }
            }

            return cells;
        }

        private static double Normal(ref SplitMix random) => Math.Sqrt(-2 * Math.Log(1 - random.Unit())) * Math.Cos(2 * Math.PI * random.Unit());

        private static int Poisson(ref SplitMix random, double mean)
        {
            int count = 0;
            for (double left = mean + Math.Log(1 - random.Unit()); left > 0; left += Math.Log(1 - random.Unit()))
            {
                count++;
            }

            return count;
        }
    }
}
