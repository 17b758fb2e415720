using System.CommandLine;
using System.Diagnostics;
using SwiftLedger.Core.Live;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger watch</c>: what a PostgreSQL server's sessions do and wait for, looked at once a second through one connection.</summary>
internal static class WatchCommand
{
    private static readonly TimeSpan Every = TimeSpan.FromSeconds(1), Stretch = TimeSpan.FromSeconds(10);

    private static readonly Option<string> Subject = new("--subject") { Description = "postgresql://user@host/database; nothing is written.", Required = true };
    private static readonly Option<double> Seconds = new("--seconds") { Description = "How long; 0 until Ctrl+C.", DefaultValueFactory = _ => 60 };
    private static readonly Option<int> PileUp = new("--pile-up") { Description = "Keep everything that is seen when so many sessions are active.", DefaultValueFactory = _ => 20 };
    private static readonly Option<string?> Out = new("--out") { Description = "Write what was seen as JSON." };

    public static Command Build()
    {
        var command = new Command("watch", "Look at a PostgreSQL server's sessions once a second: how many are active, what they wait for, and who keeps whom waiting.") { Subject, Seconds, PileUp, Out };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        string subject = parsed.GetValue(Subject)!;
        double seconds = parsed.GetValue(Seconds);
        if (!SubjectAddress.IsPostgres(subject) || seconds is not (>= 0 and <= 604_800) || parsed.GetValue(PileUp) < 1)
        {
            await Console.Error.WriteLineAsync("--subject is a connection string, --seconds a number up to a week, --pile-up a number above 0.");
            return ExitCode.BadInput;
        }

        var fold = new LoadFold(Stretch, parsed.GetValue(PileUp));
        var clock = Stopwatch.StartNew();
        double looking = 0;
        long looks = 0;
        string lastTree = "";
        int exit = ExitCode.Good;
        try
        {
            using PostgresActivity activity = PostgresActivity.Open(subject);
            using var timer = new PeriodicTimer(Every);
            do
            {
                ActivitySample sample = activity.Look(DateTimeOffset.Now);
                looking += sample.LookMilliseconds;
                looks++;
                if (fold.Add(sample) is { } ended)
                {
                    Console.WriteLine(LiveReport.Line(ended));
                }

                string tree = LiveReport.Tree(WaitTree.Of(sample));
                if (tree.Length > 0 && lastTree.Length == 0)
                {
                    Console.Write($"{sample.At:HH:mm:ss}  sessions wait for each other:\n{tree}");
                }

                lastTree = tree;
            }
            while ((seconds == 0 || clock.Elapsed.TotalSeconds < seconds) && await timer.WaitForNextTickAsync(stop));
        }
        catch (OperationCanceledException)
        {
            // Ctrl+C ends the looking, not the telling.
        }
        catch (SubjectException e)
        {
            await Console.Error.WriteLineAsync(e.Problem.Message);
            return ExitCode.BadInput;
        }
        catch (EngineException e)
        {
            await Console.Error.WriteLineAsync($"The connection was lost: {e.Message}. What was seen until then follows.");
            exit = ExitCode.NotMeasured;
        }

        if (fold.End() is { } last)
        {
            Console.WriteLine(LiveReport.Line(last));
        }

        Console.Write($"\nStatements seen active:\n{LiveReport.Patterns(fold)}");
        Console.WriteLine(string.Create(System.Globalization.CultureInfo.InvariantCulture,
            $"\n{looks} looks took {Figures.Duration(looking / Math.Max(1, looks) * 1000)} each: {Figures.Percent(looking / Math.Max(1, clock.Elapsed.TotalMilliseconds))} of one session's time."));
        if (parsed.GetValue(Out) is { } path)
        {
            await File.WriteAllTextAsync(path, LiveReport.Json(fold), CancellationToken.None);
        }

        return exit;
    }
}
