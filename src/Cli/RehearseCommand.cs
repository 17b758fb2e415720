using System.CommandLine;
using System.Globalization;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger rehearse</c>: a load on both sides of a change, from files to a result and an exit code.</summary>
internal static class RehearseCommand
{
    private static readonly Option<string> Subject = new("--subject") { Description = $"The database to test: {string.Join(", or ", KnownEngines.Subjects.Select(e => e.Addresses!.Form))}. It is only read.", Required = true };
    private static readonly Option<string?> Parts = new("--parts") { Description = "The load: statements with parts, sessions, rates and values. A workload file is one." };
    private static readonly Option<string?> AsCaptured = new("--as-captured") { Description = "Instead of --parts: a log or trace, whose executions are sent again at their own times, by their own sessions, with their own values." };
    private static readonly Option<double> Pace = new("--pace") { Description = "How many times faster a capture is played.", DefaultValueFactory = _ => 1 };
    private static readonly Option<string?> Form = new("--form") { Description = $"Of the capture: {string.Join(", ", CaptureForms.Names)}; found out when left out." };
    private static readonly Option<string?> Prefix = new("--prefix") { Description = "The server's log_line_prefix; the usual ones are tried when left out." };
    private static readonly Option<string?> From = new("--from") { Description = "Of the capture, UTC: what came earlier is left out." };
    private static readonly Option<string?> To = new("--to") { Description = "Of the capture, UTC: what came later is left out." };
    private static readonly Option<string?> WriteParts = new("--write-parts") { Description = "Write the load file that a capture gives, to be read, cut down and sent again." };
    private static readonly Option<string?> ChangePath = new("--change") { Description = "Migration statements and rewrites; without it both sides stay equal, which shows what this machine can tell." };
    private static readonly Option<bool> OneSide = new("--one-side") { Description = "Send to one copy only: compares nothing." };
    private static readonly Option<int> Sessions = new("--sessions") { Description = "Of a load without parts.", DefaultValueFactory = _ => 8 };
    private static readonly Option<string?> Rate = new("--rate") { Description = "Of a load without parts: 50/second, with even or poisson (the usual) behind it, 10 to 100/second for a ramp, 10, 50/second for steps." };
    private static readonly Option<string?> Think = new("--think") { Description = "Of a load without parts or rate: none, 50 ms, uniform 20 ms to 80 ms, exponential 50 ms." };
    private static readonly Option<string?> Commit = new("--commit") { Description = "Of a load without parts: each, or every N." };
    private static readonly Option<double?> For = new("--for") { Description = "Bound on all stints together, in seconds; until it is settled when left out." };
    private static readonly Option<double?> Soak = new("--soak") { Description = "Send the load steadily for so many seconds, on the same copies however they grow: tells what drifts. Not bounded by --for." };
    private static readonly Option<int?> Executions = new("--executions") { Description = "Of a load without parts: so many in a stint at the most." };
    private static readonly Option<double> StintSeconds = new("--stint") { Description = "Seconds of one side's turn.", DefaultValueFactory = _ => 2 };
    private static readonly Option<string?> Limit = new("--limit") { Description = "What has to hold, with --capacity: 'p99<=50ms'." };
    private static readonly Option<bool> Capacity = new("--capacity") { Description = "Search the highest rate at which the limit holds; of a load without rates, measure throughput over numbers of sessions." };
    private static readonly Option<string?> Journal = new("--journal") { Description = "Of a file: the journal mode of both copies, wal or delete; the subject's when left out." };
    private static readonly Option<double> Tolerance = new("--tolerance") { Description = "Percent that counts as level.", DefaultValueFactory = _ => 10 };
    private static readonly Option<ulong> Seed = new("--seed") { Description = "Draws arrivals, statements, values and which side goes first.", DefaultValueFactory = _ => 1 };
    private static readonly Option<double> StatementSeconds = new("--statement-seconds") { Description = "Bound on one execution.", DefaultValueFactory = _ => 30 };
    private static readonly Option<string?> Sides = new("--sides") { Description = "Of a database on a server: copies (default) or dumped." };
    private static readonly Option<int> MostMegabytes = new("--most-megabytes") { Description = "What its processes may take of memory together.", DefaultValueFactory = _ => 700 };
    private static readonly Option<string?> RunAs = new("--run-as") { Description = "On a server: a login made beforehand that everything runs as on copies." };
    private static readonly Option<bool> Trust = new("--trust-this-sql") { Description = "On a server: run statements with the connection's own rights." };
    private static readonly Option<string?> Out = new("--out") { Description = "Write the result as JSON." };
    private static readonly Option<string?> JUnit = new("--junit") { Description = "Write JUnit XML, a test case for each measure." };
    private static readonly Option<string?> Markdown = new("--markdown") { Description = "Write Markdown." };
    private static readonly Option<string?> Html = new("--html") { Description = "Write a page that needs nothing but itself." };
    private static readonly Option<string?> Histograms = new("--histograms") { Description = "Write the latencies of every stint in the log format of HdrHistogram." };

    public static Command Build()
    {
        var command = new Command("rehearse", "Send a load to both sides of a change, on copies, with many sessions at once.")
        {
            Subject, Parts, AsCaptured, Pace, From, To, Form, Prefix, WriteParts, ChangePath, OneSide, Sessions, Rate, Think, Commit, For, Soak, Executions, StintSeconds, Limit, Capacity, Journal, Tolerance, Seed, StatementSeconds, Sides, MostMegabytes, RunAs, Trust, Out, JUnit, Markdown, Html, Histograms,
        };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        string subject = parsed.GetValue(Subject)!;
        string? captured = parsed.GetValue(AsCaptured);
        if ((parsed.GetValue(Parts) is null) == (captured is null))
        {
            return CommandFiles.Refuse("--parts says what is sent, or --as-captured: give one of the two.");
        }

        string loadPath = captured ?? parsed.GetValue(Parts)!;
        string? changePath = parsed.GetValue(ChangePath);
        if (OptionsOf(parsed, out RehearsalOptions options) is { } complaint)
        {
            return CommandFiles.Refuse(complaint);
        }

        Engine engine = KnownEngines.OfSubject(subject);
        if ((captured is null ? CommandFiles.Read(loadPath, "load") : Played(parsed, captured, engine, stop)) is not { } load || (changePath is null ? "" : CommandFiles.Read(changePath, "change")) is not { } change)
        {
            return ExitCode.BadInput;
        }

        Parsed<RehearsalBrief> brief = RehearsalBrief.Read(load, change, engine, options);
        if (!brief.IsGood)
        {
            CommandFiles.Report(brief.Problems, loadPath, changePath);
            return ExitCode.BadInput;
        }

        var access = new TrialOptions(Seed: options.Seed, Engine: engine, Sides: SidesNames.All.GetValueOrDefault(parsed.GetValue(Sides) ?? "copies"), MostMegabytes: parsed.GetValue(MostMegabytes), TrustSql: parsed.GetValue(Trust), RunAs: parsed.GetValue(RunAs));
        LedgerHome home = LedgerHome.FromEnvironment();
        home.SweepCopies();
        using var progress = new TerminalProgress();
        RehearsalAccount account = new(brief.Value, []);
        string state = "finished";
        try
        {
            await new RehearsalRunner(home).RunAsync(
                KnownEngines.IsServer(subject) ? subject : Path.GetFullPath(subject), load, change, brief.Value, access,
                (happened, now) =>
                {
                    account = now;
                    progress.Show(At(now));
                },
                leftOver: Console.Error.WriteLine, stop: stop);
        }
        catch (BenchProcessException e)
        {
            progress.Clear();
            await Console.Error.WriteLineAsync(e.Message);
            state = "interrupted";
        }
        catch (OperationCanceledException)
        {
            progress.Clear();
            await Console.Error.WriteLineAsync("Cancelled; the copies are removed.");
            state = "cancelled";
        }

        progress.Clear();
        if (account.Refusal is { } refusal)
        {
            CommandFiles.Report(refusal.Problems, loadPath, changePath);
            return refusal.BadInput ? ExitCode.BadInput : ExitCode.NotMeasured;
        }

        RehearsalDocument result = RehearsalDocument.Of(account, KnownEngines.Shown(subject), load, change, state, DateTimeOffset.UtcNow.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture));
        return !Write(parsed, result, account) || state != "finished" ? ExitCode.NotMeasured : account.Capacity is null ? account.ExitCode : ExitCode.Good;
    }

    /// <summary>The load file that a capture gives; null where that was refused.</summary>
    private static string? Played(ParseResult parsed, string path, Engine engine, CancellationToken stop)
    {
        double pace = parsed.GetValue(Pace);
        if (!TryMoment(parsed.GetValue(From), out DateTime? from) || !TryMoment(parsed.GetValue(To), out DateTime? to) || pace is not (> 0 and <= 10_000))
        {
            CommandFiles.Refuse("--from and --to read 2026-07-18T19:00:00Z; --pace is a number above 0, up to 10000.");
            return null;
        }

        try
        {
            CapturedLoad? load = null;
            using var stream = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete, 1, FileOptions.SequentialScan);
            string? problem = CapturePlay.Read(stream, new("server", parsed.GetValue(Form), parsed.GetValue(Prefix)), engine,
                spoken => load = new(spoken.Dialect, name => KnownEngines.Named(name)?.Dialect, spoken.Housekeeping), () => load!.IsFull, stop);
            string? text = problem is null ? load!.Text(Path.GetFileName(path), pace, from, to) : null;
            if (text is null)
            {
                CommandFiles.Refuse($"{path}: {problem ?? $"nothing in it can be sent again{string.Concat(load!.LeftOut.Select(l => $"; {l.Value} {l.Key}"))}."}");
                return null;
            }

            Console.Error.WriteLine(string.Join('\n', text.Split('\n').TakeWhile(l => l.Length > 0).Select(l => l[3..])));
            return CommandFiles.Write((parsed.GetValue(WriteParts), () => text)) ? text : null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            CommandFiles.Refuse($"'{path}' cannot be read: {e.Message}");
            return null;
        }
    }

    private static bool TryMoment(string? text, out DateTime? at)
    {
        bool good = DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out DateTimeOffset given);
        at = good ? given.UtcDateTime : null;
        return good || text is null;
    }

    /// <summary>Where it is, in a line.</summary>
    private static string At(RehearsalAccount account)
    {
        if (account.Stage is { Stage: not TrialStage.Measuring } stage)
        {
            return $"{stage.Stage} {stage.Detail}";
        }

        string tried = account.Capacity is { Tried: [.., var last] } ? $", {last.Side.ToString().ToLowerInvariant()} at {last.Offered:0.#}" : "";
        string now = account.Stints.Count > 0 && account.Stints[^1] is { All.Latency: { } l } stint ? $", {stint.Side.ToString().ToLowerInvariant()} {stint.All.PerSecond:0}/s, p99 {l.P99:0.###} ms" : "";
        return string.Create(CultureInfo.InvariantCulture, $"{account.Stints.Count} stints of {account.Brief.Options.TurnSeconds:0.#} s{now}{tried}");
    }

    /// <returns>What is wrong with the options; null where nothing is.</returns>
    private static string? OptionsOf(ParseResult parsed, out RehearsalOptions options)
    {
        options = new();
        RateCourse? rate = parsed.GetValue(Rate) is { } r ? LoadFile.ReadRate(r) : null;
        ThinkTime? think = parsed.GetValue(Think) is { } t ? LoadFile.ReadThink(t) : null;
        LoadLimit? limit = parsed.GetValue(Limit) is { } l ? LoadLimit.Read(l) : null;
        int commit = parsed.GetValue(Commit) is { } c ? LoadFile.ReadCommit(c) ?? 0 : 1;
        bool capacity = parsed.GetValue(Capacity);
        if (parsed.GetValue(Rate) is not null && rate is null)
        {
            return "--rate reads 50/second, 10 to 100/second, or 10, 50, 10/second, with even or poisson behind it.";
        }

        if (parsed.GetValue(Think) is not null && think is null)
        {
            return "--think reads none, 50ms, 'uniform 20ms to 80ms', or 'exponential 50ms'.";
        }

        if (parsed.GetValue(Limit) is not null && limit is null)
        {
            return "--limit reads 'p99<=50ms', with mean, p50, p95 or p99.";
        }

        if (commit == 0)
        {
            return "--commit reads each, or 'every 100'.";
        }

        if (limit is not null && !capacity)
        {
            return "--limit says what has to hold while --capacity searches: give both.";
        }

        if (parsed.GetValue(Journal) is { } journal && journal is not ("wal" or "delete" or "truncate" or "persist"))
        {
            return "--journal is wal, delete, truncate or persist.";
        }

        if (parsed.GetValue(Sessions) is < 1 or > LoadFile.MostSessions)
        {
            return $"--sessions is from 1 to {LoadFile.MostSessions}.";
        }

        if (parsed.GetValue(Sides) is { } sides && sides is not ("copies" or "dumped"))
        {
            return "--sides is copies or dumped: a rehearsal writes, and wants private copies.";
        }

        if (parsed.GetValue(For) is <= 0 or double.NaN || parsed.GetValue(Tolerance) is not (> 0 and <= 1000) || parsed.GetValue(Executions) is <= 0)
        {
            return "--for, --tolerance and --executions are numbers above 0.";
        }

        if (parsed.GetValue(Soak) is not null && parsed.GetValue(For) is not null)
        {
            return "--soak says how long it lasts, and so does --for: give one of the two.";
        }

        options = new(parsed.GetValue(StintSeconds), parsed.GetValue(Seed), parsed.GetValue(Soak) ?? parsed.GetValue(For), parsed.GetValue(Tolerance) / 100, parsed.GetValue(OneSide), StatementSeconds: parsed.GetValue(StatementSeconds),
            Usual: new(parsed.GetValue(Sessions), think, rate, commit, parsed.GetValue(Executions)), Limit: limit, SessionCurve: capacity && limit is null, Journal: parsed.GetValue(Journal), Soak: parsed.GetValue(Soak) is not null);
        return null;
    }

    private static bool Write(ParseResult parsed, RehearsalDocument result, RehearsalAccount account)
    {
        Console.Out.Write(parsed.GetValue(Out) is null ? RehearsalTable.Plain(result) : result.Headline + "\n");
        return CommandFiles.Write(
            (parsed.GetValue(Out), result.ToJson),
            (parsed.GetValue(JUnit), () => RehearsalTable.JUnit(result)),
            (parsed.GetValue(Markdown), () => RehearsalTable.Markdown(result)),
            (parsed.GetValue(Html), () => RehearsalTable.Html(result)),
            (parsed.GetValue(Histograms), () => HistogramLog.Write(account.Stints, DateTime.UtcNow)));
    }
}
