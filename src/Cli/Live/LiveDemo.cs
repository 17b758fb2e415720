using System.Globalization;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Demo;
using SwiftLedger.Demo.Live;
using SwiftLedger.Store;
using SwiftLedger.Web;

namespace SwiftLedger.Cli.Live;

/// <summary><c>swift-ledger demo --live</c>: a book that fills while one looks on. Each start has a book and a database of its own.</summary>
internal static class LiveDemo
{
    /// <summary>An hour of the huts is over in five seconds.</summary>
    public const double Pace = 720;

    private const string Looks = "catalogue";

    /// <summary>Two hours of the huts.</summary>
    private static readonly TimeSpan BetweenLooks = TimeSpan.FromSeconds(10);

    /// <summary>Makes the database that the application writes to, and its book; those of earlier starts are removed, their books stay.</summary>
    /// <param name="services">The server's, not started yet.</param>
    /// <param name="stage">Of the engine.</param>
    /// <param name="demo">Where the demo's data lie.</param>
    /// <exception cref="System.Data.Common.DbException">The engine refuses.</exception>
    public static (BookRecord Book, LivePlace Place) Prepare(IServiceProvider services, ILiveStage stage, LivePlace demo)
    {
        DateTime now = DateTime.UtcNow;
        LivePlace place = stage.Prepare(demo, now);
        var (books, rounds) = (services.GetRequiredService<BookStore>(), services.GetRequiredService<RoundStore>());
        foreach (BookRecord earlier in books.All().Where(b => b.Subject is { } subject && stage.IsMade(subject, demo)))
        {
            rounds.Drop(earlier.Id, Looks);
        }

        string engine = stage.Engine.Addresses!.AreOfServers ? $" on {stage.Engine.Name}" : "";
        BookRecord book = books.Open(services.GetRequiredService<SubjectPasswords>().PutAway(place.Address, null), string.Create(CultureInfo.InvariantCulture, $"{DemoScenario.BookName}{engine}, live, {now:yyyy-MM-dd HH:mm:ss}"));
        books.KeepWorkload(book.Id, stage.Workload, "the example");

        // A stand-in that is killed between a statement of a deployment and the telling of it tells of it never.
        rounds.KeepLooking(book.Id, Looks, BetweenLooks, DateTimeOffset.UtcNow);
        return (book, place);
    }

    /// <summary>Runs the application and tells its story, until it is stopped.</summary>
    public static async Task RunAsync(IServiceProvider services, Uri server, ILiveStage stage, BookRecord book, LivePlace place, LiveClock clock, LiveDesk desk, CancellationToken stop)
    {
        EntryStore entries = services.GetRequiredService<EntryStore>();
        ILogger log = services.GetRequiredService<ILoggerFactory>().CreateLogger("SwiftLedger.Live");
        string Proposed() => string.Join('\n', entries.Read(book.Id).Accounts.Where(e => e.State == EntryState.Proposed).Select(e => e.Begun.Change));
        desk.Begin(book.Id, clock, Pace, Proposed, stage.Story.Before, LiveGuide.StepsOf(stage.Story));
        using var guide = new LiveGuide(server, book, stage, clock, desk, services, log);
        await Task.WhenAll(
            LiveApplication.KeepAsync(new(server, book.Id, book.Name, stage.Engine.Id, place.Connection, clock.Began, Pace, "3.1", []), desk, log, stop),
            guide.RunAsync(stop));
    }
}
