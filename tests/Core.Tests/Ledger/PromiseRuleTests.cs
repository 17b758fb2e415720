using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;
using Xunit;

namespace SwiftLedger.Core.Tests.Ledger;

public class PromiseRuleTests
{
    /// <summary>Each row of the table of words, in both directions, and at the ends of the promised interval.</summary>
    [Theory]
    [InlineData(PromisedDirection.Cheaper, 0.45, 0.55, Movement.Improved, 0.50, 0.60, PromiseWord.Kept)]
    [InlineData(PromisedDirection.Cheaper, 0.45, 0.55, Movement.Improved, 0.55, 0.70, PromiseWord.Kept)]
    [InlineData(PromisedDirection.Cheaper, 0.45, 0.55, Movement.Improved, 0.551, 0.70, PromiseWord.KeptInPart)]
    [InlineData(PromisedDirection.Cheaper, 0.45, 0.55, Movement.Improved, 0.10, 0.20, PromiseWord.Kept)]
    [InlineData(PromisedDirection.Cheaper, 0.45, 0.55, Movement.Level, 0.97, 1.02, PromiseWord.NotKept)]
    [InlineData(PromisedDirection.Cheaper, 0.45, 0.55, Movement.Regressed, 1.2, 1.4, PromiseWord.NotKept)]
    [InlineData(PromisedDirection.Level, 0.98, 1.02, Movement.Level, 0.97, 1.03, PromiseWord.Kept)]
    [InlineData(PromisedDirection.Level, 0.98, 1.02, Movement.Improved, 0.5, 0.6, PromiseWord.Kept)]
    [InlineData(PromisedDirection.Level, 0.98, 1.02, Movement.Regressed, 1.2, 1.4, PromiseWord.NotForeseen)]
    [InlineData(PromisedDirection.Dearer, 1.4, 1.6, Movement.Regressed, 1.5, 1.7, PromiseWord.Kept)]
    [InlineData(PromisedDirection.Dearer, 1.4, 1.6, Movement.Regressed, 1.1, 1.2, PromiseWord.Kept)]
    [InlineData(PromisedDirection.Dearer, 1.4, 1.6, Movement.Regressed, 1.6, 1.7, PromiseWord.Kept)]
    [InlineData(PromisedDirection.Dearer, 1.4, 1.6, Movement.Regressed, 1.601, 1.7, PromiseWord.NotForeseen)]
    [InlineData(PromisedDirection.Dearer, 1.4, 1.6, Movement.Regressed, 2.5, 3, PromiseWord.NotForeseen)]
    [InlineData(PromisedDirection.Dearer, 1.4, 1.6, Movement.Level, 0.97, 1.02, PromiseWord.NotKept)]
    public void A_promise_has_the_word_that_the_table_gives(PromisedDirection direction, double low, double high, Movement moved, double observedLow, double observedHigh, PromiseWord word) =>
        PromiseRule.WordOf(Promised(direction, low, high), moved, observedLow, observedHigh).ShouldBe(word);

    [Fact]
    public void What_is_not_known_is_said_to_be_missing()
    {
        Promise promise = Promised(PromisedDirection.Cheaper, 0.4, 0.6);
        PromiseRule.Judge(promise, null).ShouldSatisfyAllConditions(o => o.Word.ShouldBe(PromiseWord.CannotTellYet), o => o.Message.ShouldBe("The daybook never saw it."));
        DeploymentEffect few = DeploymentEffects.Of(1, Hours(0, 24, 1, 10), Hours(48, 20, 1, 5), 1, 1, Band.OfTolerance(0.05), 1);
        PromiseRule.Judge(promise, few).ShouldSatisfyAllConditions(o => o.Word.ShouldBe(PromiseWord.CannotTellYet), o => o.Message.ShouldContain("24 calls before"));

        // Not told to be level, but far from what was promised: that much is known.
        var random = new SplitMix(5);
        DeploymentEffect wide = DeploymentEffects.Of(1, Drawn(0, 1, ref random)[..24], Drawn(48, 1, ref random)[..24], 1, 1, Band.OfTolerance(0.01), 1);
        PromiseRule.Judge(promise, wide).ShouldSatisfyAllConditions(o => o.Word.ShouldBe(PromiseWord.CannotTellYet), o => o.Message.ShouldMatch("At most \\d.* % of the promised saving can have come."),
            o => o.Message.ShouldContain($"At most {Figures.Percent(Math.Max(0, (1 - o.Low!.Value) / (1 - promise.Ratio)))} of"), o => o.Low!.Value.ShouldBeLessThan(o.High!.Value));
        PromiseRule.Judge(promise, DeploymentEffects.Of(1, Hours(0, 24, 50, 10), [], 1, 1, Band.OfTolerance(0.05), 1)).Message.ShouldBe("Not seen since the deployment.");
    }

    /// <summary>The money of an entry: parts add up, and what was promised is valued at the calls that were observed.</summary>
    [Fact]
    public void Promised_and_observed_money_is_that_of_the_observed_calls()
    {
        // 100 calls an hour of 10 ms, a day; then 4 ms: 24 s a day become 9.6 s.
        DeploymentEffect effect = DeploymentEffects.Of(1, Hours(0, 24, 100, 10), Hours(48, 24, 100, 4), 1, 1, Band.OfTolerance(0.05), 1);
        PromiseOutcome outcome = PromiseRule.Judge(Promised(PromisedDirection.Cheaper, 0.45, 0.55), effect);
        outcome.Word.ShouldBe(PromiseWord.Kept);
        outcome.PromisedPerDay.ShouldBe(-12, 0.5);
        outcome.ObservedPerDay.ShouldBe(-14.4, 0.5);
        outcome.Share!.Value.ShouldBe(1.2, 0.05);
        var whole = new Reconciliation("", "", [outcome, outcome with { Word = PromiseWord.NotKept, ObservedPerDay = 3, PromisedPerDay = -1 }], [new("0", "select 1", true, 2, 5)], []);
        whole.ObservedPerDay.ShouldBe(outcome.ObservedPerDay + 3);
        whole.Word.ShouldBe(PromiseWord.NotKept);
        whole.Headline.ShouldContain("1 not kept, 1 kept");
        whole.Headline.ShouldContain("1 more got dearer of which nothing was said");
    }

    /// <summary>The share is that of the ratio, neither of its ends; and what was promised is valued at the calls of both sides' average.</summary>
    [Fact]
    public void What_came_of_a_promise_is_counted_at_the_middle_of_calls_and_interval()
    {
        var random = new SplitMix(9);
        Promise promise = Promised(PromisedDirection.Cheaper, 0.45, 0.55);
        PromiseOutcome noisy = PromiseRule.Judge(promise, DeploymentEffects.Of(1, Drawn(0, 1, ref random), Drawn(12 * 24, 0.8, ref random), 10, 10, Band.OfTolerance(0.05), 1));
        (noisy.Word, noisy.High!.Value - noisy.Low!.Value > 0.01).ShouldBe((PromiseWord.KeptInPart, true));
        noisy.Share!.Value.ShouldBe((1 - noisy.Ratio!.Value) / (1 - promise.Ratio), 1e-9);

        // 100 calls an hour become 200: half of 10 ms at 150 of them, 3,600 a day.
        PromiseOutcome more = PromiseRule.Judge(promise, DeploymentEffects.Of(1, Hours(0, 24, 100, 10), Hours(48, 24, 200, 4), 1, 1, Band.OfTolerance(0.05), 1));
        more.PromisedPerDay.ShouldBe(-0.5 * 0.010 * 3_600, 0.5);
    }

    [Fact]
    public void A_whole_is_settled_once_each_statement_that_was_seen_has_its_word()
    {
        PromiseOutcome kept = new(Promised(PromisedDirection.Cheaper, 0.4, 0.6), PromiseWord.Kept, 1, 0.5, 0.4, 0.6, 100, 100, -1, -1, ""), open = kept with { Word = PromiseWord.CannotTellYet };
        Reconciliation Of(params PromiseOutcome[] outcomes) => new("", "", outcomes, [], []);
        Of(kept).IsSettled.ShouldBeTrue();
        Of(kept, open).IsSettled.ShouldBeFalse();
        Of(kept, open with { CallsBefore = 0 }).IsSettled.ShouldBeFalse("It is called since.");
        Of(kept, open with { CallsBefore = 0, CallsAfter = 0 }).IsSettled.ShouldBeTrue("Nobody calls it.");
        Of(open with { CallsBefore = 0, CallsAfter = 0 }).IsSettled.ShouldBeFalse("Nothing is known at all.");
    }

    /// <summary>Most of an hour of a plan that is dear for one call in six, and a fix an hour later: the middle of all calls is no witness, and their mean is. In the other direction likewise; what did not move is told by neither.</summary>
    [Theory]
    [InlineData(20, 1, Movement.Improved, PromiseWord.Kept)]
    [InlineData(1, 20, Movement.Regressed, PromiseWord.NotKept)]
    [InlineData(8, 8, Movement.Unsettled, PromiseWord.CannotTellYet)]
    [InlineData(1, 1, Movement.Unsettled, PromiseWord.CannotTellYet)]
    public void What_was_dear_for_some_calls_only_is_told_by_the_mean(double before, double after, Movement moved, PromiseWord word)
    {
        var random = new SplitMix(3);
        List<TimedCell> was = Minutes(0, 50, before, ref random), since = Minutes(60, 60, after, ref random);
        DeploymentEffect middle = DeploymentEffects.Of(1, was, since, 0.02, 0.04, Band.OfTolerance(0.05), 1, grain: Stretch.Minute);
        middle.Movement.ShouldBe(Movement.Unsettled);
        middle.Rate.ShouldBeNull("an hour has no rhythm");
        DeploymentEffect effect = DeploymentEffects.OrByMean(middle, was, since, Band.OfTolerance(0.05), 1, Stretch.Minute);
        effect.Movement.ShouldBe(moved);
        PromiseOutcome outcome = PromiseRule.Judge(Promised(PromisedDirection.Cheaper, 0.1, 0.6), effect);
        outcome.Word.ShouldBe(word);
        if (moved != Movement.Unsettled)
        {
            outcome.Message.ShouldStartWith("By the mean of all calls; their middle does not tell. ");
            outcome.Ratio.ShouldBe(effect.OnAverage!.Ratio);
            outcome.Low!.Value.ShouldBeLessThan(outcome.Ratio!.Value);
        }
    }

    /// <summary>A fix half a day after what it mends: minutes of five hours against those of a day, with a rhythm of the day and hours of their own speed. What did not move is not told to have; what got a quarter is.</summary>
    [Theory]
    [InlineData(1.0, 0)]
    [InlineData(0.25, 100)]
    [InlineData(4.0, 100)]
    public void Minutes_of_a_few_hours_tell_what_is_large_and_nothing_that_is_not(double truth, int told)
    {
        int moved = 0;
        for (int i = 0; i < 100; i++)
        {
            var random = new SplitMix((ulong)(i + 1) * 131);
            List<TimedCell> Hours(int from, int count, double factor, ref SplitMix random)
            {
                var cells = new List<TimedCell>();
                double own = 0;
                for (int minute = from; minute < from + (count * 60); minute++)
                {
                    own = minute % 60 == 0 ? Math.Exp((0.06 * Normal(ref random)) + (0.15 * Math.Sin(2 * Math.PI * minute / 1_440))) : own;
                    var cell = new Cell();
                    if (random.Below(5) == 0)
                    {
                        cell.Count(new() { Duration = TimeSpan.FromMilliseconds(5 * factor * own * Math.Exp(0.5 * Normal(ref random))) });
                        cells.Add(new(minute, cell));
                    }
                }

                return cells;
            }

            List<TimedCell> was = Hours(600, 5, 1, ref random), since = Hours(900, 24, truth, ref random);
            DeploymentEffect effect = DeploymentEffects.OrByMean(DeploymentEffects.Of(1, was, since, 5 / 24.0, 1, Band.OfTolerance(0.05), (ulong)i, grain: Stretch.Minute), was, since, Band.OfTolerance(0.05), (ulong)i, Stretch.Minute);
            moved += effect.Movement == (truth > 1 ? Movement.Regressed : Movement.Improved) || (truth == 1 && effect.Movement == Movement.Regressed) ? 1 : 0;
        }

        moved.ShouldBe(told);
    }

    /// <summary>Four calls a minute, of which one in six is so many times as long.</summary>
    private static List<TimedCell> Minutes(int from, int count, double dear, ref SplitMix random)
    {
        var cells = new List<TimedCell>();
        for (int minute = 0; minute < count; minute++)
        {
            var cell = new Cell();
            for (int i = 0; i < 4; i++)
            {
                cell.Count(new() { Duration = TimeSpan.FromMilliseconds((random.Below(6) == 0 ? dear : 1) * Math.Exp(0.4 * (random.Unit() - 0.5) * 3)) });
            }

            cells.Add(new(from + minute, cell));
        }

        return cells;
    }

    /// <summary>
    /// The words against simulated spans whose truth is known: ten days on each side, lognormal times, hours of their own speed. Where the truth
    /// is well outside or inside of what was promised, at most one word in a hundred may be wrong.
    /// </summary>
    [Theory]
    [InlineData(0.5, PromisedDirection.Cheaper, 0.45, 0.55, PromiseWord.Kept)]
    [InlineData(0.8, PromisedDirection.Cheaper, 0.45, 0.55, PromiseWord.KeptInPart)]
    [InlineData(1.0, PromisedDirection.Cheaper, 0.45, 0.55, PromiseWord.NotKept)]
    [InlineData(1.5, PromisedDirection.Level, 0.98, 1.02, PromiseWord.NotForeseen)]
    [InlineData(1.0, PromisedDirection.Level, 0.98, 1.02, PromiseWord.Kept)]
    public void Words_of_simulated_spans_are_those_of_their_truth(double truth, PromisedDirection direction, double low, double high, PromiseWord word)
    {
        const int spans = 100;
        int wrong = 0, told = 0;
        for (int i = 0; i < spans; i++)
        {
            var random = new SplitMix((ulong)(i + 1) * 77);
            DeploymentEffect effect = DeploymentEffects.Of(1, Drawn(0, 1, ref random), Drawn(12 * 24, truth, ref random), 10, 10, Band.OfTolerance(0.05), (ulong)i);
            PromiseWord said = PromiseRule.Judge(Promised(direction, low, high), effect).Word;
            told += said != PromiseWord.CannotTellYet ? 1 : 0;
            wrong += said != PromiseWord.CannotTellYet && said != word ? 1 : 0;
        }

        wrong.ShouldBeLessThanOrEqualTo(spans / 100);
        told.ShouldBeGreaterThan(spans / 2);
    }

    [Fact]
    public void A_change_is_found_in_the_script_that_ran_however_it_is_written()
    {
        DateTime posted = new(2026, 7, 18, 0, 0, 0, DateTimeKind.Utc);
        SeenDeployment At(int hours, string script) => new(posted.AddHours(hours), $"v{hours}", script);
        const string change = "-- a note\nBEGIN;\nCREATE INDEX booking_hut ON booking (hut_id) WHERE state = 'open';\nANALYZE;\nCOMMIT;\n-- rewrite: board\nSELECT 1;";
        EntryMatch.Of(change, "", posted, [At(3, "create index   Booking_Hut on BOOKING(hut_id) where state='open'"), At(2, "CREATE INDEX booking_hut ON booking (hut_id) WHERE state = 'closed';"), At(-1, change)], SqliteEngine.Engine.Dialect)!.Version.ShouldBe("v3");
        EntryMatch.Of("CREATE INDEX CONCURRENTLY IF NOT EXISTS x ON t (a); ALTER TABLE t ALTER a SET NOT NULL;", "", posted, [At(1, "CREATE INDEX x ON t (a);"), At(2, "create index \"x\" on t (a); ALTER TABLE t ALTER a SET NOT NULL; DROP TABLE old;")], PostgresEngine.Engine.Dialect)!.Version.ShouldBe("v2");
        EntryMatch.Of("ALTER TABLE t ADD COLUMN a int NOT NULL", "", posted, [At(1, "ALTER TABLE t ADD COLUMN a int NULL")], PostgresEngine.Engine.Dialect).ShouldBeNull();
        EntryMatch.Of("-- rewrite: board\nSELECT 1;", "", posted, [At(1, "SELECT 1;")], SqliteEngine.Engine.Dialect).ShouldBeNull();

        // A look at a server tells of an index in the server's words: pg_get_indexdef, as PostgreSQL 15 gives it for that change.
        const string partial = "CREATE INDEX booking_hut ON booking (hut_id) WHERE state = 'open' OR NOT paid", told = "CREATE INDEX booking_hut ON public.booking USING btree (hut_id) WHERE ((state = 'open'::text) OR (NOT paid));";
        EntryMatch.Of(partial, "", posted, [At(1, told)], PostgresEngine.Engine.Dialect).ShouldBeNull();
        EntryMatch.Of(partial, told, posted, [At(1, told.Replace("open", "held", StringComparison.Ordinal)), At(2, "DROP INDEX other;\n" + told), At(3, partial)], PostgresEngine.Engine.Dialect)!.Version.ShouldBe("v2");
        EntryMatch.Of(partial, told, posted, [At(3, partial)], PostgresEngine.Engine.Dialect)!.Version.ShouldBe("v3");
        EntryMatch.Of("", "", posted, [At(3, partial)], PostgresEngine.Engine.Dialect).ShouldBeNull();
        (EntryMatch.HasStatements("-- rewrite: board\nSELECT 1;", SqliteEngine.Engine.Dialect), EntryMatch.HasStatements(change, SqliteEngine.Engine.Dialect)).ShouldBe((false, true));
    }

    private static Promise Promised(PromisedDirection direction, double low, double high) => new("s", "00", null, direction, (low + high) / 2, low, high, 100, 0.01);

    private static List<TimedCell> Hours(int from, int hours, int calls, double ms) => [.. Enumerable.Range(from, hours).Select(h => Cell(h, Enumerable.Repeat(ms, calls)))];

    private static List<TimedCell> Drawn(int from, double factor, ref SplitMix random)
    {
        var cells = new List<TimedCell>();
        for (int h = 0; h < 240; h++)
        {
            double hour = Math.Exp(0.04 * Normal(ref random));
            var times = new double[40];
            for (int i = 0; i < times.Length; i++)
            {
                times[i] = 10 * factor * hour * Math.Exp(0.5 * Normal(ref random));
            }

            cells.Add(Cell(from + h, times));
        }

        return cells;
    }

    private static double Normal(ref SplitMix random) => Math.Sqrt(-2 * Math.Log(1 - random.Unit())) * Math.Cos(2 * Math.PI * random.Unit());

    private static TimedCell Cell(int hour, IEnumerable<double> ms)
    {
        var cell = new Cell();
        foreach (double m in ms)
        {
            cell.Count(new() { Duration = TimeSpan.FromMilliseconds(m) });
        }

        return new(hour * 60, cell);
    }
}
