using System.IO.Hashing;
using System.Runtime.InteropServices;

namespace SwiftLedger.Core.Captures;

/// <summary>
/// Finds executions that stand in two spans, one around the other: where both a mapper and the driver below it are instrumented, each
/// makes a span of the same statement, and where an exporter sends again what it could not see arrive, one span comes twice.
/// </summary>
/// <param name="most">Spans that are remembered at least; older ones are forgotten.</param>
/// <remarks>
/// A span around others ends, and comes, after them as a rule, and then it is the one that is left out. Whichever comes second is: only
/// where a span between the two comes after both, they are taken for two executions.
/// </remarks>
public sealed class SpanNesting(int most = SpanNesting.Usual)
{
    private const int Usual = 50_000, MostWithin = 64, Deepest = 64;

    // Two generations: what was asked for of late is in the younger one.
    private Dictionary<ulong, Node> _young = [], _old = [];

    /// <summary>Takes a span that is of no statement.</summary>
    /// <param name="span">Of a capture; what is around a request is none of its executions.</param>
    public void See(in TracedSpan span)
    {
        if (span.Span != 0)
        {
            See(KeyOf(span.Unit, span.Source), span.Span, span.Page.Length > 0 ? 0 : span.ParentSpan);
        }
    }

    /// <summary>Takes a statement.</summary>
    /// <param name="observation">Of a capture; of one without a trace nothing is known.</param>
    /// <param name="pattern">Of the statement.</param>
    /// <returns>Whether its execution came already.</returns>
    public bool IsAgain(in Observation observation, ulong pattern) =>
        observation.Span != 0 && !observation.Unit.IsEmpty && IsAgain(KeyOf(observation.Unit, observation.Source), observation.Span, observation.ParentSpan, pattern, observation.At.Ticks);

    /// <summary>Takes a span that is of no statement: it may stand between two that are.</summary>
    /// <param name="trace">What tells it from others.</param>
    /// <param name="span">Not 0.</param>
    /// <param name="parent">0 where none of one execution is around it: for a root, and for a request.</param>
    public void See(ulong trace, ulong span, ulong parent)
    {
        Node node = At(Key(trace, span));
        if (node.IsKnown)
        {
            return;
        }

        (node.IsKnown, node.Parent) = (true, Key(trace, parent));
        foreach (ulong pattern in node.Within ?? [])
        {
            Carry(node.Parent, pattern);
        }

        node.Within = null;
    }

    /// <summary>Takes a statement's span.</summary>
    /// <param name="trace">What tells it from others.</param>
    /// <param name="span">0 where it has no number: then nothing is known of it.</param>
    /// <param name="parent">0 for none.</param>
    /// <param name="pattern">Of the statement.</param>
    /// <param name="at">When it began, by any clock: a number that is given to several spans is of none.</param>
    /// <returns>Whether its execution came already, in this span or in one within or around it.</returns>
    public bool IsAgain(ulong trace, ulong span, ulong parent, ulong pattern, long at)
    {
        if (span == 0)
        {
            return false;
        }

        Node node = At(Key(trace, span));
        if (node.IsKnown)
        {
            return node.Pattern == pattern && node.At == at;
        }

        bool again = node.Within?.Contains(pattern) == true || IsAround(Key(trace, parent), pattern);
        (node.IsKnown, node.Parent, node.Pattern, node.At, node.Within) = (true, Key(trace, parent), pattern, at, null);
        Carry(node.Parent, pattern);
        return again;
    }

    /// <summary>Whether the next statement's span upwards is of this pattern.</summary>
    private bool IsAround(ulong key, ulong pattern)
    {
        for (int i = 0; i < Deepest && key != 0 && Find(key) is { IsKnown: true } node; i++)
        {
            if (node.Pattern is { } around)
            {
                return around == pattern;
            }

            key = node.Parent;
        }

        return false;
    }

    /// <summary>Leaves word of a pattern at the next span upwards that has not come.</summary>
    private void Carry(ulong key, ulong pattern)
    {
        for (int i = 0; i < Deepest && key != 0; i++)
        {
            Node node = At(key);
            if (!node.IsKnown)
            {
                HashSet<ulong> within = node.Within ??= [];
                if (within.Count < MostWithin)
                {
                    within.Add(pattern);
                }

                return;
            }

            if (node.Pattern is not null)
            {
                return;
            }

            key = node.Parent;
        }
    }

    private Node? Find(ulong key) => _young.TryGetValue(key, out Node? node) || _old.TryGetValue(key, out node) ? node : null;

    private Node At(ulong key)
    {
        if (_young.TryGetValue(key, out Node? node))
        {
            return node;
        }

        if (_young.Count >= most)
        {
            (_old, _young) = (_young, []);
        }

        return _young[key] = _old.TryGetValue(key, out node) ? node : new();
    }

    private static ulong KeyOf(ReadOnlySpan<byte> unit, ReadOnlySpan<char> source) => XxHash3.HashToUInt64(unit, (long)XxHash3.HashToUInt64(MemoryMarshal.AsBytes(source)));

    private static ulong Key(ulong trace, ulong span) => span == 0 ? 0 : trace ^ (span * 0x9E37_79B9_7F4A_7C15);

    private sealed class Node
    {
        public bool IsKnown { get; set; }

        public ulong Parent { get; set; }

        public ulong? Pattern { get; set; }

        public long At { get; set; }

        public HashSet<ulong>? Within { get; set; }
    }
}
