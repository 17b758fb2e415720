using Shouldly;
using SwiftLedger.Core.Proposals;
using Xunit;

namespace SwiftLedger.Store.Tests;

public sealed class ProposalStoreTests : IDisposable
{
    private static readonly ProposalsAsked Asked = new([ProposalKind.Index, ProposalKind.Rewrite], new(3, 5_000_000, 0.1), 20, 10, false);

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly LedgerDatabase _ledger;
    private readonly ProposalStore _proposals;
    private readonly long _book;

    public ProposalStoreTests()
    {
        _ledger = new(Path.Combine(_folder, "ledger.db"));
        _proposals = new(_ledger, TimeProvider.System);
        _book = new BookStore(_ledger, TimeProvider.System).OpenByName("depot").Id;
    }

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    private static Proposal Index(string name, double rows = 100) => new(ProposalKind.Index, $"index {name}", "because", $"CREATE INDEX {name} ON parcel(depot);", $"DROP INDEX {name};", ["of depot"], null, ProposalFate.Open, "")
    {
        Expected = new(100, 20),
        ExpectedBytes = 4096,
        Replaces = ["old"],
        Ground = new(new Dictionary<string, string> { ["of depot"] = "SELECT 1" }, new Dictionary<string, long> { ["parcel"] = (long)rows }),
    };

    [Fact]
    public void What_was_asked_found_and_measured_comes_back_as_it_was()
    {
        ProposalSearchRecord search = _proposals.Add(_book, "SELECT 1", Asked);
        (search.Wants.Limits, search.Wants.MaxSeconds, search.Step.Try, search.State).ShouldBe((Asked.Limits, 20, false, TrialState.Waiting));
        search.Wants.Kinds.ShouldBe(Asked.Kinds);
        var proof = new RewriteProof([new("it is so", HeldBy.Rows, "SELECT 2;")], true, 3, 500, 400, 0.2, null, null);
        Proposal rewrite = Index("b") with { Kind = ProposalKind.Rewrite, Proof = proof };
        _proposals.KeepFound(search.Id, [Index("a"), rewrite], ["one was left out"]);
        IReadOnlyList<Proposal> found = _proposals.Proposals(search.Id);
        (found[0].Title, found[0].Expected, found[0].ExpectedBytes, found[0].Fate).ShouldBe(("index a", new ExpectedWork(100, 20), 4096, ProposalFate.Open));
        found[0].Replaces.ShouldBe(["old"]);
        found[0].Ground!.IsAnother(Index("a").Ground!).ShouldBeFalse();
        (found[1].Proof!.Conditions[0], found[1].Proof!.Databases).ShouldBe((proof.Conditions[0], 500));

        var measured = new MeasuredProposal(new(10, 2), new(-9, -7), 3, [], ["of depot"], 4, [], new(1, 1.1), 4096, 12);
        _proposals.Keep(search.Id, 0, found[0] with { Measured = measured, Fate = ProposalFate.InSet, Within = 0.5 });
        (Proposal kept, ProposalSearchRecord after) = (_proposals.Proposals(search.Id)[0], Kept(search.Id, measured));
        (kept.Measured!.Bill, kept.Measured.Writes, kept.Within, kept.Fate).ShouldBe((measured.Bill, measured.Writes, 0.5, ProposalFate.InSet));
        (after.Set!.Change, after.LeftOut).ShouldSatisfyAllConditions(x => x.Change.ShouldBe(measured.Change), x => x.LeftOut.ShouldBe(["all"]));
    }

    private ProposalSearchRecord Kept(long id, MeasuredProposal together)
    {
        _proposals.KeepTogether(id, together, ["all"]);
        return _proposals.Find(id)!;
    }

    [Fact]
    public void A_trial_that_is_deleted_leaves_what_it_told()
    {
        ProposalSearchRecord search = _proposals.Add(_book, "SELECT 1", Asked);
        _proposals.KeepFound(search.Id, [Index("a")], []);
        var trials = new TrialStore(_ledger, TimeProvider.System);
        long trial = trials.Add(_book, null, "t", "SELECT 1", "", new()).Id, all = trials.Add(_book, null, "all", "SELECT 1", "", new()).Id;
        _proposals.KeepTrial(search.Id, 0, trial);
        _proposals.KeepTrial(search.Id, null, all);
        (_proposals.Proposals(search.Id)[0].Trial, _proposals.Find(search.Id)!.TogetherTrial).ShouldBe((trial, all));

        // What is kept of the proposal does not lose its trial.
        _proposals.Keep(search.Id, 0, Index("a") with { Fate = ProposalFate.NoSaving });
        _proposals.Proposals(search.Id)[0].Trial.ShouldBe(trial);
        trials.Delete(trial);
        trials.Delete(all);
        (_proposals.Proposals(search.Id)[0].Trial, _proposals.Proposals(search.Id)[0].Fate, _proposals.Find(search.Id)!.TogetherTrial).ShouldBe((null, ProposalFate.NoSaving, null));
    }

    [Fact]
    public void What_is_turned_down_rests_until_it_is_taken_back_or_its_ground_is_another()
    {
        _proposals.TurnDown(_book, Index("a"), "Ada", "not now");
        _proposals.TurnDown(_book, Index("a"), "Bo", "not ever");
        _proposals.TurnDown(_book, Index("b"), "Ada", "no");
        _proposals.TurnedDown(_book).Select(t => (t.Title, t.Author, t.Why)).ShouldBe([("index b", "Ada", "no"), ("index a", "Bo", "not ever")]);
        TurnedDownRecord down = _proposals.TurnedDown(_book)[1];
        down.Covers(Index("a")).ShouldBeTrue();
        down.Covers(Index("a", rows: 149)).ShouldBeTrue();
        down.Covers(Index("a", rows: 150)).ShouldBeFalse();
        down.Covers(Index("b")).ShouldBeFalse();
        down.Covers(Index("a") with { Kind = ProposalKind.Drop }).ShouldBeFalse();
        _proposals.TakeBack(_book, Index("a")).ShouldBeTrue();
        _proposals.TakeBack(_book, Index("a")).ShouldBeFalse();
        _proposals.TurnedDown(_book).Select(t => t.Title).ShouldBe(["index b"]);
        _proposals.TurnDown(_book, Index("a"), "Ada", "again");
        _proposals.TurnedDown(_book).Select(t => t.Why).ShouldBe(["again", "no"]);
    }

    [Fact]
    public void One_that_ran_when_the_server_ended_can_be_gone_on_with()
    {
        ProposalSearchRecord search = _proposals.Add(_book, "SELECT 1", Asked);
        _proposals.Again(search.Id, new(true, null)).ShouldBeFalse();
        _proposals.Start(search.Id).ShouldBeTrue();
        _proposals.Start(search.Id).ShouldBeFalse();
        _proposals.InterruptRunning("cut").Select(s => s.Id).ShouldBe([search.Id]);
        (_proposals.Find(search.Id)!.State, _proposals.Find(search.Id)!.Message).ShouldBe((TrialState.Interrupted, "cut"));

        // A late word of the one that was cut does not end the next.
        _proposals.End(search.Id, TrialState.Finished, null);
        _proposals.Find(search.Id)!.State.ShouldBe(TrialState.Interrupted);
        _proposals.Again(search.Id, new(true, [2])).ShouldBeTrue();
        (_proposals.Find(search.Id)!.Step.Numbers, _proposals.Find(search.Id)!.Message, _proposals.Waiting().Count).ShouldSatisfyAllConditions(x => x.Numbers.ShouldBe([2]), x => x.Message.ShouldBeNull(), x => x.Count.ShouldBe(1));
    }

    [Fact]
    public void A_book_keeps_its_latest_searches_and_takes_all_along()
    {
        for (int i = 0; i < ProposalStore.MostKept + 3; i++)
        {
            ProposalSearchRecord made = _proposals.Add(_book, "SELECT 1", Asked);
            _proposals.KeepFound(made.Id, [Index("a")], []);
            _proposals.End(made.Id, TrialState.Finished, null);
        }

        IReadOnlyList<ProposalSearchGlance> kept = _proposals.OfBook(_book);
        (kept.Count, kept[0].Id, kept[0].Found, kept[0].State).ShouldBe((ProposalStore.MostKept, ProposalStore.MostKept + 3, 1, TrialState.Finished));
        _proposals.Proposals(1).ShouldBeEmpty();
        _proposals.TurnDown(_book, Index("a"), "Ada", "no");
        new BookStore(_ledger, TimeProvider.System).Delete(_book);
        (_proposals.OfBook(_book).Count, _proposals.TurnedDown(_book).Count, _proposals.Proposals(kept[0].Id).Count).ShouldBe((0, 0, 0));
    }
}
