using System.Globalization;
using System.Text;
using Dapper;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Store.Captures;
using Xunit;

namespace SwiftLedger.Store.Tests;

public sealed class CaptureImportTests : ReadsCaptures
{
    // The first four minutes of a new user's log, from five minutes before an hour on; and one of ten that goes on beyond it.
    [Theory]
    [InlineData(4)]
    [InlineData(10)]
    public void Any_span_of_the_first_minutes_holds_what_lies_in_it(int length)
    {
        DateTime from = new(2026, 3, 2, 12, 55, 0, DateTimeKind.Utc);
        var text = new StringBuilder();
        for (int second = 0; second < length * 60; second++)
        {
            text.Append(Line(from.AddSeconds(second), 1, "SELECT 1"));
        }

        Read(Encoding.UTF8.GetBytes(text.ToString()), "log").Statements.ShouldBe(length * 60);
        int first = Stretches.MinuteOf(from);
        _daybook.Extent(_book).ShouldBe((first, first + length));
        List<long> sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        for (int a = first - 6; a < first + length + 6; a++)
        {
            for (int b = a + 1; b < first + length + 8; b++)
            {
                long inside = Math.Max(0, Math.Min(b, first + length) - Math.Max(a, first)) * 60;
                _daybook.Costs(sources, Coverage.Of(a, b, _daybook.MinutesFrom(_book)), 4).Sum(c => c.Sum.Calls).ShouldBe(inside, $"{a - first} to {b - first}");
            }
        }
    }

    [Fact]
    public void Reading_on_tells_the_lines_of_the_whole_file()
    {
        byte[] first = Log(10), rest = Encoding.UTF8.GetBytes("rubbish\n");
        Read(first, "log");
        Read([.. first, .. rest], "log").Rejections.ShouldHaveSingleItem().FirstLine.ShouldBe(12);
    }

    [Fact]
    public void A_line_behind_one_that_is_too_long_has_its_own_number()
    {
        byte[] file = [.. Log(1), .. Encoding.UTF8.GetBytes(new string('x', 9 << 20) + "\nrubbish\n")];
        Read(file, "log").Rejections.Single(r => !r.Reason.Contains("longer than", StringComparison.Ordinal)).FirstLine.ShouldBe(4);
    }

    [Fact]
    public void Patterns_beyond_the_limit_are_one_row_that_keeps_its_calls()
    {
        var few = new CaptureRequest("server", Apart: new(2));
        new CaptureImport(_captures).Read(_book, new MemoryStream(Log(500)), "log", few).NotKeptApart.ShouldBe(302, "two of the second pattern came before it had shown that it comes back");
        IReadOnlyList<PatternRecord> patterns = _daybook.Patterns(_book);
        patterns.Count(p => p.Hash != CaptureFold.EverythingElse).ShouldBe(2);
        long rest = patterns.Single(p => p.Hash == CaptureFold.EverythingElse).Id;
        (int from, int to) = _daybook.Extent(_book)!.Value;
        long[] sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        _daybook.Timeline(sources, Stretch.Hour, from, to, [rest]).Sum(c => c.Cell.Calls).ShouldBe(302);
    }

    [Fact]
    public void Samples_of_a_pattern_stay_few_however_much_is_read()
    {
        Read(Log(5_000), "one");
        Read(Log(7_000, secondsApart: 2), "two");
        var samples = new SampleStore(_ledger, TimeProvider.System);
        foreach (PatternRecord pattern in _daybook.Patterns(_book))
        {
            IReadOnlyList<SampleRecord> kept = samples.Samples(pattern.Id);
            kept.Count.ShouldBeInRange(PatternSamples.MostRandom, PatternSamples.MostRandom + PatternSamples.MostSlowest);
            kept.Count(s => s.Place == (int)SamplePlace.Slowest).ShouldBeLessThanOrEqualTo(5);
            kept.Max(s => s.Duration).ShouldBe(161_000);
        }
    }

    // Whatever a capture may hold comes out of the ledger as it went in: quotes, nothing, a NUL.
    [Theory]
    [InlineData("plain")]
    [InlineData("O'Brien \"the\" `huts` [a] \\ $1 ? :x @y")]
    [InlineData("Zürich → Hütte 🏔")]
    [InlineData("a\0b")]
    [InlineData("two\nlines\tand a tab")]
    [InlineData("")]
    public void A_sample_is_kept_as_the_capture_told_it(string told)
    {
        string word = string.Concat(told.Select(c => string.Create(CultureInfo.InvariantCulture, $"\\u{(int)c:x4}")));
        Read(Encoding.UTF8.GetBytes($$$"""
            {"at":"2026-03-02T00:00:00Z","ms":1.5,"sql":"SELECT * FROM parcel WHERE id = 7","app":"{{{word}}}","user":"{{{word}}}","session":"{{{word}}}"}
            {"at":"2026-03-02T00:00:01Z","sql":"SELECT * FROM parcel WHERE id = 8","error":"22012","message":"{{{word}}}","app":"{{{word}}}","user":"{{{word}}}","session":"{{{word}}}"}

            """), "one").Statements.ShouldBe(2);
        long pattern = _daybook.Patterns(_book).ShouldHaveSingleItem().Id;
        var samples = new SampleStore(_ledger, TimeProvider.System);
        IReadOnlyList<SampleRecord> all = samples.Samples(pattern);
        all.Select(s => (s.Application, s.User, s.Session)).Distinct().ShouldBe([(told, told, told)]);
        SampleRecord failed = all.Single(s => s.SqlState.Length > 0);
        (failed.Message, failed.Duration, failed.RowsRead).ShouldBe((told, null, null));
        all.Where(s => s.SqlState.Length == 0).ShouldAllBe(s => s.Duration == 15_000 && s.Sql == "SELECT * FROM parcel WHERE id = 7");
        samples.Errors(pattern).ShouldHaveSingleItem().SqlState.ShouldBe("22012");
    }

    [Fact]
    public void Repeated_statements_of_two_imports_are_added_up()
    {
        Read(Unit("u1", 6), "one");
        Read(Unit("u2", 9), "two");
        Repeat repeat = new RepeatStore(_ledger, _daybook).OfBook(_book).ShouldHaveSingleItem().Repeat;
        (repeat.Units, repeat.Statements, repeat.Least, repeat.Most).ShouldBe((2, 15, 6, 9));
        repeat.Example.Count.ShouldBe(10);

        static byte[] Unit(string unit, int rows)
        {
            string Step(int i, string sql) => string.Create(CultureInfo.InvariantCulture,
                $"{{\"at\":\"2026-03-02T00:00:00.{i:000}Z\",\"ms\":0.5,\"sql\":\"{sql}\",\"unit\":\"{unit}\"}}\n");
            return Encoding.UTF8.GetBytes(Step(0, "SELECT id FROM depot") + string.Concat(Enumerable.Range(1, rows).Select(i => Step(i, "SELECT * FROM parcel WHERE id = ?"))));
        }
    }

    [Fact]
    public void Notes_stay_with_their_pattern_and_it_can_be_kept_at_the_top()
    {
        Read(Log(10), "log");
        var samples = new SampleStore(_ledger, TimeProvider.System);
        PatternRecord pattern = _daybook.Patterns(_book)[0];
        samples.AddNote(pattern.Id, "first");
        samples.AddNote(pattern.Id, "second");
        samples.KeepAtTop(pattern.Id, true);
        samples.Notes(pattern.Id).Select(n => n.Text).ShouldBe(["first", "second"]);
        _daybook.Pattern(_book, pattern.Hash)!.KeptAtTop.ShouldBeTrue();
    }

    [Fact]
    public void An_import_that_was_stopped_can_be_run_again_without_counting_twice()
    {
        byte[] file = Log(150_000, secondsApart: 30);
        using var stop = new CancellationTokenSource();
        Should.Throw<OperationCanceledException>(() => Read(file, "log", told: _ => stop.Cancel(), stop: stop.Token));
        Calls().ShouldBeInRange(1, 149_999);
        Read(file, "log").Problem.ShouldBeNull();
        Calls().ShouldBe(150_000);
    }

    /// <summary>Each session's statement is told in one line and its duration in a later one: other sessions stand between.</summary>
    [Fact]
    public void A_statement_whose_duration_lies_behind_the_stop_is_not_lost()
    {
        const int count = 90_000;
        var text = new StringBuilder();
        for (int i = 0; i < count + 50; i++)
        {
            string Prefix(int of) => $"{Start.AddSeconds(of):yyyy-MM-dd HH:mm:ss} UTC [{1000 + (of % 100)}] ";
            text.Append(i < count ? $"{Prefix(i)}LOG:  statement: SELECT a{i % 50} FROM t WHERE id = {i}\n" : "")
                .Append(i >= 50 ? $"{Prefix(i - 50)}LOG:  duration: 2.000 ms\n" : "");
        }

        byte[] file = Encoding.UTF8.GetBytes(text.ToString());
        using var stop = new CancellationTokenSource();
        Should.Throw<OperationCanceledException>(() => Read(file, "log", told: _ => stop.Cancel(), stop: stop.Token));
        _captures.Files(_book).ShouldHaveSingleItem().Held.ShouldNotBeEmpty();
        Read(file, "log").Problem.ShouldBeNull();
        Calls().ShouldBe(count);
        _captures.Files(_book).ShouldHaveSingleItem().Held.ShouldBeEmpty();
        _daybook.Timeline(_daybook.Sources(_book).Select(s => s.Id).ToList(), Stretch.Day, 0, int.MaxValue).Sum(d => d.Cell.TotalTicks)
            .ShouldBe(count * 2 * TimeSpan.TicksPerMillisecond);
    }

    [Fact]
    public void An_entry_of_many_megabytes_is_left_out_and_the_rest_counts()
    {
        byte[] file = [.. Log(3), .. Encoding.UTF8.GetBytes("{\"at\":\"2026-03-02T00:00:00Z\",\"sql\":\"" + new string('x', 12 << 20) + "\"}\n"), .. Log(4)];
        CaptureReport report = Read(file, "log");
        report.Statements.ShouldBe(7);
        report.Rejections.ShouldContain(r => r.Reason.Contains("longer than 8 MiB", StringComparison.Ordinal));
    }

    [Fact]
    public void Hours_and_days_hold_what_the_minutes_held_and_old_minutes_go()
    {
        Read(Log(20_000, secondsApart: 30), "log");
        (int from, int to) = _daybook.Extent(_book)!.Value;
        long[] sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        IReadOnlyList<TimedCell> hours = _daybook.Timeline(sources, Stretch.Hour, from, to), days = _daybook.Timeline(sources, Stretch.Day, from - 1440, to);
        (hours.Sum(h => h.Cell.Calls), days.Sum(d => d.Cell.Calls)).ShouldBe((20_000, 20_000));
        hours.Sum(h => h.Cell.TotalTicks).ShouldBe(days.Sum(d => d.Cell.TotalTicks));
        var firstDay = new Cell();
        foreach (TimedCell hour in hours.Where(h => h.Minute < days[1].Minute))
        {
            firstDay.Add(hour.Cell);
        }

        firstDay.Durations.Encode().ShouldBe(days[0].Cell.Durations.Encode());
        _daybook.MinutesFrom(_book).ShouldBeInRange(to - (int)CaptureStore.MinutesStay.TotalMinutes - 1440, to);
    }

    [Fact]
    public void What_patterns_cost_in_a_span_adds_up_to_the_course()
    {
        Read(Log(20_000, secondsApart: 30), "log");
        (int from, int to) = _daybook.Extent(_book)!.Value;
        long[] sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        (int first, int last) = (from + 300, to - 900);
        IReadOnlyList<Run> runs = Coverage.Of(first, last, _daybook.MinutesFrom(_book));
        IReadOnlyList<PatternCost> costs = _daybook.Costs(sources, runs, 10);
        _daybook.AddDurations(costs, sources, runs);
        costs.ShouldAllBe(c => c.Sum.Durations.Count == c.Sum.Timed);
        IReadOnlyList<TimedCell> course = _daybook.Timeline(sources, Stretch.Hour, first, last);
        costs.Sum(c => c.Sum.Calls).ShouldBe(course.Sum(c => c.Cell.Calls));
        costs.Sum(c => c.Sum.TotalTicks).ShouldBe(course.Sum(c => c.Cell.TotalTicks));
        costs.ShouldAllBe(c => Math.Abs(c.Course.Sum() - c.Sum.TotalTicks) <= 40 * c.Course.Length);
    }

    [Fact]
    public void Two_sources_are_kept_apart_and_summed_on_demand()
    {
        Read(Log(10), "one", "left");
        Read(Log(20), "two", "right");
        List<SourceRecord> sources = [.. _daybook.Sources(_book)];
        sources.Select(s => s.Name).ShouldBe(["left", "right"]);
        (int from, int to) = _daybook.Extent(_book)!.Value;
        _daybook.Timeline([sources[0].Id], Stretch.Day, from - 1440, to).Sum(c => c.Cell.Calls).ShouldBe(10);
        _daybook.Timeline([.. sources.Select(s => s.Id)], Stretch.Day, from - 1440, to).Sum(c => c.Cell.Calls).ShouldBe(30);
    }

    [Fact]
    public void A_schema_change_is_noticed_and_belongs_to_a_deployment_announced_near_it()
    {
        var deployments = new DeploymentStore(_ledger);
        deployments.Record(_book, Start.AddHours(1), "2.0", "New index", "");
        Read(Encoding.UTF8.GetBytes(Line(Start.AddHours(1).AddMinutes(5), 900, "CREATE INDEX a ON parcel(a)") + Line(Start.AddHours(9), 900, "DROP INDEX b;")), "log");
        IReadOnlyList<DeploymentRecord> all = deployments.OfBook(_book);
        all.Select(d => (d.Version, d.Noticed, d.Script)).ShouldBe([("2.0", false, "CREATE INDEX a ON parcel(a);"), ("", true, "DROP INDEX b;")]);
        deployments.Record(_book, Start.AddHours(9.1), "2.1", "Forgotten", "");
        deployments.OfBook(_book).Select(d => (d.Version, d.Noticed)).ShouldBe([("2.0", false), ("2.1", false)]);
    }

    [Fact]
    public void What_a_look_noticed_gets_its_time_from_the_log_that_comes_later_and_is_told_once()
    {
        SqlDialect dialect = KnownEngines.OfSubject("postgresql://x/y").Dialect;
        DateTime at = Start;
        var deployments = new DeploymentStore(_ledger);
        void Noticed(DateTime when, string sql) => Read(Encoding.UTF8.GetBytes(Line(when, 900, sql)), $"log of {when:O}");
        SchemaObject table = new("table", "parcel", "CREATE TABLE parcel (id int)"), note = new("index", "parcel_note", "CREATE INDEX parcel_note ON public.parcel USING btree (note)"),
            sent = new("index", "parcel_sent", "CREATE INDEX parcel_sent ON public.parcel USING btree (sent)");
        deployments.Look(_book, [table], dialect, at).ShouldBeNull("nobody looked before");
        deployments.Look(_book, [table], dialect, at.AddHours(1)).ShouldBeNull();
        deployments.Look(_book, [table, note, sent], dialect, at.AddHours(2)).ShouldBe("index parcel_note created, index parcel_sent created");
        DeploymentRecord looked = deployments.OfBook(_book).ShouldHaveSingleItem();
        (looked.Time, looked.AfterAt, looked.LookedAt).ShouldBe((at.AddHours(2), at.AddHours(1).Ticks, at.AddHours(2).Ticks));

        // The log of that hour: both statements are that deployment, whose time is known now. One of another table is another.
        Noticed(at.AddMinutes(80), "create index concurrently parcel_note on parcel (note)");
        Noticed(at.AddMinutes(81), "CREATE INDEX parcel_sent ON parcel(sent);");
        Noticed(at.AddMinutes(119), "ALTER TABLE depot ADD COLUMN x int");
        DeploymentRecord[] told = [.. deployments.OfBook(_book)];
        told.Select(d => (d.Time, d.AfterAt, d.LookedAt.HasValue)).ShouldBe([(at.AddMinutes(80), null, true), (at.AddMinutes(119), null, false)]);
        (told[0].Script, looked.What.Contains(", at some time since 2026-03-02 01:00", StringComparison.Ordinal), told[0].What).ShouldBe((looked.Script, true, "index parcel_note created, index parcel_sent created"));

        // The other way round: what the log told is no news to the look.
        Noticed(at.AddHours(5), "DROP INDEX parcel_sent");
        deployments.Look(_book, [table, note], dialect, at.AddHours(6)).ShouldBe("index parcel_sent dropped");
        deployments.OfBook(_book).Count.ShouldBe(3);

        // Another change of the same name, a minute later, of which no log tells.
        deployments.Look(_book, [table, note with { Definition = note.Definition + " WHERE sent IS NULL" }], dialect, at.AddHours(6).AddMinutes(1)).ShouldBe("index parcel_note altered");
        deployments.OfBook(_book)[^1].Script.ShouldBe("DROP INDEX parcel_note;\nCREATE INDEX parcel_note ON public.parcel USING btree (note) WHERE sent IS NULL;");
        deployments.OfBook(_book).Count.ShouldBe(4);
        note = note with { Definition = note.Definition + " WHERE sent IS NULL" };

        // Of two changes one that the log tells of: only the other is news.
        Noticed(at.AddHours(6).AddMinutes(2), "CREATE VIEW board AS SELECT 1");
        deployments.Look(_book, [table, note, new("view", "board", " SELECT 1;"), new("view", "other", " SELECT 2;")], dialect, at.AddHours(6).AddMinutes(3)).ShouldBe("view board created, view other created");
        deployments.OfBook(_book)[^1].What.ShouldStartWith("view other created, at some time since ");

        // A name counts as a word of its own: an index named a is not told of by every text with that letter, and one of another schema is by its bare name.
        Noticed(at.AddHours(6).AddMinutes(4), "CREATE INDEX parcel_made ON parcel (made)");
        SchemaObject[] there = [table, note, new("view", "board", " SELECT 1;"), new("view", "other", " SELECT 2;")];
        deployments.Look(_book, [.. there, new("index", "a", "CREATE INDEX a ON public.parcel USING btree (id)"), new("index", "depot.parcel_made", "CREATE INDEX parcel_made ON depot.parcel USING btree (made)")], dialect, at.AddHours(6).AddMinutes(5));
        deployments.OfBook(_book)[^1].What.ShouldStartWith("index a created, at some time since ");
        deployments.Look(_book, there, dialect, at.AddHours(6).AddMinutes(6));

        // Announced by hand, as it was done: that names what the look noticed.
        deployments.Look(_book, [table, note, new("view", "board", " SELECT 1;"), new("view", "other", " SELECT 2;"), new("index", "parcel_late", "CREATE INDEX parcel_late ON public.parcel USING btree (note, sent)")], dialect, at.AddHours(8)).ShouldNotBeNull();
        deployments.Record(_book, at.AddHours(7), "2.4", "Late board", "");
        (deployments.OfBook(_book).Count, deployments.OfBook(_book)[^1].Version, deployments.OfBook(_book)[^1].Time).ShouldBe((8, "2.4", at.AddHours(7)));

        // Dropped and made anew at another time, it is another deployment, though the name is the same.
        Noticed(at.AddHours(9), "CREATE INDEX parcel_sent ON parcel (sent)");
        deployments.OfBook(_book).Count.ShouldBe(9);
    }

    [Fact]
    public void A_ledger_of_the_first_schema_is_brought_up_with_everything_in_it()
    {
        string old = Path.Combine(_folder, "old.db");
        using (var connection = new SqliteConnection($"Data Source={old};Pooling=False"))
        {
            connection.Open();
            using Stream first = typeof(LedgerDatabase).Assembly.GetManifestResourceStream("0001-books-and-trials")!;
            connection.Execute(new StreamReader(first).ReadToEnd());
            connection.Execute("""
                PRAGMA user_version = 1;
                INSERT INTO book VALUES (7, 'Depot', '/data/depot.db', 'SELECT 1', '2026-01-01T00:00:00Z');
                INSERT INTO change VALUES (3, 7, 'Index', '', 'CREATE INDEX', '2026-01-01T00:00:00Z');
                """);
        }

        var books = new BookStore(new LedgerDatabase(old), TimeProvider.System);
        books.Find(7)!.Subject.ShouldBe("/data/depot.db");
        books.Changes(7).ShouldHaveSingleItem().Id.ShouldBe(3);
        books.OpenByName("Logs only").Subject.ShouldBeNull();
        books.Open("/data/logs.db", "Logs only").Id.ShouldBe(books.OpenByName("Logs only").Id);
    }

    [Fact]
    public void The_plans_of_a_pattern_are_kept_with_the_hours_in_which_each_was_in_use()
    {
        string[] plans = ["SEARCH parcel USING INDEX parcel_note (note=?)", "SCAN parcel"];
        var file = new StringBuilder();
        foreach ((int hour, int plan, double ms) in new[] { (0, 0, 1.0), (0, 0, 3.0), (1, 0, 1.0), (2, 1, 90.0) })
        {
            file.Append(CultureInfo.InvariantCulture, $"{{\"at\":\"{Start.AddHours(hour):yyyy-MM-ddTHH:mm:ssZ}\",\"ms\":{ms},\"sql\":\"SELECT 1\",\"plan\":\"{plans[plan]}\"}}\n");
        }

        Read(Encoding.UTF8.GetBytes(file.ToString()), "one", "first");
        Read(Encoding.UTF8.GetBytes(file.ToString()), "one", "second");
        long[] sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        int start = Stretches.MinuteOf(Start);
        IReadOnlyList<CapturedPlanRecord> kept = new PlanUseStore(_ledger).OfPattern(_daybook.Patterns(_book)[0].Id, sources);
        kept.Select(p => p.Outline).ShouldBe(plans);
        kept[0].Hours.Select(h => (h.Hour - start, h.Calls, h.Total / TimeSpan.TicksPerMillisecond)).ShouldBe([(0, 4, 8), (60, 2, 2)]);
        kept[1].Hours.ShouldHaveSingleItem().ShouldBe(new PlanHour(start + 120, 2, 180 * TimeSpan.TicksPerMillisecond, start + 120, start + 120));
        new PlanUseStore(_ledger).OfPattern(_daybook.Patterns(_book)[0].Id, [sources[0]])[1].Hours[0].Calls.ShouldBe(1);
    }

    [Fact]
    public void All_sources_together_are_the_sum_of_each_whenever_they_came()
    {
        Read(Log(900, secondsApart: 30), "one", "first");
        Read(Log(700, secondsApart: 45), "two", "second");
        Read(Log(1_400, secondsApart: 30), "one", "first");
        (int from, int to) = _daybook.Extent(_book)!.Value;
        long[] sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        sources.Length.ShouldBe(2);
        foreach (Stretch stretch in new[] { Stretch.Hour, Stretch.Day })
        {
            foreach (long[]? patterns in new[] { null, _daybook.Patterns(_book).Select(p => p.Id).Take(2).ToArray() })
            {
                var apart = new SortedDictionary<int, Cell>();
                foreach (TimedCell cell in sources.SelectMany(s => _daybook.Timeline([s], stretch, 0, to, patterns)))
                {
                    (apart.TryGetValue(cell.Minute, out Cell? sum) ? sum : apart[cell.Minute] = new()).Add(cell.Cell);
                }

                IReadOnlyList<TimedCell> together = _daybook.Timeline(sources, stretch, 0, to, patterns);
                together.Select(c => (c.Minute, c.Cell.Calls, c.Cell.TotalTicks, Convert.ToHexString(c.Cell.Durations.Encode())))
                    .ShouldBe(apart.Select(c => (c.Key, c.Value.Calls, c.Value.TotalTicks, Convert.ToHexString(c.Value.Durations.Encode()))));
            }
        }

        _daybook.Costs(sources, Coverage.Of(from, to, int.MaxValue), 4).Sum(c => c.Sum.Calls).ShouldBe(3_000);
    }

    [Fact]
    public void A_ledger_that_kept_a_row_for_each_cell_is_brought_to_blocks_with_every_call_in_it()
    {
        string old = Path.Combine(_folder, "cells.db");
        using (var connection = new SqliteConnection($"Data Source={old};Pooling=False"))
        {
            connection.Open();
            foreach (string name in new[] { "0001-books-and-trials", "0002-captures" })
            {
                using Stream script = typeof(LedgerDatabase).Assembly.GetManifestResourceStream(name)!;
                connection.Execute(new StreamReader(script).ReadToEnd());
            }

            connection.Execute("""
                PRAGMA user_version = 2;
                INSERT INTO book VALUES (1, 'Depot', NULL, '', '2026-01-01T00:00:00Z');
                INSERT INTO source VALUES (1, 1, 'server');
                INSERT INTO pattern VALUES (3, 1, 77, 'select 1', 'select', '[]', 0);
                INSERT INTO pattern VALUES (4, 1, 78, 'select 2', 'select', '[]', 0);
                """);
            foreach ((int hour, int pattern, int calls, int total) in new[] { (0, 0, 5, 90), (0, 3, 2, 30), (0, 4, 3, 60), (60, 0, 1, 20), (60, 4, 1, 20) })
            {
                byte[] durations = new byte[] { 20, (byte)calls };
                connection.Execute("INSERT INTO cell VALUES (2, 1, @minute, @pattern, @calls, 0, @calls, @total, 20, NULL, 8, NULL, @durations)",
                    new { minute = 29_000_040 + hour, pattern, calls, total, durations });
            }
        }

        var daybook = new DaybookStore(new LedgerDatabase(old));
        daybook.Timeline([1], Stretch.Hour, 29_000_000, 29_001_000).Select(c => (c.Minute, c.Cell.Calls, c.Cell.TotalTicks, c.Cell.Durations.Count))
            .ShouldBe([(29_000_040, 5, 90, 5), (29_000_100, 1, 20, 1)]);
        TimedCell of4 = daybook.Timeline([1], Stretch.Hour, 29_000_000, 29_001_000, [4])[0];
        (of4.Cell.Calls, of4.Cell.RowsRead, of4.Cell.RowsReturned, of4.Cell.Durations.Quantile(0.5)).ShouldBe((3, 8, null, 20));
    }

    /// <summary>Ledgers of the fourth schema are about with the text of one execution beside a plan, and without.</summary>
    [Theory]
    [InlineData("")]
    [InlineData("ALTER TABLE captured_plan DROP COLUMN text;")]
    public void A_ledger_that_kept_a_plans_text_keeps_the_plan_and_when_it_was_in_use(string made)
    {
        string old = Path.Combine(_folder, "plans.db");
        using (var connection = new SqliteConnection($"Data Source={old};Pooling=False"))
        {
            connection.Open();
            foreach (string name in new[] { "0001-books-and-trials", "0002-captures", "0003-blocks", "0004-plans" })
            {
                using Stream script = typeof(LedgerDatabase).Assembly.GetManifestResourceStream(name)!;
                connection.Execute(new StreamReader(script).ReadToEnd());
            }

            connection.Execute($"""
                PRAGMA user_version = 4;
                {made}
                INSERT INTO book VALUES (1, 'Depot', NULL, '', '2026-01-01T00:00:00Z');
                INSERT INTO source VALUES (1, 1, 'server');
                INSERT INTO pattern VALUES (3, 1, 77, 'select 1', 'select', '[]', 0);
                INSERT INTO captured_plan VALUES (5, 3, 'shape', 'SCAN parcel'{(made.Length == 0 ? ", 'SCAN parcel (cost=1)'" : "")});
                INSERT INTO plan_use VALUES (5, 1, 29000040, 2, 90);
                """);
        }

        var ledger = new LedgerDatabase(old);
        CapturedPlanRecord kept = new PlanUseStore(ledger).OfPattern(3, [1]).ShouldHaveSingleItem();
        (kept.Outline, kept.Hours[0].Calls).ShouldBe(("SCAN parcel", 2));
        byte[] more = Encoding.UTF8.GetBytes("{\"at\":\"2026-03-02T00:00:00Z\",\"ms\":3,\"sql\":\"SELECT 2\",\"plan\":\"SCAN other\"}\n");
        new CaptureImport(new CaptureStore(ledger, TimeProvider.System)).Read(1, new MemoryStream(more), "log", new("server")).Problem.ShouldBeNull();
        using SqliteConnection check = ledger.Open();
        check.ExecuteScalar<long>("SELECT count(*) FROM captured_plan").ShouldBe(2);
    }
}
