using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Proposals;

public class IndexCandidatesTests
{
    private static readonly Catalog Depot = new(
        4096,
        [
            new("parcel", [new("id", "INTEGER", false, 1), new("depot_id", "INTEGER", true, 0), new("state", "TEXT", true, 0), new("sent_at", "TEXT", false, 0), new("weight", "REAL", false, 0), new("Note", "TEXT", false, 0)], 100_000, 800, null,
                [new("parcel_state", ["state"], false, false, "created", 20, []), new("parcel_state_sent", ["state", "sent_at"], false, false, "created", 30, [])]),
            new("depot", [new("id", "INTEGER", false, 1), new("name", "TEXT", true, 0)], 50, 1, null, []),
        ]);

    [Theory]
    [InlineData("SELECT * FROM parcel WHERE depot_id = :d", "depot_id")]
    [InlineData("SELECT * FROM parcel WHERE :d = depot_id AND sent_at > :t", "depot_id | depot_id,sent_at")]
    [InlineData("SELECT * FROM parcel WHERE depot_id IN (1, 2) ORDER BY sent_at DESC, weight DESC", "depot_id | depot_id,sent_at,weight")]
    [InlineData("SELECT * FROM parcel WHERE depot_id = 1 ORDER BY sent_at DESC, weight", "depot_id")]
    [InlineData("SELECT weight FROM parcel WHERE depot_id = :d", "depot_id | depot_id,weight")]
    [InlineData("SELECT * FROM parcel WHERE state = :s", "")]
    [InlineData("SELECT * FROM parcel WHERE state = :s AND sent_at BETWEEN 1 AND 2", "")]
    [InlineData("SELECT * FROM parcel WHERE id = :i AND depot_id = 3", "")]
    [InlineData("SELECT * FROM parcel WHERE date(sent_at) = :d", "(date(sent_at))")]
    [InlineData("SELECT * FROM parcel WHERE depot_id = :d COLLATE nocase", "")]
    [InlineData("SELECT * FROM parcel WHERE depot_id = weight", "")]
    [InlineData("SELECT * FROM parcel WHERE depot_id = :d OR weight = 2", "")]
    [InlineData("SELECT * FROM parcel WHERE depot_id = (SELECT max(id) FROM depot)", "")]
    [InlineData("SELECT d.name, p.* FROM depot d JOIN parcel p ON p.depot_id = d.id WHERE d.name = :n", "depot_id")]
    [InlineData("SELECT d.name, p.* FROM depot d JOIN parcel p ON p.depot_id = d.id WHERE p.weight = 2", "weight | depot_id,weight | depot_id | depot_id where weight = 2")]
    [InlineData("SELECT * FROM parcel WHERE depot_id = :d AND Note = 'x' ORDER BY sent_at", "Note,depot_id | Note,depot_id,sent_at | depot_id where \"Note\" = 'x' | depot_id,sent_at where \"Note\" = 'x'")]
    [InlineData("SELECT * FROM parcel WHERE :d = Note AND depot_id = 3 AND sent_at > 4", "Note,depot_id | Note,depot_id,sent_at | Note where depot_id = 3 | Note,sent_at where depot_id = 3")]
    [InlineData("SELECT * FROM parcel p WHERE lower(p.Note) = :d AND p.depot_id = :e", "depot_id | (lower(Note)) | depot_id,(lower(Note))")]
    [InlineData("SELECT * FROM parcel WHERE weight + depot_id > :d", "(weight + depot_id)")]
    [InlineData("SELECT * FROM parcel WHERE random() + weight > 3", "")]
    [InlineData("SELECT * FROM parcel WHERE weight + :d > 3", "")]
    [InlineData("SELECT * FROM parcel WHERE lower(Note) = unheard_of(3)", "(lower(Note))")]
    [InlineData("SELECT depot_id FROM parcel GROUP BY depot_id HAVING sum(weight) > 3", "depot_id | depot_id,weight")]
    [InlineData("SELECT depot_id, count(*) FROM parcel GROUP BY depot_id", "depot_id")]
    [InlineData("UPDATE parcel SET weight = 1 WHERE depot_id = 3", "depot_id")]
    [InlineData("DELETE FROM parcel WHERE weight < 3", "weight")]
    [InlineData("SELECT * FROM depot WHERE name = 'x'", "")]
    [InlineData("SELECT * FROM elsewhere WHERE depot_id = 3", "")]
    [InlineData("SELECT * FROM parcel WHERE depot_id = 3 QUALIFY 1", "")]
    [InlineData("SELECT * FROM parcel WHERE Note LIKE 'ab%'", "(\"Note\" COLLATE NOCASE)")]
    [InlineData("SELECT * FROM parcel p WHERE p.Note LIKE :n AND p.depot_id = :d", "depot_id | (\"Note\" COLLATE NOCASE) | depot_id,(\"Note\" COLLATE NOCASE)")]
    [InlineData("SELECT * FROM parcel WHERE Note LIKE '%ab'", "")]
    [InlineData("SELECT * FROM parcel WHERE Note LIKE '_b'", "")]
    [InlineData("SELECT * FROM parcel WHERE Note NOT LIKE 'ab%'", "")]
    [InlineData("SELECT * FROM parcel WHERE 'ab' LIKE Note", "")]
    [InlineData("SELECT * FROM parcel WHERE weight LIKE '1%'", "")]
    [InlineData("SELECT * FROM parcel WHERE Note GLOB 'ab*'", "")]
    public void A_candidate_begins_with_what_is_held_equal_then_the_order_or_a_range_then_what_covers(string sql, string expected) =>
        string.Join(" | ", Of(sql).Select(c => string.Join(',', c.Columns) + (c.Where is null ? "" : $" where {c.Where}")).Order(StringComparer.Ordinal)).ShouldBe(string.Join(" | ", expected.Split(" | ").Order(StringComparer.Ordinal)));

    [Fact]
    public void The_column_that_more_calls_hold_equal_stands_first()
    {
        IReadOnlyList<IndexCandidate> found = Of("-- name: a\n-- calls: 10/day\nSELECT * FROM parcel WHERE depot_id = 1 AND weight = 2;\n-- name: b\n-- calls: 500/day\nSELECT * FROM parcel WHERE weight = 2;");
        found.ShouldContain(c => c.Columns.SequenceEqual(new[] { "weight", "depot_id" }) && c.Statements.SequenceEqual(new[] { "a" }));
        found[0].Columns.ShouldBe(["weight"]);
        found.ShouldNotContain(c => c.Columns[0] == "depot_id");
    }

    /// <summary>PostgreSQL manual, 11.10: <c>text_pattern_ops</c>, <c>bpchar_pattern_ops</c>.</summary>
    [Theory]
    [InlineData("text", "(name) text_pattern_ops")]
    [InlineData("character varying(40)", "(name) text_pattern_ops")]
    [InlineData("character(3)", "(name) bpchar_pattern_ops")]
    [InlineData("integer", null)]
    public void Where_texts_are_in_the_order_of_a_language_an_index_for_beginnings_says_so(string type, string? term)
    {
        var catalog = new Catalog(8192, [new("depot", [new("name", type, true, 0)], 5_000, 1, null, [])]);
        IReadOnlyList<IndexCandidate> found = IndexCandidates.Of(TableAccess.Of(WorkloadFile.Parse("SELECT 1 FROM depot WHERE name LIKE 'ab%';", Dialects.PostgreSql).Value, catalog, Dialects.PostgreSql), catalog);
        found.Select(c => c.Columns[0]).ShouldBe(term is null ? [] : [term]);
        found.ShouldAllBe(c => c.Sql == $"CREATE INDEX {c.Name} ON depot ({term});");
    }

    [Theory]
    [InlineData("-- name: a\nDELETE FROM depot WHERE id = 1", "depot_id", "a")]
    [InlineData("-- name: a\nDELETE FROM \"DEPOT\"", "depot_id", "a")]
    [InlineData("-- name: a\nWITH old AS (SELECT 1) DELETE FROM depot WHERE id IN (SELECT * FROM old)", "depot_id", "a")]
    [InlineData("DELETE FROM parcel WHERE id = 1", "", "")]
    [InlineData("UPDATE depot SET name = 'x' WHERE id = 1", "", "")]
    [InlineData("SELECT * FROM depot", "", "")]
    [InlineData("-- name: a\nDELETE FROM depot WHERE id = 1;\n-- name: b\nSELECT * FROM parcel WHERE depot_id = 7;", "depot_id", "a")]
    [InlineData("-- unit: a\nSELECT id FROM depot;\n-- each row\nDELETE FROM depot WHERE id = :id;", "depot_id", "a")]
    public void Rows_that_go_are_looked_for_where_they_are_referred_to(string sql, string columns, string deleting)
    {
        Catalog referring = Depot with { Tables = [Depot.Tables[0] with { References = [new(["depot_id"], "depot", ["id"], true)] }, Depot.Tables[1]] };
        IReadOnlyList<IndexCandidate> found = IndexCandidates.Of(TableAccess.Of(Read(sql), referring, Dialects.Sqlite), referring);
        string.Join(" | ", found.Select(c => string.Join(',', c.Columns))).ShouldBe(columns);
        string.Join(" | ", found.SelectMany(c => c.Deleting)).ShouldBe(deleting);

        // One that begins with the referring column serves already.
        Catalog served = referring with { Tables = [referring.Tables[0] with { Indexes = [new("there", ["depot_id", "state"], false, false, "created", 1, [])] }, referring.Tables[1]] };
        IndexCandidates.Of(TableAccess.Of(Read(sql), served, Dialects.Sqlite), served).ShouldBeEmpty();
    }

    [Fact]
    public void What_makes_it_can_be_run_whatever_it_is_called()
    {
        IndexCandidate candidate = Of("SELECT * FROM parcel WHERE \"Note\" = 'x'").ShouldHaveSingleItem();
        candidate.Sql.ShouldBe("CREATE INDEX \"parcel_by_Note\" ON parcel (\"Note\");");
        candidate.Undo.ShouldBe("DROP INDEX \"parcel_by_Note\";");
        new IndexCandidate("order", "a\"b", ["x y"], []).Sql.ShouldBe("CREATE INDEX \"order\" ON \"a\"\"b\" (\"x y\");");
    }

    [Fact]
    public void Two_candidates_never_share_a_name_nor_take_one_that_is_there()
    {
        Catalog taken = Depot with { Tables = [Depot.Tables[0] with { Indexes = [new("parcel_by_depot_id", ["weight"], false, false, "created", 1, [])] }] };
        IndexCandidates.Of(TableAccess.Of(Read("SELECT * FROM parcel WHERE depot_id = 1"), taken, Dialects.Sqlite), taken)[0].Name.ShouldBe("parcel_by_depot_id_2");
    }

    [Fact]
    public void Indexes_that_another_stands_for_and_those_that_nothing_uses_are_superfluous()
    {
        var table = new CatalogTable("t", [new("a", "", false, 0), new("b", "", false, 0), new("c", "", false, 0)], 1_000, 10, null,
        [
            new("a_1", ["a"], false, false, "created", 1, []), new("a_2", ["A"], false, false, "created", 1, []), new("a_b", ["a", "b"], false, false, "created", 1, []),
            new("b_only", ["b"], false, false, "created", 1, []), new("c_key", ["c"], true, false, "unique", 1, []), new("c_again", ["c"], false, false, "created", 1, []),
            new("b_part", ["b"], false, true, "created", 1, []), new("expr", [CatalogIndex.Expression], false, false, "created", 1, []), new("b_c", ["b", "c"], false, false, "created", 1, []),
        ])
        { ForeignKeys = [["b"]] };
        static IEnumerable<string> Of(CatalogTable table, string[] used, params (string Name, string Sql)[] made) => SuperfluousIndex
            .Of(new(4096, [table]), used.ToHashSet(), made.ToDictionary(m => m.Name, m => m.Sql), Dialects.Sqlite).Select(s => $"{s.Index} {s.Because} {s.Instead}".Trim());

        // What stands in for one that is used is not unused: a_b.
        Of(table, ["a_2"]).ShouldBe(["a_1 Prefix a_b", "a_2 Prefix a_b", "b_only Prefix b_c", "c_again Doubled c_key"]);
        Of(table with { Indexes = [.. table.Indexes.Take(2)] }, ["a_2"]).ShouldBe(["a_1 Doubled a_2"]);
        Of(table with { Indexes = [.. table.Indexes.Take(2)] }, []).ShouldBe(["a_2 Doubled a_1", "a_1 Unused"]);

        // An order or a collation of its own makes it another index.
        CatalogTable two = table with { Indexes = [new("x", ["a"], false, false, "created", 1, []), new("y", ["a", "b"], false, false, "created", 1, [])] };
        Of(two, ["x", "y"], ("x", "CREATE INDEX x ON t(a COLLATE nocase)"), ("y", "CREATE INDEX y ON t (\"a\" ASC, b);")).ShouldBeEmpty();
        Of(two, ["x", "y"], ("x", "CREATE INDEX x ON t(A)"), ("y", "CREATE INDEX y ON t (\"a\" ASC, b DESC);")).ShouldBe(["x Prefix y"]);
        Of(two, ["x", "y"], ("x", "CREATE INDEX x ON t USING btree (a) INCLUDE (c)"), ("y", "CREATE INDEX y ON t (a, b)")).ShouldBeEmpty();
    }

    [Theory]
    [InlineData(-5, -1, ProposalKind.Index, ProposalFate.InSet)]
    [InlineData(-5, 1, ProposalKind.Index, ProposalFate.NoSaving)]
    [InlineData(1, 5, ProposalKind.Index, ProposalFate.NoSaving)]
    [InlineData(-5, 1, ProposalKind.Drop, ProposalFate.InSet)]
    [InlineData(0.4, 5, ProposalKind.Drop, ProposalFate.InSet)]
    [InlineData(0.6, 5, ProposalKind.Drop, ProposalFate.NoSaving)]
    public void An_index_more_must_save_and_one_less_must_not_cost(double low, double high, ProposalKind kind, ProposalFate fate) =>
        ProposalRule.Judge(kind, Measured(low, high), new()).Fate.ShouldBe(fate);

    [Fact]
    public void What_was_not_told_or_is_not_allowed_is_not_recommended()
    {
        MeasuredProposal good = Measured(-5, -1);
        ProposalRule.Judge(ProposalKind.Index, good with { Untold = ["a"] }, new()).Fate.ShouldBe(ProposalFate.NotTold);
        ProposalRule.Judge(ProposalKind.Drop, good with { Regressed = ["a"] }, new()).Fate.ShouldBe(ProposalFate.NoSaving);
        ProposalRule.Judge(ProposalKind.Index, good with { Bill = new(0, 0) }, new()).ShouldBe((ProposalFate.NotTold, "The workload does not say how often any of its statements runs: there is no bill."));
        ProposalRule.Judge(ProposalKind.Index, good with { Improved = [] }, new()).Fate.ShouldBe(ProposalFate.NoSaving);
        ProposalRule.Judge(ProposalKind.Index, good with { Writes = new(1, 1.2) }, new(WritesAtMost: 0.1)).Fate.ShouldBe(ProposalFate.BeyondLimit);
        ProposalRule.Judge(ProposalKind.Index, good with { Writes = new(1, 1.05) }, new(WritesAtMost: 0.1)).Fate.ShouldBe(ProposalFate.InSet);
    }

    [Fact]
    public void A_saving_is_never_rounded_up_nor_a_rise_cut_off()
    {
        static string Told(double before, double after) => ProposalsDocument.Of([], Measured(-5, -1) with { Bill = new(before, after) }, []).ToTable();
        Told(10_000, 0.1).ShouldContain("99.9");
        Told(10_000, 0.1).ShouldNotContain("100 %");
        Told(20, 60).ShouldContain("3.00x dearer");
    }

    [Fact]
    public void A_name_with_a_lines_end_puts_no_statement_into_the_migration()
    {
        var document = ProposalsDocument.Of([new(ProposalKind.Drop, "drop index a\nDROP TABLE t; --\u2028DROP TABLE u", "", "DROP INDEX x;", "CREATE INDEX x ON t (a);", [], Measured(-5, -1), ProposalFate.InSet, "")], null, []);
        SqlScript.Split(document.Migration()).Statements.Count.ShouldBe(1);
        SqlScript.Split(document.Reverse()).Statements.Count.ShouldBe(1);
    }

    [Fact]
    public void What_stands_in_another_schema_is_named_with_it_and_a_dot_in_a_name_is_part_of_it()
    {
        IndexCandidate candidate = new("parcel_by_a", "Shop.parcel.old", ["a"], []) { Schema = "Shop" };
        (candidate.Sql, candidate.Undo).ShouldBe(("CREATE INDEX parcel_by_a ON \"Shop\".\"parcel.old\" (a);", "DROP INDEX \"Shop\".parcel_by_a;"));
        new IndexCandidate("i", "parcel.old", ["a"], []).Sql.ShouldBe("CREATE INDEX i ON \"parcel.old\" (a);");
        var shop = new Catalog(4096, [Depot.Tables[0] with { Name = "shop.parcel", Schema = "shop" }]);
        var definitions = new Dictionary<string, string> { ["shop.parcel_state"] = "CREATE INDEX parcel_state ON shop.parcel USING btree (state)" };
        SuperfluousIndex prefix = SuperfluousIndex.Of(shop, new HashSet<string> { "parcel_state_sent" }, definitions, Dialects.PostgreSql).ShouldHaveSingleItem();
        (prefix.Sql, prefix.UndoBy(definitions)).ShouldBe(("DROP INDEX shop.parcel_state;", "CREATE INDEX parcel_state ON shop.parcel USING btree (state);"));
        foreach ((string sql, bool own) in new[] { ("SELECT weight FROM shop.parcel WHERE depot_id = 3", true), ("SELECT weight FROM \"shop\".parcel p WHERE p.depot_id = 3", true), ("SELECT weight FROM parcel WHERE depot_id = 3", false), ("SELECT weight FROM other.parcel WHERE depot_id = 3", false) })
        {
            TableAccess.Of(WorkloadFile.Parse(sql + ";", Dialects.PostgreSql).Value, shop, Dialects.PostgreSql).Any(a => a.Table == "shop.parcel").ShouldBe(own, sql);
        }

        // Where a table needs no schema, a statement may name one all the same.
        TableAccess.Of(WorkloadFile.Parse("SELECT weight FROM public.parcel WHERE depot_id = 3;", Dialects.PostgreSql).Value, Depot, Dialects.PostgreSql).ShouldHaveSingleItem().Table.ShouldBe("parcel");
        IndexCandidates.Of([new("s", 1, "shop.parcel", ["depot_id"], [], [], [], null)], shop).ShouldHaveSingleItem().Sql.ShouldBe("CREATE INDEX parcel_by_depot_id ON shop.parcel (depot_id);");
    }

    [Theory]
    [InlineData(0, 0, 0, 10, true)]
    [InlineData(1, 3, 80, 10, true)]
    [InlineData(1, 3, 91, 10, false)]
    [InlineData(1, 3, 91, null, true)]
    [InlineData(2, 2, 0, 10, false)]
    [InlineData(0, 4, 0, 10, false)]
    public void What_does_not_save_takes_nobodys_place_and_twice_as_many_as_may_be_added_are_measured(int kept, int measured, int bytes, int? more, bool allowed)
    {
        new ProposalLimits(2, 100).Allow(kept, measured, bytes, more).ShouldBe(allowed);
        new ProposalLimits(2).Allow(kept, measured, bytes, more).ShouldBe(allowed || bytes == 91);
        new ProposalLimits(0).Allow(kept, measured, bytes, more).ShouldBeFalse();
    }

    private static MeasuredProposal Measured(double low, double high) => new(new(10, 8), new(low, high), null, [], ["s"], 1, [], null, null, 1);

    private static IReadOnlyList<IndexCandidate> Of(string workload) => IndexCandidates.Of(TableAccess.Of(Read(workload), Depot, Dialects.Sqlite), Depot);

    private static Workload Read(string text) => WorkloadFile.Parse(text.TrimEnd(';') + ";", Dialects.Sqlite).Value;
}
