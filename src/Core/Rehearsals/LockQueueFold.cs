using SwiftLedger.Core.Live;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>Adds up looks at sessions that wait for locks: for each kind of queue, how much of the sessions' time it took.</summary>
public sealed class LockQueueFold
{
    private readonly Dictionary<(int? Statement, int? Behind, string Kind, WaitMeaning Meaning), (long Seen, int Longest, int Depth)> _queues = [];
    private long _busy;

    /// <summary>Adds a look.</summary>
    /// <param name="sample">All sessions of the load that do something, or hold a transaction open.</param>
    /// <param name="busy">How many of them are in the load's time: those that wait for the sender are not.</param>
    /// <param name="doing">What a session does.</param>
    /// <param name="statement">Index of a statement by its text; null where the load has none such.</param>
    public void Add(ActivitySample sample, int busy, Func<SessionState, (string Kind, WaitMeaning Meaning)> doing, Func<string, int?> statement)
    {
        _busy += busy;
        foreach (WaitNode head in WaitTree.Of(sample))
        {
            (string kind, WaitMeaning meaning) = doing(head.Session);
            int? behind = statement(head.Session.Sql);
            int depth = DepthOf(head) - 1, longest = head.All;
            foreach (IGrouping<int?, SessionState> waiting in Below(head).GroupBy(s => statement(s.Sql)))
            {
                (int?, int?, string, WaitMeaning) key = (waiting.Key, behind, kind, meaning);
                (long seen, int most, int deepest) = _queues.GetValueOrDefault(key);
                _queues[key] = (seen + waiting.Count(), Math.Max(most, longest), Math.Max(deepest, depth));
            }
        }
    }

    /// <summary>What was seen since the last time, the most first; begins anew.</summary>
    public IReadOnlyList<LockQueue> Take()
    {
        LockQueue[] queues = [.. _queues.Select(q => new LockQueue(q.Key.Statement, q.Key.Behind, q.Key.Kind, q.Key.Meaning, Math.Min(1, q.Value.Seen / (double)Math.Max(1, _busy)), q.Value.Longest, q.Value.Depth)).OrderByDescending(q => q.Share)];
        _queues.Clear();
        _busy = 0;
        return queues;
    }

    private static IEnumerable<SessionState> Below(WaitNode node) => node.Waiting.SelectMany(w => Below(w).Prepend(w.Session));

    private static int DepthOf(WaitNode node) => 1 + node.Waiting.Select(DepthOf).DefaultIfEmpty(0).Max();
}
