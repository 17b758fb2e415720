using System.Security.Cryptography;
using System.Text;
using System.Text.Json;

namespace SwiftLedger.Core.Ledger;

/// <summary>Where a chain breaks.</summary>
/// <param name="Number">Of an entry that does not fit, counted from 1 by its place.</param>
/// <param name="Kind">What does not fit.</param>
public sealed record ChainFault(int Number, ChainFaultKind Kind)
{
    private const int MostTold = 20;

    /// <summary>In words.</summary>
    public string Sentence => Kind switch
    {
        ChainFaultKind.NotAnEntry => $"What stands at place {Number} is no entry.",
        ChainFaultKind.OutOfTurn => $"At place {Number} stands an entry with another number: one was taken out, put in, or moved.",
        ChainFaultKind.AnotherBefore => $"Entry {Number} was written behind another entry than the one that stands before it.",
        _ => $"Entry {Number} is not what it was when it was posted: its text and its digest disagree.",
    };

    /// <summary>Several in words, to the twentieth of them.</summary>
    internal static string SentenceOf(IReadOnlyList<ChainFault> faults) => string.Join(' ', faults.Take(MostTold).Select(f => f.Sentence)) + (faults.Count > MostTold ? $" And {faults.Count - MostTold} more." : "");
}

/// <summary>A break that somebody went on behind.</summary>
/// <param name="Faults">All that did not fit, in its order.</param>
/// <param name="By">Number of the entry that seals it as it stands.</param>
public sealed record KnownBreak(IReadOnlyList<ChainFault> Faults, int By)
{
    /// <summary>In words.</summary>
    public string Sentence => ChainFault.SentenceOf(Faults);
}

/// <summary>What a chain says of itself.</summary>
/// <param name="Faults">What does not fit, and that no later entry seals as it stands; empty where the chain holds. An entry is held against the one before it, so that one alteration is one fault.</param>
/// <param name="Known">Breaks that were gone on behind.</param>
/// <param name="Seal">SHA-256, in hexadecimal digits, of the digests of all its lines, each followed by the one that the line gives.</param>
public sealed record ChainReading(IReadOnlyList<ChainFault> Faults, IReadOnlyList<KnownBreak> Known, string Seal)
{
    /// <summary>The first that does not fit; null where all do.</summary>
    public ChainFault? Fault => Faults.Count > 0 ? Faults[0] : null;

    /// <summary>All that does not fit, in words; null where all does.</summary>
    public string? Sentence => Faults.Count > 0 ? ChainFault.SentenceOf(Faults) : null;
}

/// <summary>What does not fit.</summary>
public enum ChainFaultKind
{
    /// <summary>It is no JSON of the kind, or says a thing twice.</summary>
    NotAnEntry,
    OutOfTurn,

    /// <summary>The digest that it gives for the entry before is another.</summary>
    AnotherBefore,

    /// <summary>Its own digest is another.</summary>
    Altered,
}

/// <summary>
/// Entries that each hold the digest of the one before: whoever alters one has to alter all that follow. What is cut off at the end leaves a
/// chain that holds: only its last digest, kept elsewhere, tells.
/// </summary>
public static class EntryChain
{
    private const string DigestName = "digest", OverName = "over";

    /// <summary>Puts an entry behind another.</summary>
    /// <param name="entry">Its number, previous and digest are set here.</param>
    /// <param name="last">The line of the latest entry; null for the first.</param>
    /// <returns>The line to be kept, in canonical form.</returns>
    public static string Append(Entry entry, string? last)
    {
        Entry? before = last is null ? null : Entry.Read(last);
        return Sealing((entry with { Number = (before?.Number ?? 0) + 1, Previous = before?.Digest }).ToJson());
    }

    /// <summary>SHA-256 (FIPS 180-4) of the UTF-8 bytes of the canonical form without the digest.</summary>
    /// <param name="entry">An object.</param>
    /// <returns>64 hexadecimal digits.</returns>
    /// <exception cref="FormatException">It has no canonical form.</exception>
    public static string DigestOf(JsonElement entry) => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(CanonicalJson.Write(entry, DigestName))));

    /// <summary>The digest that a line gives; null where it gives none.</summary>
    /// <param name="line">JSON.</param>
    public static string? DigestIn(string line)
    {
        using var document = JsonDocument.Parse(line);
        return document.RootElement.GetProperty(DigestName).GetString();
    }

    /// <summary>Puts an entry behind a chain that does not hold: it seals everything before it as it stands, and from it on the chain holds again.</summary>
    /// <param name="entry">Who goes on, and why; the rest is set here.</param>
    /// <param name="lines">All that stands before it, fitting or not.</param>
    /// <returns>The line to be kept, in canonical form; null where the chain holds, so that there is nothing to go on behind.</returns>
    public static string? GoOn(Entry entry, IReadOnlyList<string> lines) => Check(lines) is not { Fault: { } fault, Sentence: { } sentence } read ? null : Sealing((entry with
    {
        State = EntryState.Resumed,
        Number = lines.Count + 1,
        Title = $"The ledger goes on behind entry {fault.Number}",
        Headline = sentence,
        Previous = null,
        Over = read.Seal,
    }).ToJson());

    /// <summary>Finds the first entry that does not fit, and that nobody went on behind; null where there is none.</summary>
    /// <param name="lines">From the first entry on.</param>
    public static ChainFault? FaultOf(IEnumerable<string> lines) => Check(lines).Fault;

    /// <summary>Holds each line against its digest, and against the one before.</summary>
    /// <param name="lines">From the first entry on.</param>
    public static ChainReading Check(IEnumerable<string> lines)
    {
        Sealed? before = null;
        int place = 0;
        var open = new List<ChainFault>();
        var known = new List<KnownBreak>();
        using var all = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);

        // Digests are independent of each other; whether they are a chain is seen in their order.
        foreach (Sealed entry in lines.AsParallel().AsOrdered().Select(Read))
        {
            place++;
            if (entry.Over is { } over && entry.Number == place && entry.Given == entry.Digest && over == Convert.ToHexStringLower(all.GetCurrentHash()))
            {
                known.AddRange(open.Count > 0 ? [new([.. open], place)] : Array.Empty<KnownBreak>());
                open.Clear();
            }
            else if (FaultOf(entry, before, place) is { } kind)
            {
                open.Add(new(place, kind));
            }

            before = entry;
            all.AppendData(Encoding.UTF8.GetBytes(entry.Digest + entry.Given));
        }

        return new(open, known, Convert.ToHexStringLower(all.GetCurrentHash()));
    }

    /// <summary>What does not fit of an entry; behind one that has no number or no digest, only what it says of itself counts.</summary>
    private static ChainFaultKind? FaultOf(Sealed entry, Sealed? before, int place) =>
        entry.Number is not { } number ? ChainFaultKind.NotAnEntry
        : number != (before is null ? 1 : before.Number is { } last ? last + 1 : place) ? ChainFaultKind.OutOfTurn
        : entry.Over is not null || (before is not { Number: null } && entry.Previous != before?.Given) ? ChainFaultKind.AnotherBefore
        : entry.Given != entry.Digest ? ChainFaultKind.Altered
        : null;

    private static Sealed Read(string line)
    {
        try
        {
            using var document = JsonDocument.Parse(line);
            JsonElement root = document.RootElement;
            if (root.GetProperty("number").TryGetInt32(out int number))
            {
                return new(number, root.GetProperty("previous").GetString(), root.GetProperty(DigestName).GetString(), DigestOf(root), root.TryGetProperty(OverName, out JsonElement over) ? over.GetString() : null);
            }
        }
        catch (Exception e) when (e is JsonException or FormatException or KeyNotFoundException or InvalidOperationException)
        {
            // It counts by its bytes.
        }

        return new(null, null, null, Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(line.Trim()))), null);
    }

    private static string Sealing(JsonElement json)
    {
        string digest = DigestOf(json);
        using var whole = JsonDocument.Parse($"{CanonicalJson.Write(json, DigestName)[..^1]},\"{DigestName}\":\"{digest}\"}}");
        return CanonicalJson.Write(whole.RootElement);
    }

    /// <param name="Number">Null where it is no entry.</param>
    /// <param name="Previous">The digest that it gives for the entry before.</param>
    /// <param name="Given">The digest that it gives.</param>
    /// <param name="Digest">That it has; of what is no entry, that of its bytes.</param>
    /// <param name="Over">Of one that goes on behind a break.</param>
    private sealed record Sealed(int? Number, string? Previous, string? Given, string Digest, string? Over);
}
