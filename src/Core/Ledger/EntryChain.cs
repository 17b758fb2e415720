using System.Security.Cryptography;
using System.Text;
using System.Text.Json;

namespace SwiftLedger.Core.Ledger;

/// <summary>Where a chain breaks.</summary>
/// <param name="Number">Of the first entry that does not fit, counted from 1 by its place.</param>
/// <param name="Kind">What does not fit.</param>
public sealed record ChainFault(int Number, ChainFaultKind Kind)
{
    /// <summary>In words.</summary>
    public string Sentence => Kind switch
    {
        ChainFaultKind.NotAnEntry => $"What stands at place {Number} is no entry.",
        ChainFaultKind.OutOfTurn => $"At place {Number} stands an entry with another number: one was taken out, put in, or moved.",
        ChainFaultKind.AnotherBefore => $"Entry {Number} was written behind another entry than the one that stands before it.",
        _ => $"Entry {Number} is not what it was when it was posted: its text and its digest disagree.",
    };
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
    private const string DigestName = "digest";

    /// <summary>Puts an entry behind another.</summary>
    /// <param name="entry">Its number, previous and digest are set here.</param>
    /// <param name="last">The line of the latest entry; null for the first.</param>
    /// <returns>The line to be kept, in canonical form.</returns>
    public static string Append(Entry entry, string? last)
    {
        Entry? before = last is null ? null : Entry.Read(last);
        JsonElement json = (entry with { Number = (before?.Number ?? 0) + 1, Previous = before?.Digest }).ToJson();
        string digest = DigestOf(json);
        using var whole = JsonDocument.Parse($"{CanonicalJson.Write(json, DigestName)[..^1]},\"{DigestName}\":\"{digest}\"}}");
        return CanonicalJson.Write(whole.RootElement);
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

    /// <summary>Finds the first entry that does not fit; null where all do.</summary>
    /// <param name="lines">From the first entry on.</param>
    public static ChainFault? FaultOf(IEnumerable<string> lines)
    {
        string? previous = null;
        int place = 0;

        // Digests are independent of each other; whether they are a chain is seen in their order.
        foreach (Sealed? read in lines.AsParallel().AsOrdered().Select(Read))
        {
            place++;
            ChainFaultKind? fault = read is not { } entry ? ChainFaultKind.NotAnEntry
                : entry.Number != place ? ChainFaultKind.OutOfTurn
                : entry.Previous != previous ? ChainFaultKind.AnotherBefore
                : entry.Given != entry.Digest ? ChainFaultKind.Altered
                : null;
            if (fault is { } kind)
            {
                return new(place, kind);
            }

            previous = read!.Digest;
        }

        return null;
    }

    /// <summary>Null where it is no entry.</summary>
    private static Sealed? Read(string line)
    {
        try
        {
            using var document = JsonDocument.Parse(line);
            JsonElement root = document.RootElement;
            return root.GetProperty("number").TryGetInt32(out int number) ? new(number, root.GetProperty("previous").GetString(), root.GetProperty(DigestName).GetString(), DigestOf(root)) : null;
        }
        catch (Exception e) when (e is JsonException or FormatException or KeyNotFoundException or InvalidOperationException)
        {
            return null;
        }
    }

    private sealed record Sealed(int Number, string? Previous, string? Given, string Digest);
}
