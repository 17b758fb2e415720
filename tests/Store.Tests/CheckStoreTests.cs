using Shouldly;
using SwiftLedger.Core.Budgets;
using Xunit;

namespace SwiftLedger.Store.Tests;

/// <summary>Checks that were posted come back as they were, each book with numbers of its own.</summary>
public sealed class CheckStoreTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Each_book_counts_its_own_and_gives_back_what_it_got()
    {
        var ledger = new LedgerDatabase(Path.Combine(_folder, "ledger.db"));
        var books = new BookStore(ledger, TimeProvider.System);
        long first = books.OpenByName("one").Id, second = books.OpenByName("two").Id;
        var checks = new CheckStore(ledger);
        var check = new KeptCheck(0, DateTimeOffset.Parse("2026-12-01T10:00:00.123Z", System.Globalization.CultureInfo.InvariantCulture), "tidy-up", "abc", true, CheckState.Broken, "One of two.", ["a note"],
            [new("work", "work", CheckState.Excused, "a.sql:2:3", "of depot (1)", "work <= 5", "It is so.", -0.25, false, new(2027, 1, 31)), new("whole-table", "tables read whole", CheckState.NotJudged, "b.sql", "", "", "", null, true, null)]);
        checks.Keep(first, check).ShouldBe(1);
        checks.Keep(first, check with { Branch = null, Commit = null, Uncommitted = false, State = CheckState.NotJudged, Items = [], Notes = [] }).ShouldBe(2);
        checks.Keep(second, check).ShouldBe(1);

        IReadOnlyList<KeptCheck> kept = checks.Latest(first, 10);
        kept.Select(c => c.Number).ShouldBe([1, 2]);
        kept[0].Items.ShouldBe(check.Items);
        kept[0].Notes.ShouldBe(check.Notes);
        (kept[0] with { Items = check.Items, Notes = check.Notes }).ShouldBe(check with { Number = 1 });
        (kept[1].Branch, kept[1].Commit, kept[1].State).ShouldBe((null, null, CheckState.NotJudged));
        checks.Latest(first, 1).ShouldHaveSingleItem().Number.ShouldBe(2);
        checks.Latest(first, 10, upTo: 1).ShouldHaveSingleItem().Number.ShouldBe(1);

        checks.Heads(first, 10).Select(c => (c.Number, c.Branch, c.State, c.Headline, c.Items.Count)).ShouldBe([(1, "tidy-up", CheckState.Broken, "One of two.", 0), (2, null, CheckState.NotJudged, "One of two.", 0)]);
        checks.Heads(first, 1).ShouldHaveSingleItem().Number.ShouldBe(2);

        books.Delete(first);
        checks.Latest(first, 10).ShouldBeEmpty();
        checks.Heads(first, 10).ShouldBeEmpty();
        checks.Latest(second, 10).Count.ShouldBe(1);
    }
}
