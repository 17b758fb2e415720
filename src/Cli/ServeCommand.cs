using System.CommandLine;
using System.Data.Common;
using System.Net;
using System.Net.NetworkInformation;
using System.Net.Sockets;
using System.Security.Cryptography;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;
using SwiftLedger.Bench;
using SwiftLedger.Cli.Live;
using SwiftLedger.Core.Trials;
using SwiftLedger.Demo;
using SwiftLedger.Demo.Live;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;
using SwiftLedger.Web;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger serve</c> and <c>swift-ledger demo</c>.</summary>
internal static class ServeCommand
{
    private const int DefaultPort = 5470;

    private static readonly Option<int> Port = new("--port") { Description = "Port to listen on; the next free one when it is taken.", DefaultValueFactory = _ => DefaultPort };
    private static readonly Option<string> Listen = new("--listen") { Description = "Address to listen on; any but loopback asks for a token.", DefaultValueFactory = _ => "127.0.0.1" };
    private static readonly Option<bool> Live = new("--live") { Description = "With a stand-in for the application, which runs, is deployed and is held while you look on." };
    private static readonly Option<double> Scale = new("--scale") { Description = "Size of the demo data.", DefaultValueFactory = _ => 1 };

    private static readonly Option<string?> AlertsFile = new("--alerts-file") { Description = "Append alerts to this file, a line of JSON each (CloudEvents)." };
    private static readonly Option<string?> AlertsRun = new("--alerts-run") { Description = "Run this program for each alert, with the event on its standard input; never by a shell." };
    private static readonly Option<string[]> AlertsRunWith = new("--alerts-run-with") { Description = "An argument of that program; may be given several times.", DefaultValueFactory = _ => [] };
    private static readonly Option<string?> AlertsPost = new("--alerts-post") { Description = "Send each alert to this http or https address (CloudEvents)." };
    private static readonly Option<double> AlertsSeconds = new("--alerts-seconds") { Description = "What one try may take.", DefaultValueFactory = _ => 10 };

    private static readonly Option[] AlertOptions = [AlertsFile, AlertsRun, AlertsRunWith, AlertsPost, AlertsSeconds];

    public static Command BuildServe()
    {
        var command = new Command("serve", "Start the web interface.") { Port, Listen };
        Array.ForEach(AlertOptions, command.Add);
        command.SetAction((parsed, stop) => RunAsync(parsed, demoScale: null, live: false, stop));
        return command;
    }

    public static Command BuildDemo()
    {
        var command = new Command("demo", "Make the demo data and start the web interface with a trial under way.") { Port, Listen, Scale, Live };
        foreach (Option option in DemoTargets.Options)
        {
            command.Add(option);
        }

        Array.ForEach(AlertOptions, command.Add);
        command.SetAction((parsed, stop) => RunAsync(parsed, parsed.GetValue(Scale), parsed.GetValue(Live), stop));
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, double? demoScale, bool live, CancellationToken stop)
    {
        string listen = parsed.GetValue(Listen)!;
        int port = parsed.GetValue(Port);
        if (!IPAddress.TryParse(listen, out IPAddress? address))
        {
            await Console.Error.WriteLineAsync($"'{listen}' is not an IP address.");
            return ExitCode.BadInput;
        }

        if (port is < 0 or > 65_535 || demoScale is not (null or (> 0 and <= 100)))
        {
            await Console.Error.WriteLineAsync("--port is a number up to 65535; --scale is a number above 0, 100 at most.");
            return ExitCode.BadInput;
        }

        if (live && !IPAddress.IsLoopback(address))
        {
            await Console.Error.WriteLineAsync("--live wants a loopback address: the stand-in sends to it without a token.");
            return ExitCode.BadInput;
        }

        if (ProblemOf(parsed) is { } problem)
        {
            await Console.Error.WriteLineAsync(problem);
            return ExitCode.BadInput;
        }

        LedgerHome home = LedgerHome.FromEnvironment();
        int free = FreePort(address, port);
        if (free != port)
        {
            Console.WriteLine($"Port {port} is taken; using {free}.");
        }

        string shown = $"http://{(address.AddressFamily == AddressFamily.InterNetworkV6 ? $"[{address}]" : address)}:{free}";
        using IDisposable claim = home.Claim(shown);
        string? token = IPAddress.IsLoopback(address) ? null
            : Environment.GetEnvironmentVariable("SWIFT_LEDGER_TOKEN") is { Length: > 0 } set ? set : RandomNumberGenerator.GetHexString(32, lowercase: true);
        string page = "/";
        if (demoScale is { } scale && !live)
        {
            page = $"/books/{PrepareDemo(home, scale)}";
        }

        var clock = new LiveClock(DateTimeOffset.UtcNow, LiveDemo.Pace);
        var desk = new LiveDesk();
        await using WebApplication app = LedgerServer.Build(new(home, address, free, token, InterfaceFolder(), live ? clock : null, AlertsOf(parsed)));
        LiveDesk.Map(app, desk);
        (ILiveStage Stage, BookRecord Book, LivePlace Place)? prepared = null;
        if (demoScale is { } made)
        {
            (bool good, FilledDemo? filled) = DemoTargets.Fill(parsed, () => MakeDemo(home, made));
            if (!good)
            {
                return ExitCode.BadInput;
            }

            if (live)
            {
                (prepared, string? refusal) = PrepareLive(app.Services, filled, () => MakeDemo(home, made));
                if (prepared is not { } ready)
                {
                    await Console.Error.WriteLineAsync($"The database of the live demo could not be made: {refusal}");
                    return ExitCode.BadInput;
                }

                page = $"/books/{ready.Book.Id}";
            }
            else if (filled is not null)
            {
                OpenBook(app.Services, filled);
            }
        }

        await app.StartAsync(stop);
        Console.WriteLine($"Swift Ledger: {shown}{page}{(token is null ? "" : $"?token={token}")}");
        Console.WriteLine("Ctrl+C stops it.");
        if (prepared is { } stage)
        {
            Console.WriteLine($"The huts' application runs with a clock that is {LiveDemo.Pace:0} times as fast: a day is over in {TimeSpan.FromDays(1) / LiveDemo.Pace:m\\:ss}.");
            using var ending = CancellationTokenSource.CreateLinkedTokenSource(stop, app.Lifetime.ApplicationStopping);
            await LiveDemo.RunAsync(app.Services, new Uri(shown), stage.Stage, stage.Book, stage.Place, clock, desk, ending.Token);
        }

        await app.WaitForShutdownAsync(stop);
        return ExitCode.Good;
    }

    /// <summary>What is wrong with where alerts are to go; null where nothing is.</summary>
    private static string? ProblemOf(ParseResult parsed) => parsed switch
    {
        _ when parsed.GetValue(AlertsRun) is { } program && !File.Exists(program) => $"There is no program '{program}': --alerts-run wants the path of one.",
        _ when parsed.GetValue(AlertsRunWith) is { Length: > 0 } && parsed.GetValue(AlertsRun) is null => "--alerts-run-with belongs to --alerts-run.",
        _ when parsed.GetValue(AlertsFile) is { } file && (Directory.Exists(file) || !Directory.Exists(Path.GetDirectoryName(Path.GetFullPath(file)))) => $"'{file}' cannot be a file: --alerts-file wants one in a folder that is there.",
        _ when parsed.GetValue(AlertsPost) is { } address && !(Uri.TryCreate(address, UriKind.Absolute, out Uri? uri) && uri.Scheme is "http" or "https") => $"'{address}' is no http or https address.",
        _ when parsed.GetValue(AlertsSeconds) is not (>= 0.1 and <= 300) => "--alerts-seconds is a number from 0.1 to 300.",
        _ => null,
    };

    private static AlertChannels AlertsOf(ParseResult parsed) => new(
        parsed.GetValue(AlertsFile) is { } file ? Path.GetFullPath(file) : null, parsed.GetValue(AlertsRun) is { } program ? Path.GetFullPath(program) : null, parsed.GetValue(AlertsRunWith) ?? [],
        parsed.GetValue(AlertsPost) is { } address ? new(address) : null, TimeSpan.FromSeconds(parsed.GetValue(AlertsSeconds)));

    /// <returns>The number of the demo's book.</returns>
    private static long PrepareDemo(LedgerHome home, double scale)
    {
        DemoScenario scenario = MakeDemo(home, scale);
        var ledger = new LedgerDatabase(home.LedgerFile);
        var books = new BookStore(ledger, TimeProvider.System);
        var trials = new TrialStore(ledger, TimeProvider.System);
        BookRecord book = books.Open(scenario.DatabasePath, DemoScenario.BookName);
        books.KeepWorkload(book.Id, scenario.Workload, "the example");
        ReadDemoCaptures(ledger, book.Id, scenario);
        List<ChangeRecord> changes = scenario.Changes.Select(c => books.KeepChange(book.Id, c.Title, c.Note, c.Text)).ToList();
        KeepLoads(new(ledger, TimeProvider.System), book.Id, scenario);
        if (trials.OfBook(book.Id).All(t => t.State is not (TrialState.Waiting or TrialState.Running)))
        {
            ChangeRecord first = changes[0];
            trials.Add(book.Id, first.Id, first.Title, scenario.Workload, first.Text, new TrialOptions());
        }

        return book.Id;
    }

    private static DemoScenario MakeDemo(LedgerHome home, double scale)
    {
        string folder = DemoFolder(home, scale);
        if (!File.Exists(Path.Combine(folder, "huts.db")))
        {
            Console.WriteLine("Making the demo data; it is kept for the next start.");
        }

        return DemoScenario.MakeIn(folder, scale);
    }

    /// <returns>Where it runs, or why it cannot.</returns>
    private static ((ILiveStage, BookRecord, LivePlace)? Prepared, string? Refusal) PrepareLive(IServiceProvider services, FilledDemo? filled, Func<DemoScenario> scenario)
    {
        ILiveStage stage = filled is null ? LiveStages.All[0] : LiveStages.Of(filled.Server.Engine.Id);
        LivePlace demo = filled is null ? new(scenario().DatabasePath, scenario().DatabasePath) : new(filled.Address, filled.Connection);
        try
        {
            (BookRecord book, LivePlace place) = LiveDemo.Prepare(services, stage, demo);
            return ((stage, book, place), null);
        }
        catch (Exception e) when (e is DbException or IOException)
        {
            return (null, e.Message);
        }
    }

    private static string DemoFolder(LedgerHome home, double scale) =>
        Path.Combine(home.Demo, scale == 1 ? "huts" : $"huts-{scale.ToString(System.Globalization.CultureInfo.InvariantCulture)}");

    /// <summary>A second book: the same changes, on a server.</summary>
    private static void OpenBook(IServiceProvider services, FilledDemo filled)
    {
        BookStore books = services.GetRequiredService<BookStore>();
        BookRecord book = books.Open(services.GetRequiredService<SubjectPasswords>().PutAway(filled.Address, null), $"{DemoScenario.BookName} on {filled.Server.Engine.Name}");
        books.KeepWorkload(book.Id, filled.Scenario.Workload, "the example");
        foreach (DemoChange change in filled.Scenario.Changes)
        {
            books.KeepChange(book.Id, change.Title, change.Note, change.Text);
        }

        KeepLoads(services.GetRequiredService<RehearsalStore>(), book.Id, filled.Scenario);
    }

    private static void KeepLoads(RehearsalStore rehearsals, long book, DemoScenario scenario)
    {
        const double most = 90;
        foreach (DemoLoad load in scenario.Loads)
        {
            rehearsals.Keep(book, load.Title, load.Note, load.Text, load.Change, new(MaxSeconds: most, Journal: load.Journal));
        }
    }

    private static void ReadDemoCaptures(LedgerDatabase ledger, long book, DemoScenario scenario)
    {
        var deployments = new DeploymentStore(ledger);
        if (deployments.OfBook(book).Count == 0)
        {
            foreach (DemoDeployment d in HutsCaptures.Deployments)
            {
                deployments.Record(book, d.At, d.Version, d.What, d.Script);
            }
        }

        // The same readers as for any file: one that was read before costs nothing.
        var import = new CaptureImport(new(ledger, TimeProvider.System));
        foreach (string file in scenario.Captures)
        {
            using FileStream stream = File.OpenRead(file);
            import.Read(book, stream, Path.GetFileName(file), new(Path.GetFileNameWithoutExtension(file)));
        }
    }

    private static int FreePort(IPAddress address, int wanted)
    {
        var taken = IPGlobalProperties.GetIPGlobalProperties().GetActiveTcpListeners()
            .Where(l => l.Address.Equals(address) || l.Address.Equals(IPAddress.Any) || l.Address.Equals(IPAddress.IPv6Any))
            .Select(l => l.Port).ToHashSet();
        int port = wanted;
        while (port != 0 && taken.Contains(port) && port < 65_535)
        {
            port++;
        }

        return port;
    }

    /// <summary>Beside the program when it is published, in the repository when it is run from there.</summary>
    private static string InterfaceFolder()
    {
        string? set = Environment.GetEnvironmentVariable("SWIFT_LEDGER_UI");
        return string.IsNullOrEmpty(set) ? Path.Combine(AppContext.BaseDirectory, "ui") : set;
    }
}
