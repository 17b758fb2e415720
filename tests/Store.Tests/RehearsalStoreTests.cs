using Shouldly;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Store.Tests;

public sealed class RehearsalStoreTests : IDisposable
{
    private const string Change = "create index Parcel_open on parcel(depot)";

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void What_a_change_made_of_the_schema_is_kept_with_the_rehearsal_and_goes_with_it()
    {
        var ledger = new LedgerDatabase(Path.Combine(_folder, "ledger.db"));
        var rehearsals = new RehearsalStore(ledger, TimeProvider.System);
        long book = new BookStore(ledger, TimeProvider.System).OpenByName("depot").Id;
        long[] ids = [.. Enumerable.Range(0, 3).Select(_ => rehearsals.Add(book, "rush", "-- part: p\n-- name: q\nSELECT 1;", Change, new RehearsalOptions(), trusted: false).Id)];
        rehearsals.Tell(ids[0], new ChangeBrought("CREATE INDEX Parcel_open on parcel(depot);"));
        rehearsals.Tell(ids[1], new ChangeBrought("CREATE INDEX other ON parcel(note);"));

        // A soak that is carried on tells it again.
        rehearsals.Tell(ids[1], new ChangeBrought("CREATE INDEX Parcel_open on parcel(depot);"));
        rehearsals.Brings(ids).ShouldBe(new Dictionary<long, (string, string)>
        {
            [ids[0]] = (Change, "CREATE INDEX Parcel_open on parcel(depot);"),
            [ids[1]] = (Change, "CREATE INDEX Parcel_open on parcel(depot);"),
        }, ignoreOrder: true);
        rehearsals.Delete(ids[0]);
        rehearsals.Brings(ids).Keys.ShouldBe([ids[1]]);
        rehearsals.Brings([]).ShouldBeEmpty();
    }
}
