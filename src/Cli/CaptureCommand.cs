using System.CommandLine;
using System.Globalization;
using SwiftLedger.Bench;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;
using SwiftLedger.Web;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger capture</c>: reads what was executed into a book's daybook.</summary>
internal static class CaptureCommand
{
    private static readonly Argument<string[]> Paths = new("path") { Description = "Files or folders, plain or gzip; - for standard input.", Arity = ArgumentArity.OneOrMore };
    private static readonly Option<string> Book = new("--book") { Description = "Name of the book; opened when there is none yet.", Required = true };
    private static readonly Option<string> Source = new("--source") { Description = "The server or application instance.", DefaultValueFactory = _ => "server" };
    private static readonly Option<string?> Form = new("--form") { Description = $"{string.Join(", ", CaptureForms.Names)}; found out when left out." };
    private static readonly Option<string?> EngineName = new("--engine") { Description = $"{string.Join(", ", KnownEngines.All)}: whose statements they are, where the capture does not say; left out, that of the book's database." };
    private static readonly Option<string?> Prefix = new("--prefix") { Description = "The server's log_line_prefix; the usual ones are tried when left out." };
    private static readonly Option<int> Most = new("--most-patterns") { Description = "New patterns beyond this many count as everything else.", DefaultValueFactory = _ => 20_000 };

    private static readonly Option<string?> Columns = new("--columns") { Description = $"What the columns of a CSV file hold, by name or number: 'at=started, ms=took, sql=query'. Fields: {string.Join(", ", CsvColumns.Fields)}." };
    private static readonly Option<long?> ApartCalls = new("--apart-calls") { Description = "Patterns are kept apart from so many calls on; before, they count as everything else." };
    private static readonly Option<double?> ApartSeconds = new("--apart-seconds") { Description = "Or from so much time in the database on." };
    private static readonly Option<double?> ApartShare = new("--apart-share") { Description = "Or from such a share of all time on, in percent." };

    public static Command Build()
    {
        var command = new Command("capture", "Read a log or trace of executed statements into a book.")
        {
            Paths, Book, Source, Form, EngineName, Prefix, Columns, Most, ApartCalls, ApartSeconds, ApartShare,
        };
        command.SetAction((parsed, stop) => Task.Run(() => Run(parsed, stop), stop));
        return command;
    }

    private static int Run(ParseResult parsed, CancellationToken stop)
    {
        (IReadOnlyList<string> files, string? wrong) = CaptureFiles.Of(parsed.GetValue(Paths)!, Console.Error.WriteLine);
        if (wrong is not null)
        {
            Console.Error.WriteLine(wrong);
            return ExitCode.BadInput;
        }

        if (parsed.GetValue(EngineName) is { } engine && KnownEngines.Named(engine) is null)
        {
            Console.Error.WriteLine($"'{engine}' is no engine whose statements are known; there are {string.Join(", ", KnownEngines.All)}.");
            return ExitCode.BadInput;
        }

        var ledger = new LedgerDatabase(LedgerHome.FromEnvironment().LedgerFile);
        BookRecord book = new BookStore(ledger, TimeProvider.System).OpenByName(parsed.GetValue(Book)!);
        var import = new CaptureImport(new(ledger, TimeProvider.System));
        var apart = new KeepApart(
            parsed.GetValue(Most), parsed.GetValue(ApartCalls), parsed.GetValue(ApartSeconds) is { } s ? TimeSpan.FromSeconds(s) : null, parsed.GetValue(ApartShare) / 100);
        var request = new CaptureRequest(parsed.GetValue(Source)!.Trim(), parsed.GetValue(Form), parsed.GetValue(Prefix), parsed.GetValue(Columns), apart)
        {
            Engine = parsed.GetValue(EngineName) is { } named ? KnownEngines.Named(named) : null,
        };
        bool readable = true;
        foreach (CaptureReport report in CaptureFiles.Read(import, book.Id, files, request, stop))
        {
            Print(report);
            readable &= report.Problem is null || report.Statements > 0;
        }

        return readable ? ExitCode.Good : ExitCode.BadInput;
    }

    private static void Print(CaptureReport report)
    {
        string form = report.Form.Length > 0 ? $" ({report.Form})" : "";
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture,
            $"{report.Name}{form}: {Figures.Count(report.Statements)} statements from {report.Bytes / 1e6:0.0} MB"));
        if (report.SkippedBytes > 0)
        {
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"  {report.SkippedBytes / 1e6:0.0} MB were read before and are not counted again"));
        }

        if (report.UnreadBytes > 0)
        {
            Console.WriteLine($"  the last {report.UnreadBytes} bytes are no whole entry yet; they are read when more has come");
        }

        if (report.NotKeptApart > 0)
        {
            Console.WriteLine($"  {Figures.Count(report.NotKeptApart)} statements count as everything else: their patterns are too rare, or the book keeps no more apart");
        }

        if (report.ToldAlready > 0)
        {
            Console.WriteLine($"  {Figures.Count(report.ToldAlready)} statements are left out: the same log was read in another form, and each counts once");
        }

        if (report.Again > 0)
        {
            Console.WriteLine($"  {Figures.Count(report.Again)} spans are left out: another one around or within them is of the same execution, or they came twice");
        }

        if (report.Aside is { Own: var own, Housekeeping: var housekeeping } && own + housekeeping > 0)
        {
            Console.WriteLine($"  apart stand {Figures.Count(own)} statements of Swift Ledger's own and {Figures.Count(housekeeping)} of the engine's housekeeping");
        }

        foreach (Rejection rejection in report.Rejections)
        {
            Console.WriteLine($"  {Figures.Count(rejection.Count)} x {rejection.Reason} First in line {rejection.FirstLine}.");
        }

        if (report.Problem is { } problem)
        {
            Console.Error.WriteLine($"{report.Name}: {problem}");
        }
    }
}
