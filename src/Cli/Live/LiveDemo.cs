using System.Globalization;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using SwiftLedger.Bench;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Demo;
using SwiftLedger.Demo.Live;
using SwiftLedger.Store;

namespace SwiftLedger.Cli.Live;

/// <summary><c>swift-ledger demo --live</c>: a book that fills while one looks on. Each start has a book and a database of its own.</summary>
internal static class LiveDemo
{
    /// <summary>An hour of the huts is over in five seconds.</summary>
    public const double Pace = 720;

    private const string Prefix = "live-", Looks = "catalogue";

    /// <summary>Two hours of the huts.</summary>
    private static readonly TimeSpan BetweenLooks = TimeSpan.FromSeconds(10);

    /// <summary>Makes the database that the application writes to, and its book; those of earlier starts are removed, their books stay.</summary>
    public static (BookRecord Book, string Workload) Prepare(LedgerHome home, string folder, double scale)
    {
        if (!File.Exists(Path.Combine(folder, "huts.db")))
        {
            Console.WriteLine("Making the demo data; it is kept for the next start.");
        }

        DemoScenario scenario = DemoScenario.MakeIn(folder, scale);
        foreach (string file in Directory.GetFiles(folder, Prefix + "*"))
        {
            File.Delete(file);
        }

        DateTime now = DateTime.UtcNow;
        string database = Path.Combine(folder, string.Create(CultureInfo.InvariantCulture, $"{Prefix}{now:yyyyMMddHHmmss}.db"));
        HutsApplication.Prepare(scenario, database);
        var ledger = new LedgerDatabase(home.LedgerFile);
        var (books, rounds) = (new BookStore(ledger, TimeProvider.System), new RoundStore(ledger));
        foreach (BookRecord earlier in books.All().Where(b => b.Subject?.StartsWith(Path.Combine(folder, Prefix), StringComparison.Ordinal) == true))
        {
            rounds.Drop(earlier.Id, Looks);
        }

        BookRecord book = books.Open(database, string.Create(CultureInfo.InvariantCulture, $"{DemoScenario.BookName}, live, {now:yyyy-MM-dd HH:mm:ss}"));
        books.KeepWorkload(book.Id, scenario.Workload, "the example");

        // A stand-in that is killed between a statement of a deployment and the telling of it tells of it never.
        rounds.KeepLooking(book.Id, Looks, BetweenLooks, DateTimeOffset.UtcNow);
        return (book, scenario.Workload);
    }

    /// <summary>Runs the application and tells its story, until it is stopped.</summary>
    public static async Task RunAsync(IServiceProvider services, Uri server, BookRecord book, string workload, LiveClock clock, LiveDesk desk, CancellationToken stop)
    {
        EntryStore entries = services.GetRequiredService<EntryStore>();
        ILogger log = services.GetRequiredService<ILoggerFactory>().CreateLogger("SwiftLedger.Live");
        string Proposed() => string.Join('\n', entries.Read(book.Id).Accounts.Where(e => e.State == EntryState.Proposed).Select(e => e.Begun.Change));
        desk.Begin(book.Id, clock, Pace, Proposed, LiveGuide.Steps);
        using var guide = new LiveGuide(server, book.Id, book.Subject!, workload, clock, desk, services, log);
        await Task.WhenAll(
            LiveApplication.KeepAsync(new(server, book.Id, book.Name, book.Subject!, clock.Began, Pace, "3.1", []), desk, log, stop),
            guide.RunAsync(stop));
    }
}
