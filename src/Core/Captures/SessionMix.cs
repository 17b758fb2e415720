using System.IO.Hashing;
using System.Runtime.InteropServices;

namespace SwiftLedger.Core.Captures;

/// <summary>
/// What sessions send, and how often: whether a pattern comes again more often than it would by chance. By chance, statements of a
/// pool come one after the other as if drawn: then each statement of a pattern with share p is followed by another within the next
/// <see cref="Reach"/> with chance q = 1 - (1 - p)^<see cref="Reach"/>, and a row of k begins at a statement with chance p q^(k-1).
/// </summary>
/// <remarks>
/// The share is the greater one of two, each without the statements in question and taken at its upper end: in all sessions of the same
/// application, user and database, and in the same session, once that has sent enough. A row counts where N (1 + ln N)^2 q^(k-1) stays
/// under <see cref="FalseInAll"/> / 2, with the N statements that were read so far: summed over all statements and patterns, chance then
/// makes no more than <see cref="FalseInAll"/> such rows in a whole capture, however long (Bonferroni, spent as 1 / (N (1 + ln N)^2)). What is
/// most of what an application sends is therefore never found in this way: a trace or a transaction would show it.
/// </remarks>
public sealed class SessionMix
{
    /// <summary>Repetitions that chance makes in a whole capture, at the most.</summary>
    public const double FalseInAll = 0.01;

    /// <summary>Two of a pattern belong together with one other statement between them at the most.</summary>
    public const int Reach = 2;

    private const int MostCounted = 100_000, FewestOfSession = 200;

    // Counts by the hash of group and pattern; a group's own sum stands under the pattern 0. Beyond the bound nothing new is counted, and nothing new found.
    private readonly Dictionary<(ulong Group, ulong Pattern), int> _counts = [];
    private long _all;

    /// <summary>Counts a statement.</summary>
    /// <param name="o">The statement.</param>
    /// <param name="source">Hash of its source.</param>
    /// <param name="session">Hash of its session.</param>
    /// <param name="pattern">Its hash.</param>
    /// <returns>Its group: who sends alike.</returns>
    public ulong Count(in Observation o, ulong source, ulong session, ulong pattern)
    {
        ulong group = XxHash3.HashToUInt64(o.Application, (long)source);
        group = XxHash3.HashToUInt64(o.User, (long)group);
        group = XxHash3.HashToUInt64(o.Database, (long)group);
        _all++;
        Add(group, pattern);
        Add(session, pattern);
        return group;
    }

    /// <summary>Whether a row of a pattern is longer than chance explains.</summary>
    /// <param name="group">As <see cref="Count"/> gave it.</param>
    /// <param name="session">Hash of the session.</param>
    /// <param name="pattern">The pattern.</param>
    /// <param name="times">How often it came.</param>
    public bool IsBeyondChance(ulong group, ulong session, ulong pattern, int times)
    {
        double share = Math.Max(Share(group, pattern, times), Of(session, 0) - times >= FewestOfSession ? Share(session, pattern, times) : 0);
        double log = Math.Log(_all);
        return share < 1 && log + (2 * Math.Log(1 + log)) + ((times - 1) * Math.Log(1 - Math.Pow(1 - share, Reach))) < Math.Log(FalseInAll / 2);
    }

    /// <summary>A share of which the true one is rarely above: three standard deviations of a count and a few more, for what was hardly ever seen.</summary>
    private double Share(ulong group, ulong pattern, int times)
    {
        double others = Math.Max(0, Of(group, pattern) - times), all = Of(group, 0) - times;
        return all <= 0 ? 1 : Math.Min(1, (others + (3 * Math.Sqrt(others + 1)) + 3) / all);
    }

    private int Of(ulong group, ulong pattern) => _counts.GetValueOrDefault((group, pattern));

    private void Add(ulong group, ulong pattern)
    {
        Increase((group, 0));
        Increase((group, pattern));
    }

    private void Increase((ulong, ulong) key)
    {
        if (_counts.Count < MostCounted)
        {
            CollectionsMarshal.GetValueRefOrAddDefault(_counts, key, out _)++;
        }
        else if (_counts.TryGetValue(key, out int known))
        {
            _counts[key] = known + 1;
        }
    }
}
