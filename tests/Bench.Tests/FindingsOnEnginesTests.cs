using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>Each finding on both engines, on the same data: named where it is, and not named where it is not. What is counted is held against counting queries.</summary>
public sealed class FindingsOnEnginesTests(FindingsOnEnginesTests.Lakes lakes) : IClassFixture<FindingsOnEnginesTests.Lakes>
{
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);

    /// <summary>A finding, a statement that has it, and one that looks like it and has it not.</summary>
    [Theory]
    [InlineData(FindingKind.WholeTableForFewRows, "SELECT id FROM lake WHERE depth BETWEEN 10 AND 12 ORDER BY area DESC LIMIT 50", "SELECT id FROM lake WHERE depth BETWEEN 10 AND 900 ORDER BY area DESC LIMIT 50")]
    [InlineData(FindingKind.WholeTableForFewRows, "SELECT id FROM lake WHERE region = 7", "SELECT id FROM lake WHERE region <> 7 LIMIT 20")]
    [InlineData(FindingKind.RowsBeforeEnough, "SELECT id FROM lake WHERE depth = 500 LIMIT 5", "SELECT id FROM lake WHERE depth = 500 LIMIT 500")]
    [InlineData(FindingKind.NullInNotIn, "SELECT id FROM shore WHERE id NOT IN (SELECT shore_id FROM boat)", "SELECT id FROM shore WHERE id NOT IN (SELECT shore_id FROM boat WHERE shore_id IS NOT NULL)")]
    [InlineData(FindingKind.NullInNotIn, "SELECT id FROM shore WHERE id NOT IN (SELECT b.shore_id FROM boat b WHERE b.id > 3)", "SELECT id FROM shore WHERE id NOT IN (SELECT pier_shore FROM pier)")]
    [InlineData(FindingKind.LargeOffset, "SELECT id, depth FROM lake ORDER BY id LIMIT 10 OFFSET 40000", "SELECT id, depth FROM lake ORDER BY id LIMIT 10 OFFSET 4")]
    [InlineData(FindingKind.SubqueryPerRow, "SELECT id, (SELECT count(*) FROM boat WHERE boat.shore_id = shore.id) FROM shore", "SELECT id, (SELECT count(*) FROM boat) FROM shore")]
    [InlineData(FindingKind.RowsMultiplied, "SELECT DISTINCT s.name FROM shore s JOIN boat b ON b.shore_id = s.id JOIN pier p ON p.pier_shore = s.id", "SELECT DISTINCT s.name, b.id FROM shore s JOIN boat b ON b.shore_id = s.id")]
    [InlineData(FindingKind.RowsMultiplied, "SELECT DISTINCT s.name FROM shore s JOIN boat b ON b.shore_id = s.id", "SELECT DISTINCT s.name FROM shore s WHERE EXISTS (SELECT 1 FROM boat b WHERE b.shore_id = s.id)")]
    [InlineData(FindingKind.JoinWithoutCondition, "SELECT count(*) FROM shore s JOIN boat b ON b.id > 3", "SELECT count(*) FROM shore s JOIN boat b USING (id)")]
    [InlineData(FindingKind.RowsMultiplied, "SELECT s.name, count(*) FROM shore s JOIN boat b ON b.shore_id = s.id JOIN pier p ON p.pier_shore = s.id GROUP BY s.name", "SELECT s.name, count(*) FROM shore s JOIN pier p ON p.pier_shore = s.id GROUP BY s.name")]
    [InlineData(FindingKind.NeedlessDistinct, "SELECT DISTINCT id, region FROM lake", "SELECT DISTINCT depth, region FROM lake")]
    [InlineData(FindingKind.NeedlessDistinct, "SELECT DISTINCT s.id, b.id AS boat FROM shore s JOIN boat b ON b.shore_id = s.id", "SELECT DISTINCT s.id, b.shore_id FROM shore s JOIN boat b ON b.shore_id = s.id")]
    [InlineData(FindingKind.JoinWithoutCondition, "SELECT count(*) FROM shore s, pier p WHERE s.id < 50 AND p.id > 3", "SELECT count(*) FROM shore s, pier p WHERE s.id < 50 AND p.pier_shore = s.id")]
    [InlineData(FindingKind.JoinWithoutCondition, "SELECT s.name FROM shore s CROSS JOIN pier p", "SELECT s.name FROM shore s CROSS JOIN pier p WHERE pier_shore = s.id")]
    [InlineData(FindingKind.LeadingWildcard, "SELECT id FROM lake WHERE name LIKE '%77'", "SELECT id FROM lake WHERE name LIKE 'lake 77%'")]
    [InlineData(FindingKind.RowsReadPerRowReturned, "SELECT id FROM lake WHERE region = 7 AND depth > 900 ORDER BY area DESC LIMIT 1", "SELECT sum(area) FROM lake WHERE region = 7")]
    [InlineData(FindingKind.EstimateOff, null, "SELECT id FROM lake WHERE depth > 0 LIMIT 1")]
    [InlineData(FindingKind.EstimateOff, null, "SELECT 1 WHERE EXISTS (SELECT 1 FROM lake WHERE depth > 10)")]
    [InlineData(FindingKind.TemporaryStorage, null, "SELECT region, count(*) FROM lake WHERE id < 10 GROUP BY region")]
    public async Task A_finding_is_named_where_it_is_and_not_where_it_is_not(FindingKind kind, string? with, string without)
    {
        foreach (Lakes.Found of in new[] { await lakes.SqliteAsync(), await lakes.PostgresAsync() })
        {
            if (with is not null)
            {
                (await of.FindAsync(with)).Select(f => f.Kind).ShouldContain(kind, $"{of.Engine}: {with}\n{of.Plan}");
            }

            (await of.FindAsync(without)).Select(f => f.Kind).ShouldNotContain(kind, $"{of.Engine}: {without}\n{of.Plan}");
        }
    }

    /// <summary>A finding, the statement that has it, and its remedy, tried: a change, or the statement in other words. Then it is gone, the rows are the same, and the work is less.</summary>
    /// <param name="setup">Made before both.</param>
    /// <param name="less">The work after, over that before, is at most this.</param>
    [Theory]
    [InlineData(FindingKind.WholeTableForFewRows, "", "SELECT id, area FROM lake WHERE region = 7", "CREATE INDEX lake_region ON lake (region)", null, 0.7)]
    [InlineData(FindingKind.RowsBeforeEnough, "", "SELECT depth FROM lake WHERE depth = 500 LIMIT 5", "CREATE INDEX lake_depth ON lake (depth)", null, 0.3)]
    [InlineData(FindingKind.LookUpsBehindIndex, "CREATE INDEX lake_region ON lake (region)", "SELECT sum(area) FROM lake WHERE region < 10", "CREATE INDEX lake_all ON lake (region, area)", null, 0.85, "SQLite")]
    [InlineData(FindingKind.IndexBuiltAnew, "", "SELECT s.id, l.id AS lake FROM shore s JOIN lake l ON l.depth = s.id + 800", "CREATE INDEX lake_depth ON lake (depth)", null, 0.5, "SQLite")]
    [InlineData(FindingKind.TemporaryStorage, "", "SELECT depth FROM lake ORDER BY depth LIMIT 5", "CREATE INDEX lake_depth ON lake (depth)", null, 0.1, "SQLite")]
    [InlineData(FindingKind.NullInNotIn, "", "SELECT id FROM shore WHERE id NOT IN (SELECT shore_id FROM boat WHERE id < 40)", "", "SELECT id FROM shore WHERE NOT EXISTS (SELECT 1 FROM boat WHERE boat.shore_id = shore.id AND boat.id < 40)", 9)]
    [InlineData(FindingKind.LargeOffset, "", "SELECT id, depth FROM lake ORDER BY id LIMIT 10 OFFSET 40000", "", "SELECT id, depth FROM lake WHERE id > 40000 ORDER BY id LIMIT 10", 0.1)]
    [InlineData(FindingKind.SubqueryPerRow, "DROP INDEX boat_shore", "SELECT id, (SELECT count(*) FROM boat WHERE boat.shore_id = shore.id) AS boats FROM shore WHERE id < 90", "", "SELECT s.id, b.boats FROM shore s JOIN (SELECT shore_id, count(*) AS boats FROM boat GROUP BY shore_id) b ON b.shore_id = s.id WHERE s.id < 90", 0.3)]
    [InlineData(FindingKind.RowsMultiplied, "", "SELECT DISTINCT s.name FROM shore s JOIN boat b ON b.shore_id = s.id JOIN pier p ON p.pier_shore = s.id", "", "SELECT s.name FROM shore s WHERE EXISTS (SELECT 1 FROM boat b WHERE b.shore_id = s.id) AND EXISTS (SELECT 1 FROM pier p WHERE p.pier_shore = s.id)", 1)]
    [InlineData(FindingKind.NeedlessDistinct, "", "SELECT DISTINCT id, region FROM lake", "", "SELECT id, region FROM lake", 1)]
    [InlineData(FindingKind.JoinWithoutCondition, "", "SELECT DISTINCT s.id FROM shore s, pier p WHERE s.id < 50 AND p.id > 3", "", "SELECT DISTINCT s.id FROM shore s, pier p WHERE s.id < 50 AND p.id > 3 AND p.pier_shore = s.id", 1)]
    [InlineData(FindingKind.WrappedColumn, "CREATE INDEX lake_depth ON lake (depth)", "SELECT id FROM lake WHERE depth + 1 = 78", "", "SELECT id FROM lake WHERE depth = 78 - 1", 0.3)]
    [InlineData(FindingKind.FirstColumnMissing, "CREATE INDEX lake_two ON lake (name, depth)", "SELECT id FROM lake WHERE depth = 77", "CREATE INDEX lake_depth ON lake (depth)", null, 0.3)]
    [InlineData(FindingKind.AlternativesAcrossColumns, "CREATE INDEX lake_depth ON lake (depth)", "SELECT l.id FROM lake l JOIN shore s ON s.id = l.region WHERE l.depth = 77 OR s.name = 'shore 7'", "CREATE INDEX lake_region ON lake (region)", "SELECT l.id FROM lake l JOIN shore s ON s.id = l.region WHERE l.depth = 77 UNION SELECT l.id FROM lake l JOIN shore s ON s.id = l.region WHERE s.name = 'shore 7'", 0.9)]
    [InlineData(FindingKind.ConvertedColumn, "", "SELECT region FROM lake WHERE id = 77.0", "", "SELECT region FROM lake WHERE id = 77", 0.1, "PostgreSQL")]
    [InlineData(FindingKind.OtherCollationOrType, "CREATE INDEX lake_name ON lake (name)", "SELECT id FROM lake WHERE name = 'lake 77' COLLATE NOCASE", "CREATE INDEX lake_nocase ON lake (name COLLATE NOCASE)", null, 0.1, "SQLite")]
    public async Task A_remedy_helps(FindingKind kind, string setup, string sql, string change, string? instead, double less, string? only = null)
    {
        foreach (Lakes.Found of in new[] { await lakes.SqliteAsync(), await lakes.PostgresAsync() }.Where(f => only is null || f.Engine == only))
        {
            string first = setup.Length > 0 ? $"{setup}; ANALYZE" : "ANALYZE";
            Finding named = (await of.FindAsync(sql, first)).Where(f => f.Kind == kind).ShouldHaveSingleItem($"{of.Engine}: {sql}\n{of.Plan!.Text}");
            named.Remedy.ShouldNotBeEmpty();
            (long work, string? rows, long handed) = (of.Work, of.Rows, Handed(of.Plan!));
            (await of.FindAsync(instead ?? sql, change.Length > 0 ? $"{first}; {change}; ANALYZE" : first)).ShouldNotContain(f => f.Kind == kind, $"{of.Engine}\n{of.Plan.Text}");
            of.Rows.ShouldBe(rows, of.Engine);

            // Blocks count no row that goes from one operator to the next: where joins multiply, those are the work.
            Math.Min(of.Work / (double)work, Handed(of.Plan) / (double)Math.Max(handed, 1)).ShouldBeLessThanOrEqualTo(less, $"{of.Engine}: {work} before\n{of.Plan.Text}");
        }
    }

    /// <summary>The same for what only a server tells.</summary>
    [Theory]
    [InlineData(FindingKind.SpillsToDisk, "SET work_mem = '64kB'", "SELECT id FROM lake ORDER BY area, id", "SET work_mem = '64MB'")]
    [InlineData(FindingKind.HashBatches, "SET work_mem = '64kB'; SET enable_mergejoin = off", "SELECT count(*) FROM lake a JOIN lake b ON a.area = b.area", "SET work_mem = '64MB'")]
    [InlineData(FindingKind.HeapFetches, "CREATE INDEX lake_region ON lake (region); UPDATE lake SET area = area + 1; SET enable_seqscan = off; SET enable_bitmapscan = off", "SELECT count(region) FROM lake WHERE region < 20", "VACUUM lake")]
    [InlineData(FindingKind.CompilingCosts, "SET jit = on; SET jit_above_cost = 0; SET jit_inline_above_cost = 0; SET jit_optimize_above_cost = 0", "SELECT sum(area + depth * 2) FROM lake WHERE id < 100", "SET jit = off")]
    [InlineData(FindingKind.LoopOverWrongEstimate, "", "SELECT count(*) FROM tide t JOIN lake l ON l.id = t.id WHERE t.kind = 9", "ANALYZE tide")]
    [InlineData(FindingKind.DependentColumns, "CREATE TABLE reef AS SELECT i AS id, i % 100 AS a, i % 100 / 2 AS b FROM generate_series(1, 50000) i; ANALYZE reef", "SELECT id FROM reef WHERE a = 7 AND b = 3", "CREATE STATISTICS reef_ab (dependencies, mcv) ON a, b FROM reef; ANALYZE reef")]
    public async Task A_remedy_helps_on_a_server(FindingKind kind, string setup, string sql, string remedy)
    {
        Lakes.Found of = await lakes.PostgresAsync();
        string first = setup.Length > 0 ? setup : "SET enable_material = on";
        (await of.FindAsync(sql, first)).Where(f => f.Kind == kind).ShouldHaveSingleItem(of.Plan!.Text).Remedy.ShouldNotBeEmpty();
        (long work, string? rows) = (of.Work, of.Rows);
        (await of.FindAsync(sql, $"{first}; {remedy}")).ShouldNotContain(f => f.Kind == kind, of.Plan.Text);
        of.Rows.ShouldBe(rows);
        of.Work.ShouldBeLessThanOrEqualTo(work);
    }

    private static long Handed(Plan plan) => plan.Lines().Sum(l => l.Operator.Counts?.RowsPassed ?? 0);

    // Passed is what the conditions let through, not what LIMIT kept of it.
    [Theory]
    [InlineData("SELECT id FROM lake WHERE depth BETWEEN 10 AND 12 ORDER BY area DESC LIMIT 50", "SELECT count(*) FROM lake WHERE depth BETWEEN 10 AND 12")]
    [InlineData("SELECT id FROM lake WHERE region = 7 ORDER BY depth, area LIMIT 3 OFFSET 2", "SELECT count(*) FROM lake WHERE region = 7")]
    [InlineData("SELECT id FROM lake WHERE region = 7", "SELECT count(*) FROM lake WHERE region = 7")]
    public async Task What_passed_is_counted(string sql, string count)
    {
        foreach (Lakes.Found of in new[] { await lakes.SqliteAsync(), await lakes.PostgresAsync() })
        {
            Finding whole = (await of.FindAsync(sql)).Single(f => f.Kind == FindingKind.WholeTableForFewRows);
            whole[Fact.RowsPassed].ShouldBe(double.Parse(lakes.Count(count), System.Globalization.CultureInfo.InvariantCulture), $"{of.Engine}: {sql}");
            whole[Fact.RowsVisited].ShouldBe(Lakes.Rows, of.Engine);
        }
    }

    [Fact]
    public async Task An_offset_is_named_first_and_no_whole_read_beside_it()
    {
        foreach (Lakes.Found of in new[] { await lakes.SqliteAsync(), await lakes.PostgresAsync() })
        {
            IReadOnlyList<Finding> found = await of.FindAsync("SELECT id, depth FROM lake ORDER BY depth, id LIMIT 10 OFFSET 40000");
            found[0].Kind.ShouldBe(FindingKind.LargeOffset, of.Engine);
            found.Where(f => f.Kind is FindingKind.WholeTableForFewRows or FindingKind.RowsReadPerRowReturned).ShouldBeEmpty(of.Engine);
        }
    }

    [Fact]
    public async Task The_index_that_would_help_begins_with_equalities_then_the_order()
    {
        const string sql = "SELECT id FROM lake WHERE region = 7 AND depth > 900 ORDER BY area DESC LIMIT 1";
        foreach (Lakes.Found of in new[] { await lakes.SqliteAsync(), await lakes.PostgresAsync() })
        {
            (await of.FindAsync(sql)).Single(f => f.Kind == FindingKind.RowsReadPerRowReturned).Columns.ShouldBe(["region", "area"], of.Engine);
            long visited = RowFlow.Visited(of.Plan!.Lines().Select(l => l.Operator));

            // Tried, it helps.
            (await of.FindAsync(sql, "CREATE INDEX lake_region_area ON lake (region, area)")).Count(f => f.Kind == FindingKind.RowsReadPerRowReturned).ShouldBe(0, $"{of.Engine}\n{of.Plan!.Text}");
            RowFlow.Visited(of.Plan.Lines().Select(l => l.Operator)).ShouldBeLessThan(visited / 50, of.Engine);
        }
    }

    private const string Moored = "SELECT b.id, p.id AS pier FROM boat b {0} JOIN pier p ON p.pier_shore = b.shore_id {0} JOIN shore s ON s.id = b.shore_id WHERE s.name = 'shore 7'";

    // Each engine is held to the written order in its own way, and let go again: the remedy, tried, helps.
    [Fact]
    public async Task An_order_of_joins_is_named_where_another_visits_far_fewer_rows()
    {
        Lakes.Found lite = await lakes.SqliteAsync(), server = await lakes.PostgresAsync();
        string held = Moored.Replace("{0}", "CROSS", StringComparison.Ordinal), free = Moored.Replace("{0} ", "", StringComparison.Ordinal);
        foreach ((Lakes.Found of, string sql, string? change) in new[] { (lite, held, null), (server, free, "SET join_collapse_limit = 1") })
        {
            Finding dearer = (await of.FindAsync(sql, change)).Where(f => f.Kind == FindingKind.DearerJoinOrder).ShouldHaveSingleItem($"{of.Engine}: {of.Plan!.Text}");
            dearer.OtherColumns[0].ShouldBe("s", of.Plan!.Text);
            dearer[Fact.RowsVisited].ShouldBe(RowFlow.Visited(of.Plan.Lines().Select(l => l.Operator)), of.Engine);
            dearer.Remedy.ShouldContain(of == lite ? "CROSS JOIN" : "join_collapse_limit");
            Plan as1 = of.Plan;
            (await of.FindAsync(free)).ShouldNotContain(f => f.Kind == FindingKind.DearerJoinOrder, of.Plan.Text);
            RowFlow.Visited(of.Plan.Lines().Select(l => l.Operator)).ShouldBeLessThan(RowFlow.Visited(as1.Lines().Select(l => l.Operator)) / 4, of.Engine);
        }

        // Counted by hand: 100 shores, 30 boats of shore 7, and 30 piers for each of them.
        (await lite.FindAsync(held))[0][Fact.RowsVisitedOtherwise].ShouldBe(100 + 30 + (30 * 30));
    }

    // Whatever is joined, and however it is written: another order of inner joins gives the same rows.
    [Fact]
    public async Task Other_orders_of_joins_give_the_same_rows()
    {
        var random = new Random(20261129);
        string[] tables = ["lake", "shore", "boat", "pier"], ties = ["{0}.id = {1}.id", "{1}.id = {0}.id + 1", "{0}.id BETWEEN {1}.id AND {1}.id + 2"];
        string[] own = ["{0}.id < 2000", "{0}.id IN (3, 77, 900)", "{0}.id % 7 = 3", "({0}.id > 50 OR {0}.id = 4)", "{0}.id IN (SELECT shore_id FROM boat)"];
        int tried = 0;
        foreach (Lakes.Found of in new[] { await lakes.SqliteAsync(), await lakes.PostgresAsync() })
        {
            for (int i = 0; i < 16; i++)
            {
                string[] names = [.. Enumerable.Range(0, random.Next(2, 5)).Select(n => $"t{n}")];
                var from = new System.Text.StringBuilder($"{tables[random.Next(4)]} AS t0");
                var where = new List<string> { string.Format(null, own[random.Next(own.Length)], names[random.Next(names.Length)]) };
                foreach ((string name, int at) in names.Select((n, at) => (n, at)).Skip(1))
                {
                    string tie = string.Format(null, ties[random.Next(ties.Length)], name, names[random.Next(at)]), table = tables[random.Next(1, 4)];
                    bool inner = random.Next(2) == 0;
                    from.Append(inner ? $" JOIN {table} {name} ON {tie}" : random.Next(2) == 0 ? $" CROSS JOIN \"{table}\" AS {name}" : $", {table} {name}");
                    if (!inner)
                    {
                        where.Add(tie);
                    }
                }

                // A comma binds weaker than JOIN: what ON speaks of must stand behind it.
                string source = from.ToString().Contains(',') && from.ToString().Contains(" ON ", StringComparison.Ordinal) ? from.ToString().Replace(", ", " CROSS JOIN ", StringComparison.Ordinal) : from.ToString();
                string list = random.Next(4) == 0 ? "count(*), sum(t0.id)" : string.Join(", ", names.Select(n => $"{n}.id AS {n}_id"));
                string sql = $"SELECT {list} FROM {source} WHERE {string.Join(" AND ", where)}";
                (string? rows, IReadOnlyList<(string Sql, string? Rows)> others) = await of.OrdersAsync(sql);
                others.ShouldAllBe(o => o.Rows == rows, $"{of.Engine}: {sql}");
                tried += others.Count;
            }
        }

        tried.ShouldBeGreaterThan(20);
    }

    // LIKE is asked of the engine itself: reversed, what values end with is what they begin with.
    [Fact]
    public async Task A_remedy_for_a_pattern_is_one_that_helps()
    {
        Lakes.Found of = await lakes.PostgresAsync();
        Finding suffix = (await of.FindAsync("SELECT id FROM lake WHERE name LIKE '%777'")).Single(f => f.Kind == FindingKind.LeadingWildcard);
        suffix.Remedy.ShouldContain("reversed");
        (await of.FindAsync("SELECT id FROM lake WHERE reverse(name) LIKE reverse('%777')", "CREATE INDEX lake_reversed ON lake (reverse(name) text_pattern_ops)")).ShouldNotContain(f => f.Kind == FindingKind.WholeTableForFewRows, of.Plan!.Text);
        of.Plan.Text.ShouldContain("lake_reversed");
        (await of.FindAsync("SELECT id FROM lake WHERE name LIKE '%777%'")).Single(f => f.Kind == FindingKind.LeadingWildcard).Remedy.ShouldContain("parts of words");
    }

    [Theory]
    [InlineData("SELECT region FROM lake WHERE id = 77.0", true)]
    [InlineData("SELECT region FROM lake WHERE id = 77", false)]
    [InlineData("SELECT region FROM lake WHERE id::numeric = 77.0", false)]
    [InlineData("SELECT id FROM lake WHERE code = 'c77'", false)]
    [InlineData("SELECT id FROM lake WHERE seen = '2026-01-02'", false)]
    [InlineData("SELECT id FROM lake WHERE seen = timestamptz '2026-01-02'", false)]
    [InlineData("SELECT id FROM lake WHERE depth > 500.5", true)]
    public async Task A_column_that_the_server_converts_is_named(string sql, bool named)
    {
        Lakes.Found of = await lakes.PostgresAsync();
        (await of.FindAsync(sql)).Any(f => f.Kind == FindingKind.ConvertedColumn).ShouldBe(named, of.Plan!.Text);
    }

    [Fact]
    public async Task Rows_that_a_loop_visits_are_not_the_table_read_whole_once()
    {
        Lakes.Found of = await lakes.SqliteAsync();
        IReadOnlyList<Finding> found = await of.FindAsync("SELECT s.id FROM shore s CROSS JOIN lake l WHERE s.id < 5 AND l.depth = s.id * 100 + 900 AND l.region = 3");
        found.Single(f => f.Kind == FindingKind.WholeTableForFewRows).Text.ShouldStartWith($"lake is read whole 4 times: 200\u202F000 rows for the ", Case.Sensitive, of.Plan!.Text);
    }

    // Written after statistics were gathered, as many rows as before: VACUUM puts the number of rows right, and the values are other ones.
    [Fact]
    public async Task Statistics_are_stale_where_rows_were_written_since()
    {
        Lakes.Found of = await lakes.PostgresAsync();
        Finding stale = (await of.FindAsync("SELECT id FROM tide WHERE kind = 9")).Single(f => f.Kind == FindingKind.EstimateOff);
        stale.Statistics.ShouldBe(StatisticsState.Stale);
        stale.Text.ShouldEndWith("The statistics of tide are stale: since they were gathered, rows were written 20\u202F000 times; it holds 20\u202F000.");
        (await of.FindAsync("SELECT id FROM tide WHERE kind = 9", "ANALYZE tide")).ShouldNotContain(f => f.Kind == FindingKind.EstimateOff);
    }

    // The same on SQLite, which counts no writes: what the first column of an index holds tells.
    [Fact]
    public async Task Statistics_are_stale_where_a_column_holds_another_number_of_values()
    {
        Lakes.Found of = await lakes.SqliteAsync();
        const string sql = "SELECT id FROM tide WHERE kind = 9", written = "CREATE INDEX tide_kind ON tide (kind); ANALYZE; UPDATE tide SET kind = 9 + kind % 2";
        Finding stale = (await of.FindAsync(sql, written)).Single(f => f.Kind == FindingKind.EstimateOff);
        stale.Text.ShouldEndWith("The statistics of tide are stale: they know 1\u202F000 different values of kind, there are 2.");
        of.Catalog!.Tables.Where(t => t.IsStale).Select(t => t.Name).ShouldBe(["tide"]);
        (await of.FindAsync(sql, $"{written}; ANALYZE")).ShouldNotContain(f => f.Kind == FindingKind.EstimateOff, of.Plan!.Text);
        of.Catalog!.Tables.ShouldAllBe(t => !t.IsStale);

        // Eight spellings are one value to an index that does not tell cases apart.
        await of.FindAsync("SELECT 1", "CREATE TABLE spelt (name TEXT); INSERT INTO spelt SELECT char(65 + 32 * (id % 2), 65 + 32 * (id / 2 % 2), 65 + 32 * (id / 4 % 2)) FROM lake; CREATE INDEX spelt_name ON spelt (name COLLATE NOCASE); ANALYZE");
        (of.Catalog.Table("spelt")!.IsStale, of.Catalog.Table("spelt")!.ValuesAgree).ShouldBe((false, true));
    }

    // What a session wrote before it gathered statistics is added up after: the values tell that nothing changed.
    [Fact]
    public async Task Statistics_that_the_values_agree_with_are_not_stale_whatever_was_written()
    {
        lakes.Sql("CREATE TABLE calm AS SELECT i AS id, i % 40 AS kind FROM generate_series(1, 20000) i; ANALYZE calm;");
        Lakes.Found of = await lakes.PostgresAsync();
        await of.FindAsync("SELECT 1", "SET work_mem = '4MB'");
        (of.Catalog!.Table("calm")!.ChangedRows > 0, of.Catalog.Table("calm")!.IsStale).ShouldBe((true, false));
        (of.Catalog.Table("tide")!.ChangedRows > 0, of.Catalog.Table("tide")!.IsStale, of.Catalog.Table("tide")!.ValuesAgree).ShouldBe((true, true, false));
        lakes.Sql("DROP TABLE calm");
    }

    /// <summary>The same lakes in both engines.</summary>
    public sealed class Lakes : IDisposable
    {
        public const int Rows = 50_000;

        private const string Tables = """
            CREATE TABLE lake (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL, code VARCHAR(20), region INTEGER, depth INTEGER, area INTEGER, seen DATE);
            CREATE TABLE shore (id INTEGER PRIMARY KEY, name TEXT);
            CREATE TABLE boat (id INTEGER PRIMARY KEY, shore_id INTEGER);
            CREATE TABLE pier (id INTEGER PRIMARY KEY, pier_shore INTEGER NOT NULL);
            CREATE TABLE tide (id INTEGER PRIMARY KEY, kind INTEGER);
            """;

        private const string RowsOf = """
            INSERT INTO lake SELECT i, 'lake ' || i, 'c' || i, i * 7919 % 200, i * 104729 % 1000, i * 15485 % 99991, '2026-01-01' FROM numbers WHERE i <= 50000;
            INSERT INTO shore SELECT i, 'shore ' || i FROM numbers WHERE i <= 100;
            INSERT INTO boat SELECT i, 1 + i % 100 FROM numbers WHERE i <= 3000;
            INSERT INTO pier SELECT i, 1 + i % 100 FROM numbers WHERE i <= 3000;
            INSERT INTO tide SELECT i, i % 1000 FROM numbers WHERE i <= 20000;
            """;

        /// <summary>What takes longer is left out: another order may take for ever.</summary>
        private static readonly TimeSpan Short = TimeSpan.FromMilliseconds(500);

        private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
        private readonly PostgresServer _server = new("max_parallel_workers_per_gather = 0\njit = off\nfsync = off");
        private readonly ExplainProcess _counter = new(SubjectEngines.Of(Dialects.SqliteEngine));

        public Lakes()
        {
            SQLitePCL.Batteries_V2.Init();
            using (var connection = new SqliteConnection($"Data Source={Path.Combine(_folder, "lakes.db")};Pooling=False"))
            {
                connection.Open();
                using SqliteCommand command = connection.CreateCommand();
                command.CommandText = $"{Tables} CREATE TEMP TABLE numbers AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 50000) SELECT i FROM n; {RowsOf} CREATE INDEX boat_shore ON boat (shore_id); CREATE INDEX pier_of ON pier (pier_shore); ANALYZE;";
                command.ExecuteNonQuery();
            }

            _server.Sql("postgres", "CREATE DATABASE lakes");
            _server.Sql("lakes", $"{Tables} CREATE TEMP TABLE numbers AS SELECT i::bigint AS i FROM generate_series(1, 50000) i; {RowsOf.Replace("'2026-01-01'", "date '2026-01-01'", StringComparison.Ordinal)} CREATE INDEX boat_shore ON boat (shore_id); CREATE INDEX pier_of ON pier (pier_shore); ALTER TABLE tide SET (autovacuum_enabled = off);");
            _server.Sql("lakes", "ANALYZE");
            _server.Sql("lakes", "UPDATE tide SET kind = 9 + kind % 2;");
            _server.Sql("lakes", "VACUUM tide; VACUUM lake; CREATE ROLE reader LOGIN; GRANT SELECT ON ALL TABLES IN SCHEMA public TO reader;");
        }

        public void Sql(string sql) => _server.Sql("lakes", sql);

        public string Count(string sql) => _server.Sql("lakes", sql).Trim();

        public Task<Found> SqliteAsync() => Task.FromResult(new Found("SQLite", async sql =>
        {
            string copies = Directory.CreateDirectory(Path.Combine(_folder, Guid.NewGuid().ToString("n"))).FullName;
            SqliteSubject subject = SqliteSubject.Open(Path.Combine(_folder, "lakes.db"), copies, _counter);
            return (subject, await subject.CopyAsync(Side.After, default));
        }, Dialects.SqliteEngine));

        public Task<Found> PostgresAsync() => Task.FromResult(new Found("PostgreSQL", async change =>
        {
            string copies = Directory.CreateDirectory(Path.Combine(_folder, Guid.NewGuid().ToString("n"))).FullName;
            string address = $"postgresql://{(change is null ? "reader" : "postgres")}@127.0.0.1:{_server.Port.ToString(System.Globalization.CultureInfo.InvariantCulture)}/lakes";
            PostgresSubject subject = PostgresSubject.Open(new(address, change is null ? SubjectSides.AsItIs : SubjectSides.Copies), copies);
            return (subject, await subject.CopyAsync(Side.After, default));
        }, Dialects.PostgresEngine));

        public void Dispose()
        {
            _counter.Dispose();
            _server.Dispose();
            Directory.Delete(_folder, recursive: true);
        }

        /// <summary>Finds things in statements on one engine.</summary>
        public sealed class Found(string engine, Func<string?, Task<(ISubject, ISubjectCopy)>> open, Engine of)
        {
            public string Engine => engine;

            /// <summary>Of the latest statement.</summary>
            public Plan? Plan { get; private set; }

            public Catalog? Catalog { get; private set; }

            /// <summary>Hash of its rows, whatever their order.</summary>
            public string? Rows { get; private set; }

            /// <summary>By the engine's primary counter.</summary>
            public long Work { get; private set; }

            /// <summary>The rows of a statement, and of the same in each other order of its joins.</summary>
            public async Task<(string? Rows, IReadOnlyList<(string Sql, string? Rows)> Others)> OrdersAsync(string sql)
            {
                (ISubject subject, ISubjectCopy copy) = await open(null);
                await using (subject)
                await using (copy)
                {
                    Catalog = copy.ReadCatalog(Limit);
                    Inspection seen = await copy.InspectAsync(new(sql, []), Limit, default);
                    var others = new List<(string, string?)>();
                    foreach ((_, string other) in JoinOrders.Of(new PlanSide(seen.Plan!, sql, of.Plans!) { Rows = seen.Rows, Catalog = Catalog }))
                    {
                        Inspection there = await copy.InspectAsync(new(other, []), Short, default);
                        if (there.Failure is null or { TimeLimit: false })
                        {
                            there.Failure.ShouldBeNull(other);
                            others.Add((other, there.RowsHash));
                        }
                    }

                    return (seen.RowsHash, others);
                }
            }

            public async Task<IReadOnlyList<Finding>> FindAsync(string sql, string? change = null)
            {
                (ISubject subject, ISubjectCopy copy) = await open(change);
                await using (subject)
                await using (copy)
                {
                    if (change is not null)
                    {
                        foreach (string step in change.Split(';'))
                        {
                            await copy.ApplyAsync(new(1, step, new(0, step.Length), new(1, 1)), default);
                        }

                        await copy.FinishChangeAsync(default);
                    }

                    Catalog = copy.ReadCatalog(Limit);
                    Inspection seen = (await copy.InspectAsync(new(sql, []), Limit, default)).WithOrders(copy, new(sql, []), of.Plans!, Catalog, Limit);
                    seen.Failure.ShouldBeNull(sql);
                    (Plan, Rows, Work) = (seen.Plan, seen.RowsHash, seen.Counters[of.Counter!.Name]);
                    return PlanFindings.Of(new PlanSide(seen.Plan!, sql, of.Plans!) { Rows = seen.Rows, Counters = seen.Counters, Catalog = Catalog });
                }
            }
        }
    }
}
