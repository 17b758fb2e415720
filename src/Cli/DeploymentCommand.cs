using System.CommandLine;
using System.Globalization;
using SwiftLedger.Bench;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger deployment</c>: records that something went live.</summary>
internal static class DeploymentCommand
{
    private static readonly Option<string> Book = new("--book") { Description = "Name of the book.", Required = true };
    private static readonly Option<string?> At = new("--at") { Description = "When, as 2026-07-11T10:00:00Z; now when left out." };
    private static readonly Option<string> Version = new("--deployed") { Description = "What is live now: a version, a tag or a commit.", DefaultValueFactory = _ => "" };
    private static readonly Option<string> What = new("--what") { Description = "What it changes, in a few words.", DefaultValueFactory = _ => "" };
    private static readonly Option<string?> Script = new("--script") { Description = "The migration script that ran." };

    private static readonly Option<int?> OfEntry = new("--entry") { Description = "Number of the ledger's entry that it brings." };
    private static readonly Option<string> By = new("--by") { Description = "Who says so, with --entry.", DefaultValueFactory = _ => Environment.UserName };

    public static Command Build()
    {
        var command = new Command("deployment", "Record that something went live, so that the daybook can tell before from after.") { Book, At, Version, What, Script, OfEntry, By };
        command.SetAction(Run);
        return command;
    }

    private static int Run(ParseResult parsed)
    {
        DateTime at = DateTime.UtcNow;
        if (parsed.GetValue(At) is { } text)
        {
            if (!DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out DateTimeOffset given))
            {
                Console.Error.WriteLine($"'{text}' is no time; write 2026-07-11T10:00:00Z.");
                return ExitCode.BadInput;
            }

            at = given.UtcDateTime;
        }

        string? script = parsed.GetValue(Script);
        if (script is not null && !File.Exists(script))
        {
            Console.Error.WriteLine($"There is no file '{script}'.");
            return ExitCode.BadInput;
        }

        var ledger = new LedgerDatabase(LedgerHome.FromEnvironment().LedgerFile);
        BookRecord book = new BookStore(ledger, TimeProvider.System).OpenByName(parsed.GetValue(Book)!);
        if (parsed.GetValue(OfEntry) is { } number && Carried(new(ledger, TimeProvider.System), book.Id, number, at, parsed) is { } refusal)
        {
            return CommandFiles.Refuse(refusal);
        }

        DeploymentRecord recorded = new DeploymentStore(ledger).Record(
            book.Id, at, parsed.GetValue(Version)!, parsed.GetValue(What)!, script is null ? "" : File.ReadAllText(script));
        Console.WriteLine($"Recorded in '{book.Name}': {recorded.Version} {recorded.What}".TrimEnd());
        return ExitCode.Good;
    }

    /// <summary>Posts that an entry is live.</summary>
    /// <returns>Why not; null where it was posted.</returns>
    private static string? Carried(EntryStore entries, long book, int number, DateTime at, ParseResult parsed)
    {
        try
        {
            return entries.Carry(book, number, EntryState.Deployed, parsed.GetValue(By)!, e => e with
            {
                Reason = parsed.GetValue(What)!,
                Deployment = new(at.ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture), parsed.GetValue(Version)!, "by hand"),
            }).Refusal;
        }
        catch (LedgerException e)
        {
            return e.Message;
        }
    }
}
