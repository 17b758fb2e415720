using Shouldly;
using Xunit;

namespace SwiftLedger.Store.Tests;

public sealed class RoundStoreTests : IDisposable
{
    private static readonly DateTimeOffset Start = new(2027, 3, 2, 4, 0, 0, TimeSpan.Zero);

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly LedgerDatabase _ledger;
    private readonly RoundStore _rounds;
    private readonly long _book;

    public RoundStoreTests()
    {
        _ledger = new(Path.Combine(_folder, "ledger.db"));
        _rounds = new(_ledger);
        _book = new BookStore(_ledger, TimeProvider.System).OpenByName("depot").Id;
    }

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Theory]
    [InlineData(0, 60)]
    [InlineData(59, 60)]
    [InlineData(61, 120)]
    [InlineData(3_601, 3_660)]
    public void The_next_round_is_at_its_own_rhythm_and_missed_ones_are_not_made_up_for(int doneAfter, int nextAfter)
    {
        _rounds.Keep(_book, "app", new RoundCapture(["/a"], "server", null, null, null), TimeSpan.FromSeconds(60), Start);
        RoundRecord due = _rounds.Due(Start).ShouldHaveSingleItem();
        _rounds.Done(due, "2 new statements", null, Start.AddSeconds(doneAfter));
        _rounds.Due(Start.AddSeconds(nextAfter - 1)).ShouldBeEmpty();
        (_rounds.Due(Start.AddSeconds(nextAfter)).ShouldHaveSingleItem() is { Runs: 1, Told: "2 new statements", Problem: null }).ShouldBeTrue();
    }

    [Fact]
    public void One_of_the_same_name_takes_its_place_and_goes_with_its_book()
    {
        _rounds.Keep(_book, "app", new RoundCapture(["/a", "/b c"], "server", "csv", "%m", "sqlite"), TimeSpan.FromSeconds(60), Start);
        _rounds.Done(_rounds.OfBook(_book)[0], "x", "y", Start);
        _rounds.Keep(_book, "app", new RoundWatch(5, 3), TimeSpan.FromSeconds(90), Start);
        RoundRecord round = _rounds.OfBook(_book).ShouldHaveSingleItem();
        (round.Kind, round.Watch, round.EverySeconds, round.Runs, round.Told, round.Problem).ShouldBe((RoundRecord.OfWatch, new RoundWatch(5, 3), 90, 0, null, null));
        new BookStore(_ledger, TimeProvider.System).Delete(_book);
        _rounds.Due(DateTimeOffset.MaxValue.AddDays(-1)).ShouldBeEmpty();
    }
}
