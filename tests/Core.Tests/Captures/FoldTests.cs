using CsCheck;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public class FoldTests
{
    private static readonly DateTime Noon = new(2026, 3, 2, 12, 0, 0, DateTimeKind.Utc);

    [Fact]
    public void Statements_of_one_pattern_share_a_cell_a_minute()
    {
        CaptureFold fold = NewFold();
        Observe(fold, "SELECT * FROM parcel WHERE id = 1", ms: 1);
        Observe(fold, "select * from parcel where id=2", ms: 3, seconds: 59);
        Observe(fold, "SELECT * FROM parcel WHERE id = 3", ms: 5, seconds: 60);
        FoldedBatch batch = fold.Drain();
        batch.Patterns.ShouldHaveSingleItem().Text.ShouldBe("select * from parcel where id = ?");
        batch.Cells.Values.Select(c => c.Calls).ShouldBe([2, 1]);
        batch.Cells.Values.First().TotalTicks.ShouldBe(4 * TimeSpan.TicksPerMillisecond);
        fold.Drain().Cells.ShouldBeEmpty();
    }

    /// <summary>A mapper and the driver below it make a span each: one call, one statement of its unit, whether its pattern is kept apart or not.</summary>
    [Theory]
    [InlineData(20_000)]
    [InlineData(0)]
    public void An_execution_with_a_span_within_another_is_one_call(int mostPatterns)
    {
        CaptureFold fold = NewFold(new(mostPatterns));
        void Span(ulong span, ulong parent, string sql) => fold.Observe(new() { At = Noon, Duration = TimeSpan.FromMilliseconds(1), Sql = sql, Unit = "t"u8, Span = span, ParentSpan = parent });
        for (ulong i = 10; i < 50; i += 10)
        {
            Span(i + 2, i + 1, "SELECT note FROM parcel WHERE id = $1");
            fold.SeeSpan(new() { Unit = "t"u8, Span = i + 1, ParentSpan = i });
            Span(i, 1, "SELECT note FROM parcel WHERE id = ?");
        }

        // Another statement within one is a call of its own.
        Span(62, 60, "SELECT 1");
        Span(60, 1, "SELECT id FROM depot");
        fold.SeeSpan(new() { Unit = "t"u8, Span = 1, Page = "GET /board" });
        fold.CloseUnits();
        FoldedBatch batch = fold.Drain();
        (batch.Statements, fold.Again, batch.Cells.Values.Sum(c => c.Calls)).ShouldBe((6, 4, 6));
        batch.Pages.ShouldHaveSingleItem().Value.Statements.ShouldBe(6);
    }

    // HdrHistogram's rank, rounded to the nearest. Its own value at 100 % may lie a bucket's width above what was recorded.
    [Fact]
    public void No_percentile_lies_beyond_the_longest_call_nor_below_its_rank() =>
        Gen.Select(Gen.Double[0, 1], Gen.Double[0.01, 60_000].Array[1, 30]).Sample(
            (share, calls) =>
            {
                var cell = new Cell();
                foreach (double ms in calls)
                {
                    cell.Count(new Observation { Duration = TimeSpan.FromMilliseconds(ms) });
                }

                long[] sorted = [.. calls.Select(ms => TimeSpan.FromMilliseconds(ms).Ticks).Order()];
                long ranked = sorted[Math.Max(0, (int)((share * sorted.Length) + 0.5) - 1)];
                cell.Percentiles(share)[0].ShouldBeInRange(ranked, sorted[^1]);
                cell.Percentiles(1)[0].ShouldBe(cell.MaxTicks);
            },
            iter: 2_000);

    [Fact]
    public void Percentiles_of_no_durations_are_none_at_all()
    {
        var cell = new Cell();
        cell.Count(new Observation { Calls = 3 });
        cell.Percentiles(0.5, 0.99).ShouldBe([0, 0]);
    }

    [Fact]
    public void Patterns_beyond_the_limit_are_summed_and_none_is_dropped()
    {
        CaptureFold fold = NewFold(new(10));
        for (int i = 0; i < 1_000; i++)
        {
            Observe(fold, $"SELECT c{i} FROM parcel", ms: 1);
        }

        FoldedBatch batch = fold.Drain();
        batch.Patterns.Count.ShouldBe(5, "the other half is kept for patterns that come back");
        batch.Cells.Values.Sum(c => c.Calls).ShouldBe(1_000);
        batch.Cells.Single(c => c.Key.Pattern == CaptureFold.EverythingElse).Value.Calls.ShouldBe(995);
        fold.NotKeptApart.ShouldBe(995);
    }

    [Fact]
    public void Statements_sent_once_do_not_keep_out_one_that_comes_back_or_takes_long()
    {
        CaptureFold fold = NewFold(new(10));
        for (int i = 0; i < 1_000; i++)
        {
            Observe(fold, $"SELECT c{i} FROM parcel", ms: 1);
            if (i % 100 == 50)
            {
                Observe(fold, "SELECT late FROM parcel", ms: 1);
            }
        }

        Observe(fold, "SELECT slow FROM parcel", ms: 1_000);
        FoldedBatch batch = fold.Drain();
        batch.Patterns.Select(p => p.Text).ShouldContain("select late from parcel");
        batch.Patterns.Select(p => p.Text).ShouldContain("select slow from parcel");
        batch.Cells.Single(c => c.Key.Pattern == batch.Patterns.Single(p => p.Text == "select late from parcel").Hash).Value.Calls
            .ShouldBe(8, "ten, of which two came before it was kept apart");
    }

    [Theory]
    [InlineData(4L, null, null, "four")]
    [InlineData(null, 3.0, null, "long")]
    [InlineData(null, null, 0.38, "long")]
    public void A_threshold_goes_by_calls_by_time_or_by_share(long? calls, double? seconds, double? share, string kept)
    {
        CaptureFold fold = NewFold(new(100, calls, seconds is { } s ? TimeSpan.FromSeconds(s) : null, share));
        for (int i = 0; i < 200; i++)
        {
            Observe(fold, $"SELECT other{i} FROM parcel", ms: 20);
        }

        for (int i = 0; i < 4; i++)
        {
            Observe(fold, "SELECT four FROM parcel", ms: 500);
        }

        Observe(fold, "SELECT long FROM parcel", ms: 4_000);
        FoldedBatch batch = fold.Drain();
        batch.Patterns.ShouldHaveSingleItem().Text.ShouldBe($"select {kept} from parcel");
        batch.Cells.Values.Sum(c => c.Calls).ShouldBe(205);
    }

    [Fact]
    public void A_million_patterns_take_the_room_of_the_few_that_are_kept()
    {
        CaptureFold fold = NewFold(new(200));
        for (int i = 0; i < 1_000_000; i++)
        {
            Observe(fold, $"SELECT c{i} FROM parcel", ms: 1);
        }

        fold.Waiting.ShouldBeLessThanOrEqualTo(101);
        FoldedBatch batch = fold.Drain();
        batch.Cells.Values.Sum(c => c.Calls).ShouldBe(1_000_000);
        batch.Patterns.Count.ShouldBe(100);
    }

    [Fact]
    public void The_slowest_some_at_random_and_one_of_each_error_are_kept()
    {
        CaptureFold fold = NewFold();
        for (int i = 1; i <= 500; i++)
        {
            Observe(fold, $"SELECT {i}", ms: i, seconds: i);
        }

        Observe(fold, "SELECT 1", error: "40001");
        Observe(fold, "SELECT 2", error: "40001");
        Observe(fold, "SELECT 3", error: "23505");
        ILookup<SamplePlace, CapturedSample> kept = fold.Drain().Samples.ToLookup(s => s.Place);
        kept[SamplePlace.Slowest].Select(s => s.Duration!.Value.TotalMilliseconds).Order().ShouldBe([496, 497, 498, 499, 500]);
        kept[SamplePlace.Random].Count().ShouldBe(PatternSamples.MostRandom);
        kept[SamplePlace.Error].Select(s => s.SqlState).ShouldBe(["40001", "23505"]);
    }

    [Fact]
    public void Schema_changes_tags_and_errors_are_counted()
    {
        CaptureFold fold = NewFold();
        Observe(fold, "CREATE INDEX i ON parcel(a)");
        Observe(fold, "SELECT 1 /*page='board',traceparent='00-1-2-01'*/");
        Observe(fold, "SELECT 2 /*page='board'*/", error: "57014");
        FoldedBatch batch = fold.Drain();
        batch.SchemaStatements.ShouldHaveSingleItem().Sql.ShouldBe("CREATE INDEX i ON parcel(a)");
        batch.Tags.ShouldHaveSingleItem().Value.ShouldBe(2);
        batch.Errors.ShouldHaveSingleItem().Key.SqlState.ShouldBe("57014");
    }

    [Fact]
    public void A_span_is_covered_once_and_with_no_gap() =>
        Gen.Int[0, 20_000].Select(Gen.Int[1, 20_000]).Sample((from, length) =>
        {
            IReadOnlyList<Run> runs = Coverage.Of(from, from + length, minutesFrom: 0);
            int at = from;
            foreach (Run run in runs)
            {
                run.From.ShouldBe(at);
                (run.From % run.Stretch.Minutes()).ShouldBe(0);
                (run.To % run.Stretch.Minutes()).ShouldBe(0);
                at = run.To;
            }

            at.ShouldBe(from + length);
        }, iter: 500);

    [Fact]
    public void Where_minutes_are_gone_a_span_goes_by_whole_hours()
    {
        IReadOnlyList<Run> runs = Coverage.Of(90, 250, minutesFrom: 100_000);
        runs.ShouldBe([new(Stretch.Hour, 120, 240)]);
    }

    [Fact]
    public void A_statement_goes_into_a_workload_with_a_typical_case_the_slowest_and_the_ends()
    {
        CaseSource[] seen =
        [
            new("SELECT * FROM parcel WHERE depot = :d /*page='x'*/", "d=40", 100), new("SELECT * FROM parcel WHERE depot = :d", "d=3", 110),
            new("SELECT * FROM parcel WHERE depot = :d", "d=7", 9_000), new("SELECT * FROM parcel WHERE depot = :d", "d=99", 90),
        ];
        string text = CapturedWorkload.Statement("parcels", 12.4, 101, seen, Dialects.Sqlite)!;
        Parsed<Workload> parsed = WorkloadFile.Parse(text);
        parsed.Problems.ShouldBeEmpty();
        WorkloadStatement statement = parsed.Value.Statements.ShouldHaveSingleItem();
        (statement.Name, statement.CallsPerDay).ShouldBe(("parcels", 12));
        statement.Cases.Select(c => c.BindText).ShouldBe(["d=40", "d=7", "d=3", "d=99"]);
    }

    [Fact]
    public void Values_written_into_a_statement_become_its_parameters()
    {
        // A driver's marks are operators to the server: what is run has the server's own, and the values that came along.
        foreach ((string sent, string binds, string run) in new[]
        {
            ("SELECT 1 FROM parcel WHERE id = ? AND depot IN (?, ?)", "1=4, 2=5, 3=6", "SELECT 1 FROM parcel WHERE id = $1 AND depot IN ($2, $3)"),
            ("SELECT 1 FROM parcel WHERE id = @id", "id=4", "SELECT 1 FROM parcel WHERE id = :id"),
            ("SELECT 1 FROM parcel WHERE more ? 'x' AND id = $1", "1=4", "SELECT 1 FROM parcel WHERE more ? 'x' AND id = $1"),
            ("SELECT 1 FROM parcel WHERE more ? 'x' AND id = 7", "", "SELECT :v1 FROM parcel WHERE more ? :v2 AND id = :v3"),
        })
        {
            string written = CapturedWorkload.Statement("own", 3, 100, [new(sent, binds, 100)], Dialects.PostgreSql)!;
            written.ShouldContain(run);
            WorkloadFile.Parse(written, Dialects.PostgreSql).Problems.ShouldBeEmpty(written);
        }

        string text = CapturedWorkload.Statement("late", 3, 100, [new("SELECT 1 FROM parcel WHERE note = 'it''s' AND id > 40;", "", 100)], Dialects.Sqlite)!;
        WorkloadStatement statement = WorkloadFile.Parse(text).Value.Statements.ShouldHaveSingleItem();
        statement.Sql.ShouldBe("SELECT :v1 FROM parcel WHERE note = :v2 AND id > :v3");
        statement.Cases.ShouldHaveSingleItem().BindText.ShouldBe("v1=1, v2='it''s', v3=40");
    }

    [Fact]
    public void Plans_are_told_apart_by_shape_and_followed_by_the_hour()
    {
        static string Plan(string index, double cost) => $"Index Scan using {index} on parcel  (cost=0.29..{cost:0.00} rows=1 width=36)";
        CaptureFold fold = NewFold();
        Observe(fold, "SELECT * FROM parcel WHERE id = 1", ms: 1, plan: Plan("parcel_1", 8.3));
        Observe(fold, "SELECT * FROM parcel WHERE id = 2", ms: 3, seconds: 60, plan: Plan("parcel_1", 9.5));
        Observe(fold, "SELECT * FROM parcel WHERE id = 3", ms: 5, seconds: 3_600, plan: Plan("parcel_2", 8.3));
        Observe(fold, "SELECT * FROM parcel WHERE id = 4", ms: 5, seconds: 3_600);
        IReadOnlyDictionary<PlanUseKey, PlanUse> plans = fold.Drain().Plans;
        plans.Select(p => (p.Value.Outline, p.Value.Calls, p.Value.Ticks / TimeSpan.TicksPerMillisecond, p.Key.Hour - Stretches.MinuteOf(Noon))).ShouldBe([
            ("Index Scan using parcel_1 on parcel", 2L, 4L, 0),
            ("Index Scan using parcel_2 on parcel", 1L, 5L, 60),
        ]);
        fold.Drain().Plans.ShouldBeEmpty();
    }

    private static CaptureFold NewFold(KeepApart? apart = null) => new(Dialects.Sqlite, AnyPlan.Read, "server", apart ?? new(100), []);

    private static void Observe(CaptureFold fold, string sql, double? ms = null, int seconds = 0, string error = "", string plan = "") => fold.Observe(new Observation
    {
        At = Noon.AddSeconds(seconds),
        Duration = ms is { } m ? TimeSpan.FromMilliseconds(m) : null,
        Sql = sql,
        SqlState = error,
        Plan = plan,
    });
}
