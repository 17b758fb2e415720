using Shouldly;
using SwiftLedger.Core.Live;
using SwiftLedger.Store.Captures;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Store.Tests;

public sealed class WatchStoreTests : IDisposable
{
    private static readonly DateTimeOffset Start = new(2026, 3, 2, 10, 0, 0, TimeSpan.Zero);

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void What_a_watch_saw_is_there_although_its_process_was_killed()
    {
        var ledger = new LedgerDatabase(Path.Combine(_folder, "ledger.db"));
        long book = new BookStore(ledger, TimeProvider.System).Open("postgresql://app@depot/parcels", "Parcels").Id;
        var store = new WatchStore(ledger);
        KeptWatch kept = store.Begin(book, "postgresql://app@depot/parcels", 3, Start);
        var fold = new LoadFold(TimeSpan.FromSeconds(10), 3, Dialects.PostgreSql);
        for (int i = 0; i < 25; i++)
        {
            SessionState first = new(1, "app", "web", "active", "", "", 4.5, 0.5, "UPDATE parcel SET note = 'it''s' WHERE id = 7", []);
            SessionState[] waiting = i >= 12 ? [first with { Id = 2, WaitKind = "Lock", WaitFor = "tuple", BlockedBy = [1] }] : [];
            if (fold.Add(new(Start.AddSeconds(i), [first, .. waiting], 2)) is not null)
            {
                kept.Add(fold, i + 1, 2 * (i + 1), Start.AddSeconds(i));
            }
        }

        // Killed here: nobody said that it ended, and the stretch that went on is lost.
        WatchRecord read = new WatchStore(new LedgerDatabase(Path.Combine(_folder, "ledger.db"))).OfBook(book).ShouldHaveSingleItem();
        (read.Ending, read.Looks, read.LookMs, read.PileUps, read.Waits, read.PileUp).ShouldBe((null, 21, 42, 0, 1, 3));
        (read.Active, read.MostActive).ShouldBe((1.4, 1.8));
        new DateTime(read.LastAt, DateTimeKind.Utc).ShouldBe(Start.AddSeconds(20).UtcDateTime);
        store.Course(read.Id).Select(s => (s.From, s.Samples, s.Active, s.ByKind.GetValueOrDefault("Lock"))).ShouldBe([(Start, 10, 1, 0), (Start.AddSeconds(10), 10, 1.8, 0.8)]);
        ActivePattern pattern = store.Patterns(read.Id).ShouldHaveSingleItem();
        (pattern.Seen, pattern.ByKind["Lock"], pattern.Sql).ShouldBe((30, 9, "UPDATE parcel SET note = 'it''s' WHERE id = 7"));
        KeptMoment moment = store.Moments(read.Id).ShouldHaveSingleItem();
        (moment.PiledUp, moment.Sample.At, moment.Sample.Sessions[1].BlockedBy[0], moment.Sample.Sessions[0].TransactionSeconds).ShouldBe((false, Start.AddSeconds(12), 1, 4.5));

        // Who did what in which stretch.
        store.Seen(read.Id, 0, long.MaxValue).Select(s => (new DateTimeOffset(s.At, TimeSpan.Zero) - Start, s.Seen.Session, s.Seen.User, s.Seen.Kind, s.Seen.Looks)).ShouldBe(
            [(TimeSpan.Zero, 1, "app", "running", 10), (TimeSpan.FromSeconds(10), 1, "app", "running", 10), (TimeSpan.FromSeconds(10), 2, "app", "Lock", 8)], ignoreOrder: true);
        store.Seen(read.Id, Start.AddSeconds(5).UtcTicks, Start.AddSeconds(10).UtcTicks).ShouldBeEmpty();
        store.Seen(read.Id, 0, long.MaxValue).Select(s => s.Session).Distinct().Count().ShouldBe(2);

        // One that has just begun stands beside it.
        store.Begin(book, "postgresql://app@depot/parcels", 3, Start.AddHours(1));
        store.OfBook(book).Select(w => (w.Active, w.MostActive, w.Looks)).ShouldBe([(0.0, 0.0, 0L), (1.4, 1.8, 21L)]);
        kept.End("");
        store.Find(read.Id)!.Ending.ShouldBe("");
    }
}
