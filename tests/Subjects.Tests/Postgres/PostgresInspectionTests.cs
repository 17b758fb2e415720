using System.Globalization;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Live;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>What a trial sees on a real server: plans, times, rows, the catalogue, and who waits.</summary>
[Collection(PostgresFixture.Name)]
public sealed class PostgresInspectionTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    [Fact]
    public async Task A_servers_error_keeps_its_detail_and_its_hint()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        async Task<string> Said(string sql) => (await copy.InspectAsync(new(sql, []), Limit, default)).Failure!.Reason;
        (await Said("INSERT INTO depot VALUES (7, 'x')")).ShouldBe("duplicate key value violates unique constraint \"depot_pkey\": Key (id)=(7) already exists");
        (await Said("INSERT INTO parcel VALUES (0, 99, 'x', 1, '2026-01-01')")).ShouldContain("Key (depot_id)=(99) is not present in table \"depot\"");
        (await Said("SELECT nam FROM depot")).ShouldContain("(Perhaps you meant to reference the column \"depot.name\")");
        PostgresSubject.Clean(new(Address), Folder);
    }

    // pg_sleep is the one statement whose time in the server is known beforehand.
    [Fact]
    public async Task Time_in_the_server_is_told_apart_from_the_clients()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        Inspection sleeping = await copy.InspectAsync(new("SELECT pg_sleep(:long)", BindLine.Pairs("long=0.03")), Limit, default);
        sleeping.ServerMilliseconds.ShouldNotBeNull().ShouldBeGreaterThanOrEqualTo(30);

        // A value is made here, and ten million of its letters are sent to the client alone.
        // The two are of two executions: on a busy machine the least of several tell them apart.
        double server = double.PositiveInfinity;
        double client = double.PositiveInfinity;
        for (int look = 0; look < 5 || (server >= client && look < 40); look++)
        {
            Inspection wide = await copy.InspectAsync(new("SELECT repeat(n::text, 10000000) FROM generate_series(1, 3) n", []), Limit, default);
            server = Math.Min(server, wide.ServerMilliseconds.ShouldNotBeNull());
            client = Math.Min(client, wide.ColdMilliseconds!.Value);
        }

        server.ShouldBeLessThan(client);
        (await copy.InspectAsync(new("SELECT 1 / 0", []), Limit, default)).ServerMilliseconds.ShouldBeNull();
    }

    [Fact]
    public async Task A_write_is_looked_at_and_timed_without_staying()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        var run = new CaseRun("UPDATE parcel SET weight = weight + :more WHERE depot_id = :depot", BindLine.Pairs("depot=7, more=1.5"));
        Inspection seen = await copy.InspectAsync(run, Limit, default);
        (seen.Writes, seen.Rows, seen.RowsRepeat).ShouldBe((true, 400, true));
        seen.RowsHash.ShouldNotBeNull();
        Inspection other = await copy.InspectAsync(run with { Bindings = BindLine.Pairs("depot=8, more=1.5") }, Limit, default);
        (other.Rows, other.RowsHash == seen.RowsHash).ShouldBe((400, false));
        using (IPreparedCase prepared = copy.Prepare(run, Limit))
        {
            prepared.Execute(2);
        }

        Inspection sum = await copy.InspectAsync(new("SELECT sum(weight) FROM parcel", []), Limit, default);
        sum.RowsHash.ShouldBe((await copy.InspectAsync(new($"SELECT {Postgres.Sql(Database, "SELECT sum(weight) FROM parcel").Trim()}::numeric", []), Limit, default)).RowsHash);
        PostgresSubject.Clean(new(Address), Folder);
    }

    // EXCEPT ALL (PostgreSQL manual, 7.4 "Combining Queries") is the difference of multisets; a column's type is said in front, for to it 12 and 12.00 are equal.
    [Fact]
    public async Task Rows_on_one_side_only_are_as_many_as_the_server_says_and_a_column_of_another_type_is_named()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        (RowsOnlyHere Before, RowsOnlyHere After) Compare(string before, string after, string binds = "") => RowSieve.Compare(
            wanted => copy.Rows(new(before, BindLine.Pairs(binds)), Limit, wanted), wanted => copy.Rows(new(after, BindLine.Pairs(binds)), Limit, wanted)).ShouldNotBeNull();
        long Count(string sql) => long.Parse(copy.Rows(new(sql, []), Limit, _ => true).Rows[0][0], CultureInfo.InvariantCulture);
        for (int n = 1; n < 40; n++)
        {
            string a = $"SELECT (i * {n}) % 7 AS x, nullif(md5((i % {n})::text), md5('1')) AS y FROM generate_series(1, {50 + n}) i";
            string b = $"SELECT (i * {n + 1}) % 5 AS x, nullif(md5((i % {n + 2})::text), md5('1')) AS y FROM generate_series(1, {60 - n}) i";
            (RowsOnlyHere before, RowsOnlyHere after) = Compare(a, b);
            (before.Count, after.Count).ShouldBe((Count($"SELECT count(*) FROM ({a} EXCEPT ALL {b}) d"), Count($"SELECT count(*) FROM ({b} EXCEPT ALL {a}) d")), $"n = {n}");
        }

        (RowsOnlyHere plain, RowsOnlyHere scaled) = Compare("SELECT 12::numeric AS price, 'it''s' AS name, NULL::int AS n WHERE :c IS NOT NULL OR 1 = :c", "SELECT 12::numeric(8, 2) AS price, 'it''s' AS name, NULL::int AS n WHERE 1 = :c", "c=1");
        plain.Rows.ShouldBe([["12", "'it''s'", "NULL"]]);
        scaled.Rows.ShouldBe([["12.00", "'it''s'", "NULL"]]);
        ColumnChange.Between(plain.Columns, scaled.Columns).ShouldBe([new(1, new("price", "numeric"), new("price", "numeric(8, 2)"))]);
        Compare("SELECT '' AS a", "SELECT repeat('ä', 1000000) AS a").After.Rows[0][0].ShouldBe("'" + new string('ä', RowsOnlyHere.LongestValue - 1) + "…");
    }

    // PostgreSQL manual, "PREPARE": five custom plans, then a generic one where it is not estimated to be dearer.
    [Fact]
    public async Task The_plan_that_an_application_keeps_is_shown_and_the_one_for_its_values_told()
    {
        Postgres.Sql(Database, "CREATE TABLE reading AS SELECT i AS id, CASE WHEN i % 10000 = 0 THEN 1 ELSE 2 + abs(hashint4(i)) % 3 END AS kind FROM generate_series(1, 50000) i; CREATE INDEX reading_kind ON reading (kind); ALTER TABLE reading ALTER kind SET STATISTICS 100");
        Postgres.Sql(Database, "ANALYZE reading");
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        await side.ApplyAsync(Step("SET plan_cache_mode = force_generic_plan"), default);
        await side.ApplyAsync(Step("SET enable_bitmapscan = off"), default);
        Inspection seen = await side.InspectAsync(new("SELECT sum(id) FROM reading WHERE kind = :kind AND id > 0", BindLine.Pairs("kind=1")), Limit, default);
        seen.Failure.ShouldBeNull();
        seen.Plan!.Text.ShouldContain("Seq Scan on reading");
        seen.Plan.Details[Planning.Kind].ShouldBe(Planning.Once);
        seen.PlanNote.ShouldNotBeNull().ShouldContain("For these values it plans: Aggregate;   Index Scan using reading_kind on reading");
        PlanFindings.Of(Dialects.Side(seen.Plan, "SELECT 1", Dialects.PostgreSql)).Select(f => f.Kind).ShouldContain(FindingKind.AnyValuesDearer);
        await using ISubjectCopy free = await subject.CopyAsync(Side.After, default);
        await free.ApplyAsync(Step("SET enable_bitmapscan = off"), default);
        Inspection own = await free.InspectAsync(new("SELECT sum(id) FROM reading WHERE kind = :kind AND id > 0", BindLine.Pairs("kind=1")), Limit, default);
        own.Plan!.Text.ShouldContain("reading_kind");
        own.Plan.Details[Planning.Kind].ShouldBe(Planning.Anew);
        own.PlanNote.ShouldBeNull();
    }

    [Fact]
    public async Task Workers_and_compiling_that_took_part_are_noted()
    {
        Postgres.Sql(Database, "CREATE TABLE reading AS SELECT i AS id, i % 10 AS kind FROM generate_series(1, 200000) i; ANALYZE reading");
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        const string sql = "SELECT sum(id) FROM reading WHERE kind + id > 7";
        (await side.InspectAsync(new(sql, []), Limit, default)).PlanNote.ShouldBeNull("too cheap for either");
        foreach (string setting in new[] { "parallel_setup_cost = 0", "parallel_tuple_cost = 0", "min_parallel_table_scan_size = 0", "max_parallel_workers_per_gather = 2", "jit = on", "jit_above_cost = 0" })
        {
            await side.ApplyAsync(Step($"SET {setting}"), default);
        }

        string note = (await side.InspectAsync(new(sql, []), Limit, default)).PlanNote.ShouldNotBeNull();
        note.ShouldContain("2 parallel workers took part; their CPU time is not in the line's.");
        if (Postgres.Sql(Database, "SET jit = on; SELECT pg_jit_available()").Trim() == "t")
        {
            note.ShouldContain("Its expressions were compiled (JIT), ");
        }
    }

    // PostgreSQL manual, 76.2.1 "Functional Dependencies" (Multivariate Statistics Examples): 1 row expected, 100 come; with statistics on both columns 100 are expected.
    [Fact]
    public async Task Columns_that_depend_on_each_other_are_found_until_statistics_tell_of_them()
    {
        Postgres.Sql(Database, "CREATE TABLE t (a int, b int); INSERT INTO t SELECT i % 100, i % 100 FROM generate_series(1, 10000) s(i); ANALYZE t");
        Finding? alone = await DependentAsync();
        alone.ShouldNotBeNull().Text.ShouldBe("The conditions on a and b were taken to be independent: 1.00 % times 1.00 % of t is 1.00 rows, 100 came. No statistics tell of these columns together.");
        Postgres.Sql(Database, "CREATE STATISTICS stts (dependencies) ON a, b FROM t; ANALYZE t");
        (await DependentAsync()).ShouldBeNull();

        async Task<Finding?> DependentAsync()
        {
            await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
            await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
            const string sql = "SELECT * FROM t WHERE a = 1 AND b = 1";
            Inspection seen = await side.InspectAsync(new(sql, []), Limit, default);
            return PlanFindings.Of(Dialects.Side(seen.Plan!, sql, Dialects.PostgreSql) with { Rows = seen.Rows, Catalog = side.ReadCatalog(Limit) }).SingleOrDefault(f => f.Kind == FindingKind.DependentColumns);
        }
    }

    [Fact]
    public async Task Who_waits_for_whom_is_seen_on_the_server()
    {
        using var holder = new Npgsql.NpgsqlConnection(Postgres.Server.Connection(Database));
        using var waiter = new Npgsql.NpgsqlConnection(Postgres.Server.Connection(Database));
        await holder.OpenAsync(TestContext.Current.CancellationToken);
        await waiter.OpenAsync(TestContext.Current.CancellationToken);
        await using Npgsql.NpgsqlTransaction transaction = await holder.BeginTransactionAsync(TestContext.Current.CancellationToken);
        await using (var command = new Npgsql.NpgsqlCommand("UPDATE parcel SET weight = 0 WHERE id = 7", holder, transaction))
        {
            await command.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        }

        await using var blocked = new Npgsql.NpgsqlCommand("UPDATE parcel SET weight = 1 WHERE id = 7", waiter);
        Task<int> waiting = blocked.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        using IServerActivity activity = SubjectEngines.Of(Dialects.PostgresEngine).Server!.Watch(Address);
        IReadOnlyList<WaitNode> roots;
        while ((roots = WaitTree.Of(activity.Look(DateTimeOffset.UtcNow))).Count == 0)
        {
            TestContext.Current.CancellationToken.ThrowIfCancellationRequested();
        }

        (roots[0].Session.Id, roots[0].Session.State, roots[0].Waiting[0].Session.Id, roots[0].Waiting[0].Session.WaitKind).ShouldBe((holder.ProcessID, "idle in transaction", waiter.ProcessID, "Lock"));
        roots[0].Waiting[0].Session.Sql.ShouldBe("UPDATE parcel SET weight = 1 WHERE id = 7");
        await transaction.RollbackAsync(TestContext.Current.CancellationToken);
        (await waiting).ShouldBe(1);
        WaitTree.Of(activity.Look(DateTimeOffset.UtcNow)).ShouldBeEmpty();
        Postgres.Sql(Database, "SELECT count(*) FROM pg_stat_activity WHERE application_name = 'swift-ledger'").Trim().ShouldBe("1");
    }

    // Sizes and statistics against counting queries of the same data.
    [Fact]
    public async Task The_catalogue_holds_what_the_tables_do()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        Catalog catalog = side.ReadCatalog(Limit)!;
        CatalogTable parcel = catalog.Table("parcel")!;
        (parcel.Rows, parcel.AnalyzedRows, parcel.StatisticsOffBy).ShouldBe((20_000, 20_000, 1));
        parcel.Pages.ShouldBe(long.Parse(Postgres.Sql(Database, "SELECT pg_relation_size('parcel') / 8192"), CultureInfo.InvariantCulture));
        parcel.Columns.Select(c => (c.Name, c.Type, c.NotNull, c.Key)).Take(2).ShouldBe([("id", "integer", true, 1), ("depot_id", "integer", true, 0)]);
        parcel.Indexes.Select(i => (i.Name, i.Unique, i.Origin, string.Join(',', i.Columns))).ShouldBe([("parcel_pkey", true, "key", "id"), ("parcel_state", false, "created", "state")]);
        parcel.Indexes[1].RowsPerKey.ShouldBe([10_000]);
    }

    /// <param name="figures">Of the picture that must be held against a counting query: fewer would say that it tells less than it knows.</param>
    [Theory]
    [InlineData("SELECT * FROM parcel WHERE state = 'lost' AND weight < 50", 2)]
    [InlineData("SELECT p.id FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE d.name = 'depot 7' AND p.weight < 20", 5)]
    [InlineData("SELECT p.id FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = 'lost'", 4)]
    [InlineData("SELECT a.id, b.id, d.name FROM parcel a JOIN parcel b ON b.sent_on = a.sent_on JOIN depot d ON d.id = a.depot_id WHERE a.state = 'lost' AND b.weight < 10", 4)]
    [InlineData("SELECT d.id, p.id FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id AND p.state = 'lost' AND d.id > 20", 3)]
    [InlineData("SELECT d.name, count(*) FROM depot d JOIN parcel p ON p.depot_id = d.id GROUP BY d.name", 3)]
    [InlineData("SELECT d.id FROM depot d, depot e WHERE d.id < 5 AND e.id > 45", 4)]
    [InlineData("SELECT id FROM depot WHERE EXISTS (SELECT 1 FROM parcel WHERE depot_id = depot.id AND state = 'lost')", 1)]
    [InlineData("SELECT id FROM parcel WHERE state = 'sent' LIMIT 20", 1)]
    public async Task What_a_picture_calls_counted_is_what_counting_queries_give(string sql, int figures)
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        Inspection seen = await side.InspectAsync(new(sql, []), Limit, default);
        PictureCheck.Holds(Dialects.Side(seen.Plan!, sql, Dialects.PostgreSql) with { Rows = seen.Rows, Catalog = side.ReadCatalog(Limit) }, q => long.Parse(Postgres.Sql(Database, q), CultureInfo.InvariantCulture)).ShouldBeGreaterThanOrEqualTo(figures);
    }

    [Fact]
    public async Task References_are_read_in_their_order_and_what_stands_in_another_schema_says_so()
    {
        Postgres.Sql(Database, $"""
            CREATE SCHEMA shop;
            CREATE TABLE shop.place (x int, y int, PRIMARY KEY (x, y));
            CREATE TABLE shop."parcel.old" (id int PRIMARY KEY, far_y int, far_x int, depot_id int REFERENCES depot, CHECK (id > 0));
            ALTER TABLE shop."parcel.old" ADD FOREIGN KEY (far_x, far_y) REFERENCES shop.place (x, y) NOT VALID;
            GRANT USAGE ON SCHEMA shop TO {Owner};
            """);
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        Catalog catalog = side.ReadCatalog(Limit)!;
        CatalogTable old = catalog.Table("shop.parcel.old")!;
        (old.Schema, SqlName.Of(old), catalog.Table("parcel")!.Schema).ShouldBe(("shop", "shop.\"parcel.old\"", null));
        old.References.Select(r => (string.Join(',', r.Columns), r.Target, string.Join(',', r.TargetColumns), r.Enforced)).ShouldBe([("depot_id", "depot", "id", true), ("far_x,far_y", "shop.place", "x,y", false)], ignoreOrder: true);
    }

    // The server itself refuses the first three: each place of a parameter is looked at alone, and IS NULL tells no type.
    [Theory]
    [InlineData("SELECT count(*) FROM parcel WHERE :s IS NULL OR state = :s", "lost", 20)]
    [InlineData("SELECT count(*) FROM parcel WHERE (:s IS NOT NULL AND depot_id = :s) OR depot_id = 99", "7", 400)]
    [InlineData("SELECT count(*) FROM parcel WHERE :s ISNULL OR sent_on = :s", "2026-01-02", 55)]
    [InlineData("SELECT count(*) FROM parcel WHERE state = :s AND CAST(:s AS text) IS NOT NULL", "lost", 20)]
    [InlineData("SELECT count(*) FROM parcel WHERE $1 IS NULL OR state = $1", "lost", 20)]
    public async Task A_parameter_that_is_asked_whether_it_is_null_has_the_type_of_its_other_uses(string sql, string value, int rows)
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        string key = sql.Contains("$1", StringComparison.Ordinal) ? "1" : "s";
        var run = new CaseRun(sql, BindLine.Pairs($"{key}='{value}'"));
        Inspection seen = await side.InspectAsync(run, Limit, default);
        seen.Failure.ShouldBeNull();
        using IPreparedCase prepared = side.Prepare(run, Limit);
        prepared.Execute(7).ShouldBeGreaterThan(0);
        Postgres.Sql(Database, sql.Replace(":s", $"'{value}'", StringComparison.Ordinal).Replace("$1", $"'{value}'", StringComparison.Ordinal)).Trim().ShouldBe(rows.ToString(System.Globalization.CultureInfo.InvariantCulture));
        seen.Rows.ShouldBe(1);

        // With NULL, which it was written for.
        (await side.InspectAsync(new(sql, BindLine.Pairs($"{key}=null")), Limit, default)).Failure.ShouldBeNull();
    }

    [Fact]
    public async Task A_parameter_without_any_type_is_told_by_its_name_with_what_helps()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        (await side.InspectAsync(new("SELECT 1 WHERE :nothing IS NULL", BindLine.Pairs("nothing=null")), Limit, default)).Failure!.Reason
            .ShouldContain("nothing there tells what 'nothing' is. Write a cast at its place, as in CAST(:nothing AS text)");
    }

    // PostgreSQL manual, 8.15.3 "Accessing Arrays", 9.16 "JSON Functions and Operators", 9.3 "Mathematical Functions and Operators".
    [Fact]
    public async Task Operators_that_look_like_parameters_are_the_servers_own()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        var run = new CaseRun("""
            SELECT j ? 'x' AND j ?| ARRAY['x'] AND j ?& ARRAY['x'], a[2:3], a[i:j2], a[:2], @x, @ -5, :n::int
            FROM (SELECT '{"x": 1}'::jsonb AS j, ARRAY[1, 2, 3] AS a, 1 AS i, 2 AS j2, -7 AS x) AS s
            """, BindLine.Pairs("n=3"));
        StatementShape.Of(run.Sql, Dialects.PostgreSql).Parameters.ShouldBe(["n"]);
        (await side.InspectAsync(run, Limit, default)).Failure.ShouldBeNull();
        using IPreparedCase prepared = side.Prepare(run, Limit);
        prepared.Execute(1).ShouldBeGreaterThan(0);
    }

    [Fact]
    public async Task A_large_result_is_read_without_keeping_it()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        long before = GC.GetTotalMemory(forceFullCollection: true);
        Inspection seen = await side.InspectAsync(new("SELECT i, md5(i::text) FROM generate_series(1, 400000) i", []), Limit, default);
        seen.Rows.ShouldBe(400_000);
        (GC.GetTotalMemory(forceFullCollection: true) - before).ShouldBeLessThan(8 << 20);
    }
}
