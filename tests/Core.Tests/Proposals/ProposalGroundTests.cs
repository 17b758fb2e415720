using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Core.Tests.Proposals;

/// <summary>When a proposal that was turned down is worth another look, and in which order proposals are told.</summary>
public class ProposalGroundTests
{
    private const string Workload = "-- name: of depot\nSELECT max(note)\n  FROM parcel WHERE depot = :d;\n-- name: other\nSELECT 1;";

    private static ProposalGround Ground(string workload = Workload, long? rows = 100, params string[] served) => ProposalGround.Of(
        WorkloadFile.Parse(workload, KnownEngines.Default.Dialect).Value, served is [] ? ["of depot"] : served,
        new(4096, [new("parcel", [], rows, null, 70, []), new("depot", [], 3, null, null, [])]), ["parcel", "gone", "parcel"]);

    [Fact]
    public void It_is_the_same_while_statements_and_tables_are_whatever_stands_between_words()
    {
        ProposalGround then = Ground();
        then.Statements.ShouldBe(new Dictionary<string, string> { ["of depot"] = "SELECT max(note) FROM parcel WHERE depot = :d" });
        then.Rows.ShouldBe(new Dictionary<string, long> { ["parcel"] = 100 });
        then.IsAnother(Ground(Workload.Replace("\n  ", "   ", StringComparison.Ordinal).Replace("SELECT 1", "SELECT 2", StringComparison.Ordinal))).ShouldBeFalse();
    }

    [Theory]
    [InlineData(100, 149, false)]
    [InlineData(100, 150, true)]
    [InlineData(100, 67, false)]
    [InlineData(100, 66, true)]
    [InlineData(0, 0, false)]
    [InlineData(0, 1, false)]
    [InlineData(0, 2, true)]
    public void A_table_is_another_one_with_half_as_many_rows_more_or_from_which_so_many_are_gone(long then, long now, bool another) =>
        Ground(rows: then).IsAnother(Ground(rows: now)).ShouldBe(another);

    [Fact]
    public void A_statement_that_reads_otherwise_is_gone_or_is_served_as_well_makes_it_another()
    {
        Ground().IsAnother(Ground(Workload.Replace("max", "min", StringComparison.Ordinal))).ShouldBeTrue();
        Ground().IsAnother(Ground(Workload.Replace("name: of depot", "name: of a depot", StringComparison.Ordinal))).ShouldBeTrue();
        Ground().IsAnother(Ground(served: ["of depot", "other"])).ShouldBeTrue();
        Ground(served: ["of depot", "other"]).IsAnother(Ground()).ShouldBeTrue();
    }

    [Fact]
    public void Rows_that_were_not_counted_are_those_that_the_statistics_believe_in() => Ground(rows: null).Rows["parcel"].ShouldBe(70);

    [Fact]
    public void The_set_is_told_first_and_what_saves_most_then_what_is_expected_to_then_the_rest()
    {
        static Proposal Of(string title, ProposalFate fate, double? saved = null, double? expected = null) => new(ProposalKind.Index, title, "", "", "", [],
            saved is { } s ? new(new(100, 100 - s), new(-s, -s), null, [], [], 1, [], null, null, 0) : null, fate, "")
        { Expected = expected is { } e ? new(100, 100 - e) : null };
        ProposalsDocument document = ProposalsDocument.Of(
            [
                Of("refused", ProposalFate.NoSaving, 50), Of("little", ProposalFate.InSet, 1), Of("open little", ProposalFate.Open, expected: 1), Of("open much", ProposalFate.Open, expected: 20),
                Of("down", ProposalFate.TurnedDown, 80), Of("much", ProposalFate.InSet, 40),
            ], null, []);
        document.Proposals.Select(p => p.Title).ShouldBe(["much", "little", "open much", "open little", "refused", "down"]);
        document.Migration().ShouldBe("-- much\n\n-- little\n\n");
    }

    [Fact]
    public void An_index_takes_the_place_of_those_that_begin_with_fewer_of_its_columns_in_their_direction()
    {
        CatalogIndex Index(string name, bool unique, params string[] columns) => new(name, columns, unique, false, "created", 1, []);
        var catalog = new Catalog(4096, [new("parcel", [new("depot", "INTEGER", false, 0), new("state", "TEXT", false, 0), new("sent", "TEXT", false, 0)], 1000, 10, null,
            [Index("by_depot", false, "depot"), Index("unique_depot", true, "depot"), Index("by_state", false, "state"), Index("down", false, "depot", "state"), Index("same", false, "depot", "state", "sent")])]);
        var made = new Dictionary<string, string> { ["down"] = "CREATE INDEX down ON parcel(depot, state DESC)" };
        string[] Beside(string? where, params string[] columns) => [.. SuperfluousIndex.BesideOf(new("new", "parcel", columns, []) { Where = where }, catalog, made, KnownEngines.Default.Dialect).Select(i => i.Index)];
        Beside(null, "depot", "state", "sent").ShouldBe(["by_depot"]);
        Beside(null, "state", "depot").ShouldBe(["by_state"]);
        Beside("state = 'x'", "depot", "sent").ShouldBeEmpty();
        SuperfluousIndex.BesideOf(new("new", "parcel", ["depot", "x"], []), catalog, made, KnownEngines.Default.Dialect)[0].SqlIfThere.ShouldBe("DROP INDEX IF EXISTS by_depot;");
        SuperfluousIndex.BesideOf(new("new", "gone", ["depot"], []), catalog, made, KnownEngines.Default.Dialect).ShouldBeEmpty();
    }
}
