using CsCheck;
using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Trials;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Budgets;

public class WorkAccountTests
{
    private static readonly WorkAccount Kept = new("SQLite 3.53.4",
    [
        new("by note", "1", "aa", new Dictionary<string, long> { ["pagesTouched"] = 3, ["vmSteps"] = 1_000 }),
        new("by note", "2", "aa", new Dictionary<string, long> { ["vmSteps"] = 10 }),
        new("board", "1", "bb", new Dictionary<string, long> { ["statements"] = 4, ["vmSteps"] = 10 }),
    ]);

    [Fact]
    public void It_is_one_line_for_each_case()
    {
        Kept.ToText().ShouldBe("# swift-ledger account 1, SQLite 3.53.4\nby note\t1\taa\tpagesTouched=3\tvmSteps=1000\nby note\t2\taa\tvmSteps=10\nboard\t1\tbb\tstatements=4\tvmSteps=10\n");
        Kept.Left(Kept, "vmSteps").ShouldBeEmpty();
    }

    /// <summary>Whatever statements are called.</summary>
    [Fact]
    public void What_is_written_is_read_again() => Gen.Select(Gen.String, Gen.String, Gen.OneOf(Gen.Const(""), Gen.Const("0f")), Gen.Long[0, long.MaxValue]).Array.Sample(lines =>
    {
        var account = new WorkAccount("PostgreSQL 15.14 (Debian)", [.. lines.Select(l => new AccountLine(l.Item1, l.Item2, l.Item3, new Dictionary<string, long> { ["vmSteps"] = l.Item4 }))]);
        (WorkAccount? read, _, string? problem) = WorkAccount.Read(account.ToText().Replace("\n", "\r\n", StringComparison.Ordinal));
        problem.ShouldBeNull();
        read!.Engine.ShouldBe(account.Engine);
        read.Lines.Select(l => (l.Statement, l.Case, l.Shape)).ShouldBe(account.Lines.Select(l => (l.Statement, l.Case, l.Shape)));
        read.ToText().ShouldBe(account.ToText());
    }, iter: 2_000);

    [Theory]
    [InlineData(1_000, "aa", null, false)]
    [InlineData(1_020, "aa", null, false)] // a server touches some pages more or less
    [InlineData(1_021, "aa", "1\u202F021 vmSteps instead of 1\u202F000.", true)]
    [InlineData(10, "aa", "10 vmSteps instead of 1\u202F000.", false)]
    [InlineData(1_000, "cc", "another plan.", false)]
    [InlineData(5_000, "cc", "5\u202F000 vmSteps instead of 1\u202F000, another plan.", true)]
    public void What_left_it_is_told_in_a_sentence(long steps, string shape, string? sentence, bool dearer)
    {
        WorkAccount now = Kept with { Lines = [Kept.Lines[0] with { Shape = shape, Counters = new Dictionary<string, long> { ["vmSteps"] = steps } }, .. Kept.Lines.Skip(1)] };
        IReadOnlyList<AccountDeparture> left = Kept.Left(now, "vmSteps");
        left.Select(l => (l.Statement, l.Case, l.Sentence, l.Dearer)).ShouldBe(sentence is null ? [] : [("by note", "1", sentence, dearer)]);
    }

    [Fact]
    public void Of_what_was_not_looked_at_no_plan_is_claimed()
    {
        WorkAccount now = Kept with { Lines = [new("by note", "1", "", new Dictionary<string, long>()), .. Kept.Lines.Skip(1)] };
        Kept.Left(now, "vmSteps").ShouldHaveSingleItem().ShouldBe(new("by note", "1", false, "It fails, or was not looked at."));
        now.Left(now, "vmSteps").ShouldBeEmpty();
        now.Left(Kept, "vmSteps").ShouldHaveSingleItem().Sentence.ShouldBe("another plan.");
    }

    [Fact]
    public void What_is_new_what_is_gone_and_what_was_not_counted_is_told_as_well()
    {
        WorkAccount now = Kept with { Lines = [Kept.Lines[0] with { Counters = new Dictionary<string, long>() }, new("new", "1", "aa", new Dictionary<string, long>()), Kept.Lines[2]] };
        Kept.Left(now, "vmSteps").Select(l => $"{l.Statement} {l.Case}: {l.Sentence}").ShouldBe(["by note 1: its vmSteps were not counted.", "new 1: It is not in the account.", "by note 2: It is in the account, and not in the workload."]);
    }

    /// <summary>Seen on a PostgreSQL 15 server: of ten accounts of an INSERT four told 7 blocks and six told 8.</summary>
    [Theory]
    [InlineData("SELECT 1", false, "blocksTouched=7 rowsProcessed=1")]
    [InlineData("DELETE FROM t", true, "rowsProcessed=1")]
    public void What_a_server_does_not_count_alike_each_time_is_left_out(string sql, bool writes, string kept)
    {
        var seen = new Inspection(null, null, 1, writes, null, null, true, new Dictionary<string, long> { ["rowsProcessed"] = 1, ["blocksTouched"] = 7, ["walBytes"] = 99 }, true, null);
        WorkAccount account = WorkAccount.Of(TrialAccount.Open(TrialBrief.Read($"-- name: a\n{sql};", "", new(NoiseCheck: true, Engine: Dialects.PostgresEngine)).Value).With(new LineInspected(1, seen, seen)));
        string.Join(' ', account.Lines.ShouldHaveSingleItem().Counters.Select(c => $"{c.Key}={c.Value}")).ShouldBe(kept);
    }

    [Theory]
    [InlineData("", 1, "It begins with")]
    [InlineData("# something else\n", 1, "It begins with")]
    [InlineData("# swift-ledger account 2, SQLite\n", 1, "It begins with")]
    [InlineData("# swift-ledger account 1, SQLite\na\t1\n", 2, "parted by tabs")]
    [InlineData("# swift-ledger account 1, SQLite\n\n# a comment\na\t1\tff\tvmSteps\n", 4, "'vmSteps' is no counter")]
    [InlineData("# swift-ledger account 1, SQLite\na\t1\tff\tvmSteps=-3\n", 2, "is no counter")]
    [InlineData("# swift-ledger account 1, SQLite\na\t1\tff\tvmSteps=99999999999999999999\n", 2, "is no counter")]
    public void What_cannot_be_read_is_told_with_its_line(string text, int line, string problem)
    {
        (WorkAccount? account, int at, string? told) = WorkAccount.Read(text);
        (account, at).ShouldBe((null, line));
        told.ShouldNotBeNull().ShouldContain(problem);
    }
}
