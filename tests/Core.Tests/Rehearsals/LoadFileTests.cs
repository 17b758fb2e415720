using CsCheck;
using Shouldly;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Core.Tests.Rehearsals;

public class LoadFileTests
{
    private const string Rush = """
        -- The evening rush.

        -- part: wardens
        -- sessions: 4
        -- think: exponential 40 ms

        -- name: board
        -- share: 9
        -- draw: hut = zipf 1 to 212 by 1.1
        SELECT * FROM booking WHERE hut_id = :hut;
        -- name: card
        -- bind: hut=3
        -- bind: hut=41
        SELECT * FROM hut WHERE id = :hut;

        -- part: guests
        -- sessions: 6
        -- rate: 10 to 100/second poisson
        -- from: 0.5 s
        -- until: 1500 ms
        -- name: book
        -- unit: booking
        -- draw: hut = one of 1, 'a, b', null
        -- draw: id = sequence from 1000
        INSERT INTO booking (id, hut_id) VALUES (:id, :hut);
        -- name: count
        -- unit: booking
        SELECT count(*) FROM booking WHERE hut_id = :hut;

        -- part: stations
        -- commit: every 100
        -- commit after: each
        -- executions: 500
        -- draw: wind = uniform 0.0 to 30.0
        -- name: reading
        INSERT INTO weather (wind) VALUES (:wind);
        """;

    [Fact]
    public void Parts_say_who_sends_what_how_often()
    {
        Load load = MadeStint.Read(Rush);
        load.Parts.Select(p => p.Name).ShouldBe(["wardens", "guests", "stations"]);
        load.Sessions.ShouldBe(11);
        load.IsClosed.ShouldBeFalse();
        LoadPart wardens = load.Parts[0], guests = load.Parts[1], stations = load.Parts[2];
        wardens.Think.ShouldBe(new(ThinkKind.Exponential, 40));
        wardens.Tasks.Select(t => t.Weight).ShouldBe([9, 1]);
        guests.Rate!.Mean.ShouldBe(55);
        (guests.FromSeconds, guests.UntilSeconds).ShouldBe((0.5, 1.5));
        LoadTask booking = guests.Tasks.ShouldHaveSingleItem();
        booking.Unit.ShouldBe("booking");
        booking.Steps.Select(s => s.Statement.Name).ShouldBe(["book", "count"]);

        // What the first statement draws, the second one takes as well.
        booking.Keys.ShouldBe(["id", "hut"]);
        (stations.CommitEvery, stations.CommitEveryAfter, stations.Executions).ShouldBe((100, 1, 500));
        load.With(Change.Nothing).Parts[2].CommitEvery.ShouldBe(1);
    }

    [Fact]
    public void A_workload_file_is_a_load_of_one_part()
    {
        Load load = MadeStint.Read("-- name: a\n-- calls: 300/day\nSELECT 1;\n-- calls: 100/day\n-- bind: x=1\nSELECT :x;", new(3, new(ThinkKind.Fixed, 5)));
        LoadPart part = load.Parts.ShouldHaveSingleItem();
        (part.Sessions, part.Think).ShouldBe((3, new ThinkTime(ThinkKind.Fixed, 5)));
        part.Tasks.Select(t => t.Weight).ShouldBe([300, 100]);
    }

    [Theory]
    [InlineData("-- part: a\n-- sessions: 0\nSELECT 1;", "is not a number of sessions")]
    [InlineData("-- part: a\n-- think: soon\nSELECT 1;", "is not a think time")]
    [InlineData("-- part: a\n-- rate: 50\nSELECT 1;", "is not a rate")]
    [InlineData("-- part: a\n-- rate: 0/second\nSELECT 1;", "is not a rate")]
    [InlineData("-- part: a\n-- commit: sometimes\nSELECT 1;", "does not say when to commit")]
    [InlineData("-- part: a\n-- rate: 5/second\n-- commit: every 10\nSELECT 1;", "held in an open transaction")]
    [InlineData("-- part: a\n-- rate: 5/second\n-- commit after: every 10\nSELECT 1;", "held in an open transaction")]
    [InlineData("-- part: a\n-- from: 2 s\n-- until: 1 s\nSELECT 1;", "ends before it begins")]
    [InlineData("-- part: a\nSELECT 1;\n-- part: a\nSELECT 2;", "There is a part 'a' already")]
    [InlineData("-- part: a\nSELECT 1;\n-- sessions: 3\nSELECT 2;", "stands above its first statement")]
    [InlineData("-- part: a\n-- share: 0\nSELECT 1;", "nothing to do")]
    [InlineData("SELECT :x;", "has no value for x")]
    [InlineData("-- draw: y = uniform 1 to 2\nSELECT :x;", "has no parameter y")]
    [InlineData("-- draw: x = uniform 2 to 1\nSELECT :x;", "A draw reads")]
    [InlineData("-- draw: x = zipf 1 to 9\nSELECT :x;", "A draw reads")]
    [InlineData("-- draw: x = zipf 1 to 2000000 by 1\nSELECT :x;", "A draw reads")]
    [InlineData("-- draw: x = one of 1, drop\nSELECT :x;", "A draw reads")]
    [InlineData("-- draw: x = uniform 1 to 2\n-- draw: x = uniform 1 to 2\nSELECT :x;", "drawn already")]
    [InlineData("-- part: a\n-- sessions: 1999\nSELECT 1;\n-- part: b\n-- sessions: 2\nSELECT 1;", "2000 are the most")]
    [InlineData("SELECT 1;\n-- part: b\n", "No statement follows this 'part'")]
    [InlineData("-- part: a\nVACUUM;", "is not measured")]
    [InlineData("", "holds no statement")]
    public void What_cannot_be_sent_is_told_with_its_place(string text, string told)
    {
        IReadOnlyList<InputProblem> problems = LoadFile.Parse(text, SqliteEngine.Engine.Dialect).Problems;
        problems.ShouldContain(p => p.Message.Contains(told, StringComparison.Ordinal), string.Join('\n', problems.Select(p => p.Message)));
        problems.ShouldAllBe(p => p.Place != null);
    }

    [Fact]
    public void A_rewrite_takes_its_statements_place_with_the_same_values()
    {
        const string load = "-- name: a\n-- draw: x = uniform 1 to 9\nSELECT :x;";
        var brief = RehearsalBrief.Read(load, "-- rewrite: a\nSELECT :x + 0;", SqliteEngine.Engine, new());
        brief.Problems.ShouldBeEmpty();
        brief.Value.AfterLoad.Parts[0].Tasks[0].Steps[0].Statement.Sql.ShouldBe("SELECT :x + 0");
        brief.Value.Load.Parts[0].Tasks[0].Steps[0].Statement.Sql.ShouldBe("SELECT :x");
        RehearsalBrief.Read(load, "-- rewrite: a\nSELECT :y;", SqliteEngine.Engine, new()).Problems.ShouldContain(p => p.Message.Contains("no value for y", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("p99<=50ms", LoadMeasure.P99, 50)]
    [InlineData("P95 <= 0.2 s", LoadMeasure.P95, 200)]
    [InlineData("mean<=300us", LoadMeasure.Mean, 0.3)]
    public void Limits_are_read(string text, LoadMeasure measure, double ms) => LoadLimit.Read(text).ShouldBe(new(measure, ms));

    [Theory]
    [InlineData("p99<50ms")]
    [InlineData("p98<=50ms")]
    [InlineData("throughput<=5ms")]
    [InlineData("3<=5ms")]
    [InlineData("p99<=0ms")]
    public void Other_texts_are_no_limits(string text) => LoadLimit.Read(text).ShouldBeNull();

    // Whatever is written, it is read to its end, on both engines' rules.
    [Fact]
    public void No_text_throws()
    {
        string[] pieces = ["-- part: ", "a\n", "-- rate: ", "1/second", " to ", "-- draw: x = ", "zipf 1 to 5 by 2", "query ", "one of ", "'", "SELECT :x", ";", "\n", "-- unit: u\n", "-- commit: every ", "99999999999", "-- think: uniform 1 ms to ", "$1", "-- sessions: ", "\0", "é", "/*", "$$", "-- bind: x=1\n"];
        Gen.Int[0, pieces.Length - 1].Select(i => pieces[i]).Array[0, 30].Sample(p =>
        {
            string text = string.Concat(p);
            LoadFile.Parse(text, SqliteEngine.Engine.Dialect);
            LoadFile.Parse(text, PostgresEngine.Engine.Dialect);
            RehearsalBrief.Read(text, text, SqliteEngine.Engine, new());
        }, iter: 5_000);
    }
}
