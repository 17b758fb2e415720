using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Store.Tests;

/// <summary>Standing plans, pins, catalogues, and the plans that trials saw.</summary>
public sealed class PlanStoreTests : IDisposable
{
    private const string Sql = "SELECT * FROM parcel WHERE depot = 7";

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly PlanStore _plans;
    private readonly TrialStore _trials;
    private readonly long _book;
    private readonly long _other;

    public PlanStoreTests()
    {
        var ledger = new LedgerDatabase(Path.Combine(_folder, "ledger.db"));
        _plans = new(ledger, TimeProvider.System);
        _trials = new(ledger, TimeProvider.System);
        var books = new BookStore(ledger, TimeProvider.System);
        (_book, _other) = (books.OpenByName("Depot").Id, books.OpenByName("Other").Id);
    }

    public void Dispose()
    {
        SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void The_standing_plan_of_a_statement_is_the_one_accepted_last_in_its_book()
    {
        // Hashes use all 64 bits; the ledger's integers have a sign.
        const ulong pattern = ulong.MaxValue - 5;
        _plans.Standing(_book, pattern).ShouldBeNull();
        _plans.MakeStanding(_book, pattern, "a", "SCAN parcel", "first");
        _plans.MakeStanding(_book, pattern, "b", "SEARCH parcel", "better");
        StandingPlan standing = _plans.Standing(_book, pattern)!;
        (standing.Shape, standing.Outline, standing.Note).ShouldBe(("b", "SEARCH parcel", "better"));
        _plans.StandingShapes(_book).ShouldBe([new(pattern, "b")]);
        _plans.StandingShapes(_other).ShouldBeEmpty();
        _plans.LetGo(_book, pattern);
        _plans.Standing(_book, pattern).ShouldBeNull();
    }

    [Fact]
    public void A_pin_stands_until_it_is_replaced_once()
    {
        _plans.Pin(_book, 7, "by depot", "SELECT 1 FROM parcel INDEXED BY i", "shape", 3);
        _plans.Pin(_book, 8, "other", "SELECT 2 FROM parcel NOT INDEXED", "shape", 4);
        PinRecord pin = _plans.Pins(_book)[0];
        (pin.Statement, pin.TrialId, pin.ReplacedAt).ShouldBe(("other", 4, null));
        _plans.Replace(_other, pin.Id).ShouldBeFalse();
        _plans.Replace(_book, pin.Id).ShouldBeTrue();
        _plans.Replace(_book, pin.Id).ShouldBeFalse();
        _plans.Pins(_book).Select(p => p.ReplacedAt is null).ShouldBe([true, false]);
    }

    [Fact]
    public void The_catalogue_of_the_latest_trial_that_read_one_is_found()
    {
        _trials.LatestWithCatalogs(_book).ShouldBeNull();
        long first = Trial("CREATE INDEX i ON parcel(depot)"), second = Trial("CREATE INDEX j ON parcel(depot)"), third = Trial("CREATE TABLE a(x)");
        foreach ((long id, long rows) in new[] { (first, 1L), (second, 2L) })
        {
            _trials.Keep(id, new CatalogsRead(new(4096, [new("parcel", [], rows, null, null, [])]), null), session: 1);
        }

        // The second session starts from the same snapshot.
        _trials.Keep(second, new CatalogsRead(null, null), session: 2);
        _trials.LatestWithCatalogs(_book).ShouldBe(second);
        _trials.Catalogs(second)!.Before!.Table("parcel")!.Rows.ShouldBe(2);
        _trials.Catalogs(third).ShouldBeNull();
        _trials.Load(_trials.Find(first)!).Catalogs!.Before!.Table("parcel")!.Rows.ShouldBe(1);
        _trials.LatestWithCatalogs(_other).ShouldBeNull();
    }

    [Fact]
    public void Plans_of_a_pattern_come_from_finished_trials_with_the_median_of_the_blocks_that_count()
    {
        long finished = Trial("CREATE INDEX i ON parcel(depot)"), running = Trial("CREATE INDEX i ON parcel(depot)");
        foreach (long id in new[] { finished, running })
        {
            _trials.Start(id);
            _trials.Keep(id, new LineInspected(1, Looked("SCAN parcel"), Looked("SEARCH parcel USING INDEX i (depot=?)")), session: 1);
            _trials.Keep(id, new BlocksMeasured(1, [Block(100, 10), Block(300, 30), Block(200, 20), Block(9_000, 9_000, leftOut: true)]), session: 1);
        }

        _trials.End(finished, TrialState.Finished, null, new(1, "done", null, new Dictionary<int, Decision> { [1] = new(Verdict.Improved, Basis.Time, null, []) }));
        IReadOnlyList<PlanSeen> seen = _plans.Seen(_book, SqlPattern.HashOf(Sql));
        seen.Select(s => (s.TrialId, s.Side, s.Case, s.Plan.Text, s.Times?.Median, s.Verdict)).ShouldBe(
            [(finished, Side.Before, "1", "SCAN parcel", 200, "improved"), (finished, Side.After, "1", "SEARCH parcel USING INDEX i (depot=?)", 20, "improved")]);
        _plans.Seen(_book, SqlPattern.HashOf("SELECT 1")).ShouldBeEmpty();
        _plans.Seen(_other, SqlPattern.HashOf(Sql)).ShouldBeEmpty();
    }

    [Fact]
    public void What_was_counted_comes_back_as_it_was_kept()
    {
        long id = Trial("CREATE INDEX i ON parcel(depot)");
        Plan counted = PlanText.Build([(1, 0, "SCAN parcel"), (2, 1, "USE TEMP B-TREE FOR ORDER BY")])
            .Changed((i, o) => o with { EstimatedRows = 25, Counts = new(1, 250_000, i == 0 ? 38 : null, 0.4) }) with
        { RestShare = 0.2 };
        _trials.Keep(id, new LineInspected(1, Looked("SCAN parcel") with { Plan = counted, PlanNote = "a note" }, Looked("SCAN parcel")), session: 1);
        Inspection back = _trials.Load(_trials.Find(id)!).Lines[0].Evidence.Before!;
        back.PlanNote.ShouldBe("a note");
        back.Plan!.RestShare.ShouldBe(0.2);
        back.Plan.Lines().Select(l => (l.Depth, l.Operator.EstimatedRows, l.Operator.Counts)).ShouldBe(counted.Lines().Select(l => (l.Depth, l.Operator.EstimatedRows, l.Operator.Counts)));
    }

    private static Inspection Looked(string plan) =>
        new(PlanText.Build([(1, 0, plan)]), 1, 1, false, "00", "00", true, new Dictionary<string, long> { ["vmSteps"] = 9 }, true, null);

    private static Block Block(double before, double after, bool leftOut = false) => new(0, true, before, after, before, after, 0, 0, leftOut);

    private long Trial(string change) => _trials.Add(_book, null, "Trial", "-- name: by depot\n" + Sql, change, new()).Id;
}
