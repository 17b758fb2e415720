using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using CsCheck;
using Shouldly;
using SwiftLedger.Core.Ledger;
using Xunit;

namespace SwiftLedger.Core.Tests.Ledger;

public class EntryChainTests
{
    /// <summary>The example of FIPS 180-4 for a message of one block, "abc" (NIST's example values for SHA-256): the digest that entries are sealed with.</summary>
    [Fact]
    public void The_digest_is_that_of_the_standard()
    {
        Convert.ToHexStringLower(SHA256.HashData("abc"u8)).ShouldBe("ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
        using var document = JsonDocument.Parse("""{ "b": 2, "digest": "x", "a": "é" }""");

        // By hand: the canonical form without the digest, hashed by a tool of its own (printf '{"a":"é","b":2}' | sha256sum).
        EntryChain.DigestOf(document.RootElement).ShouldBe(Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes("{\"a\":\"é\",\"b\":2}"))));
    }

    [Fact]
    public void A_chain_holds_and_reads_back_as_it_was_posted()
    {
        List<string> lines = Chain(4);
        EntryChain.FaultOf(lines).ShouldBeNull();
        Entry.Read(lines[2]).ShouldSatisfyAllConditions(
            e => e.Number.ShouldBe(3), e => e.Previous.ShouldBe(Entry.Read(lines[1]).Digest), e => e.Promises.ShouldHaveSingleItem().Statement.ShouldBe("board"), e => e.State.ShouldBe(EntryState.Proposed));
        lines.ShouldAllBe(l => CanonicalOf(l) == l);
        EntryChain.FaultOf([]).ShouldBeNull();
    }

    [Theory]
    [InlineData(1, ChainFaultKind.Altered)]
    [InlineData(3, ChainFaultKind.Altered)]
    public void A_word_that_was_changed_is_found_at_its_entry(int number, ChainFaultKind kind)
    {
        List<string> lines = Chain(5);
        lines[number - 1] = lines[number - 1].Replace("Entry of", "Entry by", StringComparison.Ordinal);
        EntryChain.FaultOf(lines).ShouldBe(new(number, kind));
    }

    [Fact]
    public void What_was_taken_out_put_in_moved_or_sealed_anew_is_found_where_it_begins()
    {
        List<string> lines = Chain(6);
        EntryChain.FaultOf([.. lines[..2], .. lines[3..]]).ShouldBe(new(3, ChainFaultKind.OutOfTurn));
        EntryChain.FaultOf([lines[0], lines[0], .. lines[1..]]).ShouldBe(new(2, ChainFaultKind.OutOfTurn));
        EntryChain.FaultOf([lines[1], lines[0], .. lines[2..]]).ShouldBe(new(1, ChainFaultKind.OutOfTurn));
        EntryChain.FaultOf([.. lines[..3], "{", .. lines[4..]]).ShouldBe(new(4, ChainFaultKind.NotAnEntry));
        EntryChain.FaultOf([.. lines[..3], "{\"number\":4}", .. lines[4..]]).ShouldBe(new(4, ChainFaultKind.NotAnEntry));

        // Who seals an altered entry anew breaks what stands behind it.
        string forged = EntryChain.Append(Entry.Read(lines[2]) with { Author = "Somebody else" }, lines[1]);
        EntryChain.FaultOf([.. lines[..2], forged, .. lines[3..]]).ShouldBe(new(4, ChainFaultKind.AnotherBefore));

        // What is cut off at the end, only a digest kept elsewhere can tell.
        EntryChain.FaultOf(lines[..4]).ShouldBeNull();
    }

    [Theory]
    [InlineData("altered")]
    [InlineData("taken out")]
    [InlineData("no entry")]
    [InlineData("twice")]
    public void Who_goes_on_behind_a_break_seals_it_as_it_stands_and_it_stays_told(string how)
    {
        List<string> lines = Chain(5);
        EntryChain.GoOn(Author("nobody"), lines).ShouldBeNull("it holds");
        switch (how)
        {
            case "altered":
                lines[1] = lines[1].Replace("Entry of", "Entry by", StringComparison.Ordinal);
                break;
            case "taken out":
                lines.RemoveAt(1);
                break;
            case "no entry":
                lines[1] = "{ \"number\": 2";
                break;
            default:
                lines.Insert(1, lines[0]);
                break;
        }

        ChainFault fault = EntryChain.FaultOf(lines)!;
        fault.Number.ShouldBe(2);
        lines.Add(EntryChain.GoOn(Author("Ben Ruiz"), lines)!);
        Entry by = Entry.Read(lines[^1]);
        (by.Number, by.State, by.Headline, by.Author).ShouldBe((lines.Count, EntryState.Resumed, fault.Sentence, "Ben Ruiz"));
        lines.Add(EntryChain.Append(Author("Ines Aalto"), lines[^1]));
        ChainReading read = EntryChain.Check(lines);
        (read.Fault, read.Known.Count, read.Known[0].By).ShouldBe((null, 1, by.Number));
        read.Known[0].Faults.ShouldBe([fault]);
        EntryAccount.Of([.. lines.Where(l => CanonicalOf(l) is not null).Select(Entry.Read)]).ShouldAllBe(a => a.Begun.State == EntryState.Proposed);

        // Another layout on its way is no other ledger; anything else that is altered is, before the break, behind it, and in the entry that goes on itself.
        EntryChain.FaultOf([.. lines.Select(l => CanonicalOf(l) is null ? l : l.Replace("\":", "\" : ", StringComparison.Ordinal))]).ShouldBeNull();
        for (int i = 0; i < lines.Count; i++)
        {
            if (CanonicalOf(lines[i]) is not null)
            {
                List<string> again = [.. lines];
                again[i] = again[i].Replace("2026-07", "2026-06", StringComparison.Ordinal);
                EntryChain.FaultOf(again)!.Number.ShouldBeLessThanOrEqualTo(Math.Max(i + 1, 2));
                EntryChain.FaultOf([.. lines[..i], .. lines[(i + 1)..]]).ShouldSatisfyAllConditions(f => (f is null).ShouldBe(i == lines.Count - 1));
            }
        }

        // A second break is gone on behind as well, and both stay told.
        lines[^1] = lines[^1].Replace("Ines", "Anne", StringComparison.Ordinal);
        lines.Add(EntryChain.GoOn(Author("Ben Ruiz"), lines)!);
        EntryChain.Check(lines).ShouldSatisfyAllConditions(r => r.Fault.ShouldBeNull(), r => r.Known.Select(k => k.Faults.Single().Number).ShouldBe([2, lines.Count - 1]));

        static Entry Author(string name) => new() { At = "2026-07-20T00:00:00.000Z", Author = name, State = EntryState.Proposed, Title = "t" };
    }

    [Fact]
    public void Nothing_is_sealed_in_silence_every_alteration_is_told_and_each_once()
    {
        List<string> lines = Chain(9);
        lines[1] = lines[1].Replace("Entry of", "Entry by", StringComparison.Ordinal);
        lines[3] = EntryChain.Append(Entry.Read(lines[3]) with { Author = "Somebody else" }, lines[2]);
        lines[6] = "nothing";
        lines[8] = lines[8].Replace("Ines", "Anne", StringComparison.Ordinal);
        ChainFault[] all = [new(2, ChainFaultKind.Altered), new(5, ChainFaultKind.AnotherBefore), new(7, ChainFaultKind.NotAnEntry), new(9, ChainFaultKind.Altered)];
        EntryChain.Check(lines).Faults.ShouldBe(all);
        lines.Add(EntryChain.GoOn(new() { At = "2026-07-20T00:00:00.000Z", Author = "Ben Ruiz", State = EntryState.Resumed, Title = "" }, lines)!);
        EntryChain.Check(lines).Known.ShouldHaveSingleItem().Faults.ShouldBe(all);
        Entry.Read(lines[^1]).Headline.ShouldBe(string.Join(' ', all.Select(f => f.Sentence)));
    }

    /// <summary>Any one character that is replaced, anywhere, breaks the chain at its entry or the next; unless it is the same JSON.</summary>
    [Fact]
    public void No_single_character_can_be_altered_unnoticed()
    {
        List<string> lines = Chain(3);
        Gen.Select(Gen.Int[0, 2], Gen.Int[0, 100_000], Gen.Char[' ', '~']).Sample((which, at, other) =>
        {
            string line = lines[which];
            int place = at % line.Length;
            List<string> altered = [.. lines];
            altered[which] = line[..place] + other + line[(place + 1)..];
            (EntryChain.FaultOf(altered) is not null || CanonicalOf(altered[which]) == line).ShouldBeTrue($"{place} of {line}");
        });
    }

    [Fact]
    public void Entries_are_carried_on_by_others_and_stand_where_the_latest_says()
    {
        Entry Of(EntryState state, int? of, Reconciliation? outcome = null) => new() { At = "2026-07-18T00:00:00.000Z", Author = "a", State = state, Of = of, Title = "t", Deployment = state == EntryState.Deployed ? new("2026-07-19T00:00:00.000Z", "1", "by hand") : null, Outcome = outcome };
        string? last = null;
        var lines = new List<string>();
        var done = new Reconciliation("", "", [], [], []);
        foreach (Entry e in new[] { Of(EntryState.Proposed, null), Of(EntryState.Proposed, null), Of(EntryState.Deployed, 1), Of(EntryState.Corrected, 1), Of(EntryState.Reconciled, 1, done), Of(EntryState.Withdrawn, 2) })
        {
            lines.Add(last = EntryChain.Append(e, last));
        }

        IReadOnlyList<EntryAccount> accounts = EntryAccount.Of([.. lines.Select(Entry.Read)]);
        accounts.Select(a => (a.Begun.Number, a.State, a.Later.Count)).ShouldBe([(1, EntryState.Reconciled, 3), (2, EntryState.Withdrawn, 1)]);
        (accounts[0].Deployment!.Version, accounts[0].Outcome is not null).ShouldBe(("1", true));
        (accounts[0].Refusal(EntryState.Deployed), accounts[0].Refusal(EntryState.Withdrawn), accounts[0].Refusal(EntryState.Corrected)).ShouldBe((null, null, null));
        accounts[0].Refusal(EntryState.Reconciled)!.ShouldContain("already");
        accounts[1].Refusal(EntryState.Deployed)!.ShouldContain("withdrawn");
    }

    private static List<string> Chain(int count)
    {
        var lines = new List<string>();
        for (int i = 0; i < count; i++)
        {
            lines.Add(EntryChain.Append(
                new()
                {
                    At = $"2026-07-1{i}T08:00:00.000Z",
                    Author = "Ines Aalto",
                    State = EntryState.Proposed,
                    Title = $"Entry of \"day\" {i}\n\u00e9",
                    Promises = [new("board", "00ff", null, PromisedDirection.Cheaper, 0.2 + (i / 7.0), 0.1, 0.5, 1200, 0.0042)],
                    Bill = new(12.5, 3, -10, -9),
                }, lines.Count > 0 ? lines[^1] : null));
        }

        return lines;
    }

    private static string? CanonicalOf(string line)
    {
        try
        {
            using var document = JsonDocument.Parse(line);
            return CanonicalJson.Write(document.RootElement);
        }
        catch (Exception e) when (e is JsonException or FormatException)
        {
            return null;
        }
    }
}
