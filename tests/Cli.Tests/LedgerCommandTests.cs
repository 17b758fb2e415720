using Shouldly;
using SwiftLedger.Bench;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Store;
using Xunit;

namespace SwiftLedger.Cli.Tests;

/// <summary>The ledger from the command line: out, in, and whether it holds.</summary>
public sealed class LedgerCommandTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task Entries_are_taken_out_held_against_their_digests_and_taken_in_elsewhere()
    {
        string last = Posted("home", 3);
        (await Run("home", "verify")).ShouldBe((0, $"Huts: 3 entries hold together, the latest has {last}.\n", ""));
        (await Run("home", "ledger", "export", "--book", "Huts", "--out", PathOf("all.jsonl"))).Exit.ShouldBe(0);
        string[] lines = File.ReadAllLines(PathOf("all.jsonl"));
        lines.Length.ShouldBe(3);
        (await Run("home", "verify", "--file", PathOf("all.jsonl"), "--digest", last)).Exit.ShouldBe(0);

        // Altered, it names the first entry that does not fit; cut off, only a digest that was noted tells.
        File.WriteAllLines(PathOf("altered.jsonl"), [lines[0], lines[1].Replace("Entry 2", "Entry two", StringComparison.Ordinal), lines[2]]);
        (await Run("home", "verify", "--file", PathOf("altered.jsonl"))).ShouldBe((1, $"{PathOf("altered.jsonl")}: Entry 2 is not what it was when it was posted: its text and its digest disagree.\n", ""));
        File.WriteAllLines(PathOf("cut.jsonl"), lines[..2]);
        (await Run("home", "verify", "--file", PathOf("cut.jsonl"))).Exit.ShouldBe(0);
        (int exit, string said, _) = await Run("home", "verify", "--file", PathOf("cut.jsonl"), "--digest", last);
        (exit, said.Contains("entries were cut off", StringComparison.Ordinal)).ShouldBe((1, true));
        (await Run("home", "verify", "--file", PathOf("all.jsonl"), "--digest", Entry.Read(lines[1]).Digest)).Output.ShouldContain("1 were posted since");

        // Elsewhere: all, what is new, nothing, and never another ledger's.
        (await Run("other", "ledger", "import", PathOf("cut.jsonl"), "--book", "Huts")).Output.ShouldBe("2 entries are new in 'Huts'.\n");
        (await Run("other", "ledger", "import", PathOf("all.jsonl"), "--book", "Huts")).Output.ShouldBe("1 entries are new in 'Huts'.\n");
        (await Run("other", "ledger", "import", PathOf("cut.jsonl"), "--book", "Huts")).Output.ShouldBe("0 entries are new in 'Huts'.\n");
        (await Run("other", "ledger", "import", PathOf("altered.jsonl"), "--book", "Huts")).Exit.ShouldBe(2);
        // Sealed, and no entry all the same: it holds together, and is not taken in.
        using (var strange = System.Text.Json.JsonDocument.Parse("""{"number":1,"previous":null,"digest":""}"""))
        {
            File.WriteAllText(PathOf("strange.jsonl"), $$"""{"digest":"{{EntryChain.DigestOf(strange.RootElement)}}","number":1,"previous":null}""" + "\n");
        }

        (await Run("home", "verify", "--file", PathOf("strange.jsonl"))).Exit.ShouldBe(0);
        (await Run("fourth", "ledger", "import", PathOf("strange.jsonl"), "--book", "Huts")).Exit.ShouldBe(2);
        (await Run("fourth", "verify")).Output.ShouldBe("Huts: no entries.\n");
        Posted("third", 1, "Another");
        (await Run("third", "ledger", "import", PathOf("all.jsonl"), "--book", "Huts")).Error.ShouldContain("two ledgers cannot become one");
        (await Run("other", "verify")).Output.ShouldContain(last);
    }

    [Fact]
    public async Task Who_goes_on_behind_an_edited_ledger_is_named_whenever_it_is_verified()
    {
        Posted("home", 3);
        (await Run("home", "ledger", "go-on", "--book", "Huts", "--author", "Ben Ruiz", "--reason", "Why not")).ShouldBe((2, "", "The ledger of 'Huts' holds: there is nothing to go on behind.\n"));
        using (var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={new LedgerHome(PathOf("home")).LedgerFile};Pooling=False"))
        {
            connection.Open();
            using Microsoft.Data.Sqlite.SqliteCommand command = connection.CreateCommand();
            command.CommandText = "DROP TRIGGER entry_is_never_deleted; DELETE FROM entry WHERE number = 2";
            command.ExecuteNonQuery();
        }

        (await Run("home", "verify")).Exit.ShouldBe(1);
        await Run("home", "ledger", "export", "--book", "Huts", "--out", PathOf("broken.jsonl"));
        (await Run("home", "ledger", "import", PathOf("broken.jsonl"), "--book", "Huts")).Exit.ShouldBe(2);
        (await Run("home", "ledger", "go-on", "--book", "Huts", "--author", "Ben Ruiz", "--reason", " ")).Exit.ShouldBe(2);
        (await Run("home", "ledger", "go-on", "--book", "Huts", "--author", "Ben Ruiz", "--reason", "Entry 2 held a name")).ShouldBe(
            (0, "Huts: entry 3 goes on. At place 2 stands an entry with another number: one was taken out, put in, or moved. That stays told.\n", ""));
        (int exit, string said, _) = await Run("home", "verify");
        (exit, said.Split('\n')[0].EndsWith(": Entry 2 held a name", StringComparison.Ordinal), said.Split('\n')[1].StartsWith("Huts: 3 entries hold together", StringComparison.Ordinal)).ShouldBe((0, true, true), said);

        // What goes on takes entries again, also when it was taken elsewhere.
        await Run("home", "ledger", "export", "--book", "Huts", "--out", PathOf("gone-on.jsonl"));
        (await Run("other", "ledger", "import", PathOf("gone-on.jsonl"), "--book", "Huts")).Output.ShouldBe("3 entries are new in 'Huts'.\n");
        Posted("other", 1);
        (await Run("other", "verify")).Output.ShouldContain("Huts: 4 entries hold together");
    }

    [Fact]
    public async Task A_deployment_names_the_entry_that_it_brings()
    {
        Posted("home", 2);
        (await Run("home", "deployment", "--book", "Huts", "--entry", "2", "--deployed", "3.4", "--what", "Boards", "--by", "ci", "--at", "2026-07-18T10:00:00Z")).Exit.ShouldBe(0);
        (await Run("home", "ledger", "export", "--book", "Huts")).Output.Split('\n')[2].ShouldContain("\"deployment\":{\"at\":\"2026-07-18T10:00:00.000Z\",\"matched\":\"by hand\",\"version\":\"3.4\"}");
        (await Run("home", "deployment", "--book", "Huts", "--entry", "9", "--deployed", "3.4")).ShouldBe((2, "", "The book has no entry 9 that proposes something.\n"));
        (await Run("home", "verify", "--book", "Nowhere")).Exit.ShouldBe(2);
        (await Run("home", "verify", "--file", PathOf("missing"))).Exit.ShouldBe(2);
    }

    private string PathOf(string name) => Path.Combine(_folder, name);

    /// <returns>The latest digest.</returns>
    private string Posted(string home, int count, string title = "Entry")
    {
        var ledger = new LedgerDatabase(new LedgerHome(PathOf(home)).Created().LedgerFile);
        long book = new BookStore(ledger, TimeProvider.System).OpenByName("Huts").Id;
        var entries = new EntryStore(ledger, TimeProvider.System);
        string digest = "";
        for (int i = 1; i <= count; i++)
        {
            digest = entries.Post(book, _ => new() { At = entries.Now, Author = "Ines Aalto", State = EntryState.Proposed, Title = $"{title} {i}" })!.Digest;
        }

        return digest;
    }

    private Task<(int Exit, string Output, string Error)> Run(string home, params string[] arguments) => CommandLine.RunAsync(PathOf(home), arguments);
}
