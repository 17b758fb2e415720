using System.CommandLine;
using System.Globalization;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Store;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger keep</c>: what the server does for a book again and again.</summary>
internal static class KeepCommand
{
    private const double Shortest = 10, Longest = 7 * 86_400;

    private static readonly Option<string> Book = new("--book") { Description = "Name of the book.", Required = true };
    private static readonly Option<string> Name = new("--name") { Description = "Of the round; one of the same name is replaced.", Required = true };
    private static readonly Option<double> Every = new("--every") { Description = "Seconds from one to the next.", DefaultValueFactory = _ => 300 };
    private static readonly Option<string[]> Capture = new("--capture") { Description = "Files or folders of logs or traces: what they hold since the last time is read.", AllowMultipleArgumentsPerToken = true, DefaultValueFactory = _ => [] };
    private static readonly Option<string> Source = new("--source") { Description = "Of a capture: the server or application instance.", DefaultValueFactory = _ => "server" };
    private static readonly Option<string?> Form = new("--form") { Description = $"Of a capture: {string.Join(", ", CaptureForms.Names)}; found out when left out." };
    private static readonly Option<string?> Prefix = new("--prefix") { Description = "Of a capture: the server's log_line_prefix; the usual ones are tried when left out." };
    private static readonly Option<string?> EngineName = new("--engine") { Description = $"Of a capture: {string.Join(", ", KnownEngines.All)}; left out, that of the book's database." };
    private static readonly Option<bool> Catalogue = new("--catalogue") { Description = "Look at the tables, indexes and views of the book's database: a change that no log tells of is noticed." };
    private static readonly Option<double?> Watch = new("--watch") { Description = "Look at the sessions of the book's server for so many seconds." };
    private static readonly Option<int> PileUp = new("--pile-up") { Description = "Of a watch: keep everything that is seen when so many sessions are active.", DefaultValueFactory = _ => 20 };

    public static Command Build()
    {
        var add = new Command("add", "Keep a round: a capture that is read, a server that is watched, or a catalogue that is looked at, again and again.") { Book, Name, Every, Capture, Source, Form, Prefix, EngineName, Watch, PileUp, Catalogue };
        add.SetAction(Add);
        var drop = new Command("drop", "Let a round go; what it brought stays.") { Book, Name };
        drop.SetAction(Drop);
        var list = new Command("list", "The rounds of a book, and what came of each.") { Book };
        list.SetAction(List);
        return new Command("keep", "What the server (serve) does for a book again and again, as long as it runs.") { add, drop, list };
    }

    private static int Add(ParseResult parsed)
    {
        string[] paths = [.. parsed.GetValue(Capture)!.Select(p => p == "-" ? p : Path.GetFullPath(p))];
        double? watch = parsed.GetValue(Watch);
        double every = parsed.GetValue(Every);
        bool catalogue = parsed.GetValue(Catalogue);
        string? wrong = new[] { paths.Length > 0, watch is not null, catalogue }.Count(w => w) != 1 ? "A round reads a --capture, does a --watch, or looks at the --catalogue: one of them."
            : paths.Contains("-") ? "A round reads files: standard input is gone after the first time."
            : paths.FirstOrDefault(p => !File.Exists(p) && !Directory.Exists(p)) is { } missing ? $"There is no file or folder '{missing}'."
            : !(every >= Shortest && every <= Longest) ? string.Create(CultureInfo.InvariantCulture, $"--every is a number of seconds from {Shortest} to {Longest}.")
            : watch is { } seconds && !(seconds >= 1 && seconds < every) ? "--watch is a number of seconds from 1 to less than --every."
            : parsed.GetValue(PileUp) < 1 ? "--pile-up is a number above 0."
            : parsed.GetValue(EngineName) is { } engine && KnownEngines.Named(engine) is null ? $"'{engine}' is no engine whose statements are known; there are {string.Join(", ", KnownEngines.All)}."
            : parsed.GetValue(Form) is { } form && !CaptureForms.Names.Contains(form) ? $"'{form}' is no form of a capture; there are {string.Join(", ", CaptureForms.Names)}."
            : string.IsNullOrWhiteSpace(parsed.GetValue(Name)) ? "--name says what the round is called."
            : null;
        if (wrong is not null)
        {
            Console.Error.WriteLine(wrong);
            return ExitCode.BadInput;
        }

        LedgerDatabase ledger = Ledger();
        var books = new BookStore(ledger, TimeProvider.System);
        BookRecord book = paths.Length > 0 ? books.OpenByName(parsed.GetValue(Book)!) : books.All().FirstOrDefault(b => b.Name == parsed.GetValue(Book)) ?? new();
        if (watch is not null && !(book.Subject is { } subject && KnownEngines.IsServer(subject)))
        {
            Console.Error.WriteLine($"'{parsed.GetValue(Book)}' is no book of a database on a server: there is nothing to watch.");
            return ExitCode.BadInput;
        }

        if (catalogue && book.Subject is null)
        {
            Console.Error.WriteLine($"'{parsed.GetValue(Book)}' is no book of a database: there is no catalogue to look at.");
            return ExitCode.BadInput;
        }

        var rounds = new RoundStore(ledger);
        string name = parsed.GetValue(Name)!.Trim();
        if (watch is { } length)
        {
            rounds.Keep(book.Id, name, new RoundWatch(length, parsed.GetValue(PileUp)), TimeSpan.FromSeconds(every), DateTimeOffset.UtcNow);
        }
        else if (catalogue)
        {
            rounds.KeepLooking(book.Id, name, TimeSpan.FromSeconds(every), DateTimeOffset.UtcNow);
        }
        else
        {
            rounds.Keep(book.Id, name, new RoundCapture(paths, parsed.GetValue(Source)!.Trim(), parsed.GetValue(Form), parsed.GetValue(Prefix), parsed.GetValue(EngineName)), TimeSpan.FromSeconds(every), DateTimeOffset.UtcNow);
        }

        Console.WriteLine($"{name} is kept for {book.Name}. A server that runs on this ledger does it, the first time at once: ./swift-ledger serve");
        return ExitCode.Good;
    }

    private static int Drop(ParseResult parsed)
    {
        LedgerDatabase ledger = Ledger();
        if (BookOf(ledger, parsed) is { } book && new RoundStore(ledger).Drop(book.Id, parsed.GetValue(Name)!.Trim()))
        {
            return ExitCode.Good;
        }

        Console.Error.WriteLine($"There is no round '{parsed.GetValue(Name)}' of a book '{parsed.GetValue(Book)}'.");
        return ExitCode.BadInput;
    }

    private static int List(ParseResult parsed)
    {
        LedgerDatabase ledger = Ledger();
        if (BookOf(ledger, parsed) is not { } book)
        {
            Console.Error.WriteLine($"There is no book '{parsed.GetValue(Book)}'.");
            return ExitCode.BadInput;
        }

        foreach (RoundRecord round in new RoundStore(ledger).OfBook(book.Id))
        {
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{round.Name}: {round.Kind} every {round.EverySeconds} s, done {round.Runs} times, next {round.NextAt}{(round.LastAt is null ? "" : $"\n  {round.LastAt}: {round.Problem ?? round.Told}")}"));
        }

        return ExitCode.Good;
    }

    private static LedgerDatabase Ledger() => new(LedgerHome.FromEnvironment().LedgerFile);

    private static BookRecord? BookOf(LedgerDatabase ledger, ParseResult parsed) => new BookStore(ledger, TimeProvider.System).All().FirstOrDefault(b => b.Name == parsed.GetValue(Book));
}
