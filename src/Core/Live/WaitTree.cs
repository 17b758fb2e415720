namespace SwiftLedger.Core.Live;

/// <summary>A session and those that wait for it.</summary>
public sealed record WaitNode(SessionState Session, IReadOnlyList<WaitNode> Waiting)
{
    /// <summary>How many wait for it, directly or behind others.</summary>
    public int All => Waiting.Sum(w => 1 + w.All);
}

/// <summary>Who waits for whom.</summary>
public static class WaitTree
{
    /// <summary>
    /// Sessions that others wait for and that wait for nobody, the longest transaction first. A session that waits for several stands
    /// below the first of them; sessions that wait in a circle stand below the one whose transaction is the longest.
    /// </summary>
    public static IReadOnlyList<WaitNode> Of(ActivitySample sample)
    {
        Dictionary<int, SessionState> known = sample.Sessions.GroupBy(s => s.Id).ToDictionary(g => g.Key, g => g.First());
        List<SessionState> waiting = [.. known.Values.Where(s => s.BlockedBy.Any(known.ContainsKey))];
        ILookup<int, SessionState> below = waiting.ToLookup(s => s.BlockedBy.First(known.ContainsKey));
        var placed = new HashSet<int>();
        List<WaitNode> roots = [.. below.Select(g => known[g.Key]).Where(s => !waiting.Contains(s)).OrderByDescending(Age).Select(s => Node(s, below, placed))];

        // What is left waits in a circle.
        foreach (SessionState left in waiting.OrderByDescending(Age))
        {
            if (!placed.Contains(left.Id))
            {
                roots.Add(Node(left, below, placed));
            }
        }

        return roots;
    }

    private static double Age(SessionState s) => s.TransactionSeconds ?? 0;

    private static WaitNode Node(SessionState session, ILookup<int, SessionState> below, HashSet<int> placed)
    {
        placed.Add(session.Id);
        return new(session, [.. below[session.Id].Where(s => !placed.Contains(s.Id)).OrderByDescending(Age).Select(s => Node(s, below, placed))]);
    }
}
