using System.CommandLine;
using SwiftLedger.Bench;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Store;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger ledger</c> takes a book's entries out and in; <c>swift-ledger verify</c> finds whether any was altered.</summary>
internal static class LedgerCommand
{
    private static readonly Option<string> Book = new("--book") { Description = "Name of the book.", Required = true };
    private static readonly Option<string?> Out = new("--out") { Description = "Where to; standard output when left out." };
    private static readonly Argument<string> Import = new("file") { Description = "JSON lines, as export writes them." };

    private static readonly Option<string> Author = new("--author") { Description = "Who decides so.", Required = true };
    private static readonly Option<string> Reason = new("--reason") { Description = "Why: what is known of how it came to be.", Required = true };

    private static readonly Option<string?> VerifiedBook = new("--book") { Description = "Name of the book; all of them when left out." };
    private static readonly Option<string?> VerifiedFile = new("--file") { Description = "An export instead of a book." };
    private static readonly Option<string?> Digest = new("--digest") { Description = "The latest digest as it was noted elsewhere: without it nobody can tell whether entries were cut off at the end." };

    public static Command Build()
    {
        var export = new Command("export", "Write a book's entries as JSON lines, one each.") { Book, Out };
        export.SetAction(Export);
        var import = new Command("import", "Take entries over into a book that has none of them, or their beginning.") { Import, Book };
        import.SetAction(TakeIn);
        var resume = new Command("go-on", "Go on behind a ledger that was edited: what stands there is sealed as it stands, and takes entries again.") { Book, Author, Reason };
        resume.SetAction(GoOn);
        return new("ledger", "The entries of a book.") { export, import, resume };
    }

    public static Command BuildVerify()
    {
        var verify = new Command("verify", "Hold each entry against its digest, and against the one before.") { VerifiedBook, VerifiedFile, Digest };
        verify.SetAction(Verify);
        return verify;
    }

    private static int Export(ParseResult parsed)
    {
        (BookStore books, EntryStore entries) = Open();
        if (Named(books, parsed.GetValue(Book)!) is not { } book)
        {
            return ExitCode.BadInput;
        }

        string text = string.Concat(entries.Lines(book.Id).Select(l => l + "\n"));
        if (parsed.GetValue(Out) is { } path)
        {
            return CommandFiles.Write((path, () => text)) ? ExitCode.Good : ExitCode.BadInput;
        }

        Console.Out.Write(text);
        return ExitCode.Good;
    }

    private static int TakeIn(ParseResult parsed)
    {
        if (LinesOf(parsed.GetValue(Import)!) is not { } lines)
        {
            return ExitCode.BadInput;
        }

        (BookStore books, EntryStore entries) = Open();
        try
        {
            BookRecord book = books.OpenByName(parsed.GetValue(Book)!);
            Console.WriteLine($"{entries.Import(book.Id, lines)} entries are new in '{book.Name}'.");
            return ExitCode.Good;
        }
        catch (Exception e) when (e is LedgerException or System.Text.Json.JsonException)
        {
            return CommandFiles.Refuse(e.Message);
        }
    }

    private static int GoOn(ParseResult parsed)
    {
        (BookStore books, EntryStore entries) = Open();
        if (Named(books, parsed.GetValue(Book)!) is not { } book)
        {
            return ExitCode.BadInput;
        }

        if (string.IsNullOrWhiteSpace(parsed.GetValue(Author)) || string.IsNullOrWhiteSpace(parsed.GetValue(Reason)))
        {
            return CommandFiles.Refuse("Who goes on behind an edited ledger says who it is, and why.");
        }

        if (entries.GoOn(book.Id, parsed.GetValue(Author)!.Trim(), parsed.GetValue(Reason)!.Trim()) is not { } posted)
        {
            return CommandFiles.Refuse($"The ledger of '{book.Name}' holds: there is nothing to go on behind.");
        }

        Console.WriteLine($"{book.Name}: entry {posted.Number} goes on. {posted.Headline} That stays told.");
        return ExitCode.Good;
    }

    private static int Verify(ParseResult parsed)
    {
        if (parsed.GetValue(VerifiedFile) is { } file)
        {
            return LinesOf(file) is { } lines ? Told(file, lines, parsed.GetValue(Digest)) : ExitCode.BadInput;
        }

        (BookStore books, EntryStore entries) = Open();
        BookRecord[] asked;
        if (parsed.GetValue(VerifiedBook) is { } name)
        {
            if (Named(books, name) is not { } book)
            {
                return ExitCode.BadInput;
            }

            asked = [book];
        }
        else
        {
            asked = [.. books.All()];
        }

        return asked.Select(b => Told(b.Name, entries.Lines(b.Id), asked.Length == 1 ? parsed.GetValue(Digest) : null)).DefaultIfEmpty(ExitCode.Good).Max();
    }

    private static int Told(string name, IReadOnlyList<string> lines, string? digest)
    {
        ChainReading chain = EntryChain.Check(lines);
        if (chain.Sentence is { } broken)
        {
            Console.WriteLine($"{name}: {broken}");
            return 1;
        }

        foreach (KnownBreak known in chain.Known)
        {
            Entry by = Entry.Read(lines[known.By - 1]);
            Console.WriteLine($"{name}: {known.Sentence} Entry {known.By} goes on behind it: {by.Author}, {by.At}: {by.Reason}");
        }

        string? last = lines.Count > 0 ? EntryChain.DigestIn(lines[^1]) : null;
        if (digest is not null && !string.Equals(digest, last, StringComparison.OrdinalIgnoreCase))
        {
            int at = lines.ToList().FindIndex(l => string.Equals(EntryChain.DigestIn(l), digest, StringComparison.OrdinalIgnoreCase)) + 1;
            Console.WriteLine(at > 0 ? $"{name}: {lines.Count} entries hold together; {digest} is that of entry {at}, and {lines.Count - at} were posted since." : $"{name}: {lines.Count} entries hold together, but none has the digest {digest}: entries were cut off, or it is another ledger.");
            return at > 0 ? ExitCode.Good : 1;
        }

        Console.WriteLine(last is null ? $"{name}: no entries." : $"{name}: {lines.Count} {(lines.Count == 1 ? "entry holds" : "entries hold together")}, the latest has {last}.");
        return ExitCode.Good;
    }

    private static IReadOnlyList<string>? LinesOf(string path)
    {
        try
        {
            return [.. File.ReadLines(path).Where(l => l.Trim().Length > 0)];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            CommandFiles.Refuse($"'{path}' cannot be read: {e.Message}");
            return null;
        }
    }

    private static (BookStore Books, EntryStore Entries) Open()
    {
        var ledger = new LedgerDatabase(LedgerHome.FromEnvironment().LedgerFile);
        return (new(ledger, TimeProvider.System), new(ledger, TimeProvider.System));
    }

    private static BookRecord? Named(BookStore books, string name)
    {
        if (books.All().FirstOrDefault(b => b.Name == name) is { } book)
        {
            return book;
        }

        CommandFiles.Refuse($"There is no book '{name}'.");
        return null;
    }
}
