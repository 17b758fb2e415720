using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Bench.Proposals;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>What a search finds on real engines: each kind of proposal where its cause is, by what the engine's planner does and its counters say. Nothing is timed.</summary>
public sealed class ProposalSearchTests : IDisposable
{
    private const string Tables = """
        CREATE TABLE depot (id INTEGER PRIMARY KEY, town TEXT NOT NULL);
        CREATE TABLE courier (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
        CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot_id INTEGER NOT NULL REFERENCES depot(id), courier_id INTEGER NOT NULL REFERENCES courier(id), name TEXT NOT NULL, sent_on TEXT NOT NULL, kind INTEGER, sort INTEGER, note TEXT NOT NULL);
        CREATE TABLE event (id INTEGER PRIMARY KEY, parcel_id INTEGER NOT NULL REFERENCES parcel(id), place INTEGER NOT NULL);
        """;

    private const string Rows = """
        INSERT INTO depot SELECT i, 'town ' || i FROM numbers WHERE i <= 400;
        INSERT INTO courier SELECT i, 'courier ' || i FROM numbers WHERE i <= 100;
        INSERT INTO parcel SELECT i, 1 + i % 399, 1 + i % 100, 'Box ' || (i * 7919 % 40009), '2026-' || (10 + i % 3) || '-' || (10 + i * 31 % 19) || ' 0' || (i % 10) || ':00', i * 7 % 100, i * 7 % 100 + 3, 'a note of some length, so that rows are wide: ' || i FROM numbers WHERE i <= 40000;
        INSERT INTO event SELECT i, 1 + i * 104729 % 40000, i % 9 FROM numbers WHERE i <= 40000;
        CREATE INDEX parcel_courier ON parcel (courier_id, id);
        CREATE INDEX parcel_sent ON parcel (sent_on, id);
        CREATE INDEX event_parcel ON event (parcel_id);
        """;

    private const string Workload = """
        -- name: remove depot
        -- calls: 10/day
        DELETE FROM depot WHERE id = 400;
        -- name: by beginning
        -- calls: 100/day
        SELECT count(*) FROM parcel WHERE name LIKE 'Box 777%';
        -- name: in december
        -- calls: 100/day
        SELECT count(*) FROM parcel WHERE sent_on LIKE '2026-12-1%';
        -- name: latest of courier
        -- calls: 100/day
        SELECT x.id, x.note FROM (SELECT id, note, row_number() OVER (PARTITION BY courier_id ORDER BY id DESC) AS nth FROM parcel) AS x WHERE x.nth = 1;
        -- name: untied
        -- calls: 100/day
        SELECT count(*) FROM parcel p, courier c WHERE p.id <= 500;
        -- name: fenced
        -- calls: 100/day
        WITH every AS MATERIALIZED (SELECT id, note FROM parcel) SELECT note FROM every WHERE id = 77;
        -- name: of one courier
        -- calls: 100/day
        SELECT c.name, g.n FROM courier c JOIN (SELECT courier_id, count(*) AS n, max(note) AS last FROM parcel GROUP BY courier_id) AS g ON g.courier_id = c.id WHERE c.name = 'courier 7';
        -- name: deep page
        -- calls: 100/day
        SELECT id, name, note FROM parcel ORDER BY sent_on, id LIMIT 10 OFFSET 30000;
        -- name: dependent
        -- calls: 100/day
        SELECT count(*), max(e.place) FROM parcel p JOIN event e ON e.parcel_id = p.id WHERE p.kind = 7 AND p.sort = 10;
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly LedgerHome _home;

    public ProposalSearchTests()
    {
        SQLitePCL.Batteries_V2.Init();
        _home = new LedgerHome(Path.Combine(_folder, "home")).Created();
    }

    public void Dispose()
    {
        Directory.GetFileSystemEntries(_home.Copies).ShouldBeEmpty("the copies' folder is empty when nothing runs");
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task In_a_file_each_cause_has_its_proposal()
    {
        string subject = SubjectFile();

        // The engine keeps to the order of a CROSS JOIN.
        const string crossed = "-- name: crossed\n-- calls: 100/day\nSELECT p.note, c.name FROM parcel p CROSS JOIN courier c WHERE c.id = p.courier_id AND c.name = 'courier 7';";
        ProposalsFound found = await FindAsync(subject, $"{Workload}\n{crossed}", new());
        string all = All(found);
        IndexFor(found, "remove depot", "index on parcel (depot_id").Reason.ShouldContain("remove depot: for each deleted row the engine looks for rows of parcel that refer to it");
        IndexFor(found, "by beginning", "index on parcel ((name COLLATE NOCASE))").Sql.ShouldBe("CREATE INDEX parcel_by_name_COLLATE_NOCASE ON parcel ((name COLLATE NOCASE));".Replace("parcel_by_name_COLLATE_NOCASE", "\"parcel_by_name_COLLATE_NOCASE\"", StringComparison.Ordinal));
        Proposal range = Rewrite(found, "in december", "a range for what it begins with");
        range.Sql.ShouldContain("sent_on >= '2026-12-1' AND sent_on < '2026-12-2'");
        range.Proof!.Conditions.ShouldContain(c => c.By == HeldBy.Rows && c.Sentence.Contains("no binary values", StringComparison.Ordinal));
        Rewrite(found, "latest of courier", "the first of each group without an order of all").Sql.ShouldContain("(x.courier_id, x.id) IN (SELECT courier_id, max(id) FROM parcel GROUP BY courier_id)");
        Rewrite(found, "fenced", "a query in WITH that is not kept").Sql.ShouldContain("AS NOT MATERIALIZED");
        Rewrite(found, "of one courier", "groups for the asked keys alone").Sql.ShouldContain("courier_id IN (SELECT c.id FROM courier c WHERE c.name = 'courier 7')");
        Proposal order = Rewrite(found, "crossed", "another order of joins");
        order.Reason.ShouldStartWith("The planner begins with p; from c on, ");
        order.Sql.ShouldContain("courier c CROSS JOIN parcel p");
        Another(found);
        found.Proposals.ShouldNotContain(p => p.Title.Contains("together", StringComparison.Ordinal), all);
    }

    [Fact]
    public async Task On_a_server_each_cause_has_its_proposal()
    {
        using PostgresServer server = SubjectServer(out string address);
        ProposalsFound found = await FindAsync(address, Workload, new(Engine: Dialects.PostgresEngine));
        string all = All(found);
        IndexFor(found, "remove depot", "index on parcel (depot_id").Reason.ShouldContain("remove depot: for each deleted row the engine looks for rows of parcel that refer to it");
        IndexFor(found, "by beginning", "index on parcel ((name) text_pattern_ops)").Sql.ShouldContain("ON parcel ((name) text_pattern_ops);");
        Rewrite(found, "latest of courier", "the first of each group without an order of all").Sql.ShouldContain("(x.courier_id, x.id) IN (SELECT courier_id, max(id) FROM parcel GROUP BY courier_id)");
        Rewrite(found, "fenced", "a query in WITH that is not kept");
        Rewrite(found, "of one courier", "groups for the asked keys alone");
        Rewrite(found, "deep page", "a page found by its keys").Sql.ShouldContain("parcel.id IN (SELECT parcel.id FROM parcel ORDER BY sent_on, id LIMIT 10 OFFSET 30000) ORDER BY sent_on, id");
        Proposal together = found.Proposals.Where(p => p.Title == "statistics of kind and sort of parcel together").ShouldHaveSingleItem(all);
        together.Sql.ShouldBe("CREATE STATISTICS parcel_kind_sort_together (ndistinct, dependencies, mcv) ON kind, sort FROM parcel;\nANALYZE parcel;");
        together.Undo.ShouldBe("DROP STATISTICS parcel_kind_sort_together;");
        together.Statements.ShouldContain("dependent");
        Another(found);

        // What takes a proposal back takes all of it back.
        foreach (Proposal proposal in found.Proposals.Where(p => p.Kind is ProposalKind.Index or ProposalKind.Statistics && p.Undo.Length > 0))
        {
            string before = server.Sql("depots", Objects);
            server.Sql("depots", proposal.Sql);
            server.Sql("depots", Objects).ShouldNotBe(before, proposal.Sql);
            server.Sql("depots", proposal.Undo);
            server.Sql("depots", Objects).ShouldBe(before, proposal.Undo);
        }
    }

    /// <summary>Memory for sorts is proposed where they go to files, in the step that is enough; and prices of pages where other plans do less work.</summary>
    [Fact]
    public async Task On_a_server_settings_are_swept_in_steps_and_the_smallest_that_is_enough_is_proposed()
    {
        using PostgresServer server = SubjectServer(out string address);
        const string sorts = "-- name: sorted\n-- calls: 100/day\nSELECT id, note, name FROM parcel ORDER BY note, name;", small = "-- name: small\n-- calls: 100/day\nSELECT id FROM depot ORDER BY town;";
        ProposalsFound found = await FindAsync(address, sorts, new(Engine: Dialects.PostgresEngine), ProposalKind.Setting);
        Proposal memory = found.Proposals.Where(p => p.Title.StartsWith("work_mem", StringComparison.Ordinal)).ShouldHaveSingleItem(All(found));
        (memory.Title, memory.Sql, memory.Undo).ShouldBe(("work_mem of 16MB", "SET work_mem = '16MB';", "RESET work_mem;"));
        memory.Reason.ShouldContain("0 with 16MB, 0 with 64MB");
        memory.Statements.ShouldBe(["sorted"]);
        found = await FindAsync(address, small, new(Engine: Dialects.PostgresEngine), ProposalKind.Setting);
        found.Proposals.ShouldBeEmpty(All(found));
        found.Notes.ShouldContain("work_mem: no tempBlocks to spare.");
        found.Notes.ShouldContain(n => n.StartsWith("random_page_cost: blocksTouched a day: ", StringComparison.Ordinal));
    }

    [Fact]
    public async Task In_a_file_a_setting_is_proposed_that_holds_the_database_and_a_trial_takes_it()
    {
        string subject = SubjectFile();

        const string workload = "-- name: notes\n-- calls: 100/day\nSELECT count(*) FROM parcel WHERE length(note) > 60;";
        ProposalsFound found = await FindAsync(subject, workload, new(), ProposalKind.Setting);
        found.Proposals.Select(p => (p.Kind, p.Title, p.Sql, p.Undo)).ShouldBe([(ProposalKind.Setting, "cache_size of 16 MiB", "PRAGMA cache_size = -16384;", ""), (ProposalKind.Setting, "mmap_size of 64 MiB", "PRAGMA mmap_size = 67108864;", "")]);
        TrialAccount account = await new TrialRunner(_home).RunAsync(subject, workload, found.Proposals[0].Sql, TrialBrief.Read(workload, found.Proposals[0].Sql, new(MaxSeconds: 5)).Value, (_, _) => { });
        account.Refusal.ShouldBeNull();
        account.Find(1)!.Evidence.SameRows.ShouldBe(true);
    }

    /// <summary>The subject in a file; its path.</summary>
    private string SubjectFile()
    {
        string file = Path.Combine(_folder, "depot.db");
        using (var connection = new SqliteConnection($"Data Source={file};Pooling=False"))
        {
            connection.Open();
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = $"{Tables} CREATE TEMP TABLE numbers AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 40000) SELECT i FROM n; {Rows} ANALYZE;";
            command.ExecuteNonQuery();
        }

        return file;
    }

    /// <summary>The same on a server of its own.</summary>
    private static PostgresServer SubjectServer(out string address)
    {
        var server = new PostgresServer("max_parallel_workers_per_gather = 0\njit = off\nfsync = off");
        server.Sql("postgres", "CREATE DATABASE depots");
        server.Sql("depots", $"{Tables} CREATE TEMP TABLE numbers AS SELECT i::bigint AS i FROM generate_series(1, 40000) i; {Rows}");
        server.Sql("depots", "VACUUM ANALYZE");
        address = $"postgresql://postgres@127.0.0.1:{server.Port.ToString(System.Globalization.CultureInfo.InvariantCulture)}/depots";
        return server;
    }

    private const string Objects = "SELECT indexdef FROM pg_indexes WHERE schemaname = 'public' UNION ALL SELECT stxname FROM pg_statistic_ext ORDER BY 1";

    /// <summary>A tie that is missing is another query: shown, with a database that tells, and never proposed to be applied.</summary>
    private static void Another(ProposalsFound found)
    {
        Proposal another = Rewrite(found, "untied", "with the tie of a foreign key");
        another.Sql.ShouldContain("p.id <= 500 AND p.courier_id = c.id");
        (another.Fate, another.Message).ShouldBe((ProposalFate.NotTheSame, "It is another query: perhaps the one that was meant."));
        another.Proof!.Counterexample.ShouldNotBeNull().ShouldContain("INSERT INTO");
    }

    private static Proposal Rewrite(ProposalsFound found, string statement, string words) =>
        found.Proposals.Where(p => p.Kind == ProposalKind.Rewrite && p.Title == $"{statement} in other words: {words}").ShouldHaveSingleItem(All(found));

    /// <summary>The index for a statement; what may be built on top of it, such as more columns, aside.</summary>
    private static Proposal IndexFor(ProposalsFound found, string statement, string title)
    {
        Proposal index = found.Proposals.Where(p => p.Kind == ProposalKind.Index && p.Title.StartsWith(title, StringComparison.Ordinal) && p.Reason.Contains(statement, StringComparison.Ordinal)).MinBy(p => p.Title.Length).ShouldNotBeNull(All(found));
        index.Statements.ShouldContain(statement);
        return index;
    }

    private static string All(ProposalsFound found) => string.Join('\n', [.. found.Proposals.Select(p => $"{p.Kind} {p.Title} [{p.Fate}] {p.Reason}"), .. found.Notes]);

    private async Task<ProposalsFound> FindAsync(string subject, string workload, TrialOptions options, params ProposalKind[] kinds)
    {
        ProposalsFound found = await new ProposalSearch(_home, subject, workload, options, kinds.Length > 0 ? kinds : [ProposalKind.Index, ProposalKind.Rewrite, ProposalKind.Statistics], _ => { }).FindAsync(default);
        found.Refusal.ShouldBeNull();
        return found;
    }
}
