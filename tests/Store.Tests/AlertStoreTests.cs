using Shouldly;
using Xunit;

namespace SwiftLedger.Store.Tests;

public sealed class AlertStoreTests : IDisposable
{
    private const string Now = "2027-03-02T04:00:00.000Z", Later = "2027-03-02T04:00:05.000Z";

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly LedgerDatabase _ledger;
    private readonly AlertStore _alerts;
    private readonly long _book;

    public AlertStoreTests()
    {
        _ledger = new(Path.Combine(_folder, "ledger.db"));
        _alerts = new(_ledger, TimeProvider.System);
        _book = new BookStore(_ledger, TimeProvider.System).OpenByName("depot").Id;
    }

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void The_same_is_told_once_while_it_lasts_and_anew_when_it_comes_again()
    {
        Take("held a", "dearer b").ShouldBe(["held a", "dearer b"]);
        Take("held a", "dearer b").ShouldBeEmpty();
        Take("dearer b", "dearer b", "offPlan c").ShouldBe(["offPlan c"]);
        Take("dearer b", "held a").ShouldBe(["held a"]);
        _alerts.OfBook(_book, 10).Select(a => (a.Key, a.EndedAt is null)).ShouldBe([("held a", true), ("offPlan c", false), ("dearer b", true), ("held a", false)]);
        _alerts.OfBook(_book, 1).ShouldHaveSingleItem();
    }

    [Fact]
    public void Each_beginning_and_end_is_due_through_each_channel_until_it_arrived_or_was_given_up()
    {
        _alerts.Take(_book, [Of("held a")], ["file", "post"], Now);
        _alerts.Take(_book, [], ["file"], Now);
        var due = _alerts.Due(Now, 10);
        due.Select(d => (d.Delivery.Channel, d.Delivery.IsOver, d.Alert.Key)).ShouldBe([("file", false, "held a"), ("post", false, "held a"), ("file", true, "held a")]);
        _alerts.Tried(due[0].Delivery.Id, null, null);
        _alerts.Tried(due[1].Delivery.Id, "refused", Later);
        _alerts.Tried(due[2].Delivery.Id, "no room", null);
        _alerts.Due(Now, 10).ShouldBeEmpty();
        (_alerts.Due(Later, 10).ShouldHaveSingleItem().Delivery is { Channel: "post", Tries: 1, Problem: "refused" }).ShouldBeTrue();
        _alerts.Counts().ShouldBe((1, 1, 1));
        _alerts.Deliveries(_book, 10).Single().Select(d => d.IsGivenUp).ShouldBe([false, false, true]);
        new BookStore(_ledger, TimeProvider.System).Delete(_book);
        _alerts.Counts().ShouldBe((0, 0, 0));
    }

    [Fact]
    public void Where_no_channel_is_asked_for_nothing_is_ever_due()
    {
        _alerts.Take(_book, [Of("held a")], [], Now);
        _alerts.Take(_book, [Of("held a")], ["file"], Now).ShouldBeEmpty("it was told before there was a channel");
        _alerts.Due(Later, 10).ShouldBeEmpty();
    }

    private static AlertNow Of(string key) => new(key.Split(' ')[0], key, key, null, null, null);

    private string[] Take(params string[] keys) => [.. _alerts.Take(_book, [.. keys.Select(Of)], ["file"], Now).Select(a => a.Key)];
}
