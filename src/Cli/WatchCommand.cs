using System.CommandLine;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Live;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger watch</c>: what a server's sessions do and wait for, looked at once a second through one connection.</summary>
internal static class WatchCommand
{
    private static readonly Option<string> Subject = new("--subject") { Description = $"{KnownEngines.FormsOfServers}; nothing is written.", Required = true };
    private static readonly Option<double> Seconds = new("--seconds") { Description = "How long; 0 until Ctrl+C.", DefaultValueFactory = _ => 60 };
    private static readonly Option<int> PileUp = new("--pile-up") { Description = "Keep everything that is seen when so many sessions are active.", DefaultValueFactory = _ => 20 };
    private static readonly Option<string?> Out = new("--out") { Description = "Write what was seen as JSON." };
    private static readonly Option<string?> Book = new("--book") { Description = "Keep what is seen in the daybook of this book; opened when there is none yet." };

    public static Command Build()
    {
        var command = new Command("watch", "Look at a server's sessions once a second: how many are active, what they wait for, and who keeps whom waiting.") { Subject, Seconds, PileUp, Out, Book };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        string subject = parsed.GetValue(Subject)!;
        double seconds = parsed.GetValue(Seconds);
        if (!KnownEngines.IsServer(subject) || !(seconds >= 0 && seconds <= ServerWatch.Longest.TotalSeconds) || parsed.GetValue(PileUp) < 1)
        {
            await Console.Error.WriteLineAsync("--subject is a connection string, --seconds a number up to a week, --pile-up a number above 0.");
            return ExitCode.BadInput;
        }

        var watch = new ServerWatch(subject, new(ServerWatch.Stretch, parsed.GetValue(PileUp), KnownEngines.OfSubject(subject).Dialect));
        KeptWatch? kept = null;
        string lastTree = "";
        string? ending;
        try
        {
            ending = await watch.RunAsync(seconds == 0 ? null : TimeSpan.FromSeconds(seconds), (sample, ended) =>
            {
                kept ??= Keep(parsed, subject, sample.At);
                if (ended is not null)
                {
                    Console.WriteLine(LiveReport.Line(ended));
                    kept?.Add(watch.Fold, watch.Looks, watch.LookMilliseconds, watch.Last);
                }

                string tree = LiveReport.Tree(WaitTree.Of(sample));
                if (tree.Length > 0 && lastTree.Length == 0)
                {
                    Console.Write($"{sample.At:HH:mm:ss}  sessions wait for each other:\n{tree}");
                }

                lastTree = tree;
            }, stop);
        }
        catch (SubjectException e)
        {
            await Console.Error.WriteLineAsync(e.Problem.Message);
            return ExitCode.BadInput;
        }

        if (watch.Fold.End() is { } last)
        {
            Console.WriteLine(LiveReport.Line(last));
        }

        kept?.Add(watch.Fold, watch.Looks, watch.LookMilliseconds, watch.Last);
        kept?.End(ending ?? "");
        if (ending is not null)
        {
            await Console.Error.WriteLineAsync($"{ending} What was seen until then follows.");
        }

        Console.Write($"\nStatements seen active:\n{LiveReport.Patterns(watch.Fold)}");
        Console.WriteLine(string.Create(System.Globalization.CultureInfo.InvariantCulture,
            $"\n{watch.Looks} looks took {Figures.Duration(watch.LookMilliseconds / Math.Max(1, watch.Looks) * 1000)} each: {Figures.Percent(watch.Cost)} of one session's time."));
        if (parsed.GetValue(Out) is { } path)
        {
            await File.WriteAllTextAsync(path, LiveReport.Json(watch.Fold), CancellationToken.None);
        }

        return ending is null ? ExitCode.Good : ExitCode.NotMeasured;
    }

    private static KeptWatch? Keep(ParseResult parsed, string subject, DateTimeOffset at)
    {
        if (parsed.GetValue(Book) is not { } name)
        {
            return null;
        }

        var ledger = new LedgerDatabase(LedgerHome.FromEnvironment().Created().LedgerFile);
        BookRecord book = new BookStore(ledger, TimeProvider.System).OpenByName(name);
        return new WatchStore(ledger).Begin(book.Id, KnownEngines.Shown(subject), parsed.GetValue(PileUp), at);
    }
}
