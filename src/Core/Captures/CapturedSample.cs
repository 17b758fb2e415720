using System.IO.Hashing;
using System.Runtime.InteropServices;
using System.Text;

namespace SwiftLedger.Core.Captures;

/// <summary>Why a sample is kept.</summary>
public enum SamplePlace
{
    Slowest = 1,
    Random = 2,
    Error = 3,
}

/// <summary>One execution kept with its parameters.</summary>
/// <param name="Binds">As in a bind line of a workload file; empty without parameters.</param>
/// <param name="Priority">Random, but always the same for the same execution: of all, those with the highest stay, so that reading in two
/// parts keeps what reading at once would have kept (bottom-k sampling, Cohen and Kaplan 2007).</param>
/// <param name="Application">As the capture names it.</param>
/// <param name="At">When it began, UTC.</param>
/// <param name="Database">As the capture names it.</param>
/// <param name="Duration">Null where the capture does not tell.</param>
/// <param name="Message">The engine's, where it failed.</param>
/// <param name="Pattern">The pattern's hash.</param>
/// <param name="Place">Where it stands in the capture.</param>
/// <param name="Plan">Beside it, as it stood; empty where there was none.</param>
/// <param name="RowsRead">Null where the capture does not tell.</param>
/// <param name="RowsReturned">Null where the capture does not tell.</param>
/// <param name="Session">As the capture names it.</param>
/// <param name="Source">The server or application instance.</param>
/// <param name="SqlState">Empty where it succeeded.</param>
/// <param name="Sql">The statement, cut where it is very long.</param>
/// <param name="Tags">From comments.</param>
/// <param name="Unit">Trace, transaction, or another unit that the capture names.</param>
/// <param name="User">As the capture names it.</param>
public sealed record CapturedSample(
    ulong Pattern, string Source, SamplePlace Place, DateTime At, TimeSpan? Duration, string Sql, string Binds, long? RowsReturned, long? RowsRead,
    string SqlState, string Message, string Session, string Unit, string Application, string Database, string User,
    IReadOnlyDictionary<string, string> Tags, string Plan, long Priority)
{
    /// <summary>Characters kept of a statement, its message and its plan.</summary>
    public const int LongestSql = 16_384, LongestBinds = 8_192, LongestMessage = 2_000, LongestPlan = 200_000;

    public static CapturedSample Of(in Observation o, ulong pattern, string source, SamplePlace place, IReadOnlyDictionary<string, string>? tags) => new(
        pattern, source, place, o.At, o.Duration, Cut(o.Sql, LongestSql),
        Cut(o.Binds(), LongestBinds),
        o.RowsReturned, o.RowsRead, o.SqlState.ToString(), Cut(o.Message, LongestMessage), Encoding.UTF8.GetString(o.Session), Encoding.UTF8.GetString(o.Unit.IsEmpty ? o.Transaction : o.Unit), Encoding.UTF8.GetString(o.Application),
        Encoding.UTF8.GetString(o.Database), Encoding.UTF8.GetString(o.User), tags ?? new Dictionary<string, string>(), Cut(o.Plan, LongestPlan), PriorityOf(o, source));

    /// <summary>See <see cref="Priority"/>.</summary>
    public static long PriorityOf(in Observation o, string source)
    {
        Span<long> what = [o.At.Ticks, o.Duration?.Ticks ?? -1, o.Sql.Length, source.Length, o.Session.Length];
        ulong hash = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(what)) ^ XxHash3.HashToUInt64(o.Session);
        return (long)(hash >> 1);
    }

    private static string Cut(ReadOnlySpan<char> text, int most) => text.Length > most ? string.Concat(text[..most], "...") : text.ToString();
}

/// <summary>The executions of a pattern worth keeping: the slowest, some at random, one of each error.</summary>
public sealed class PatternSamples
{
    /// <summary>How many of a pattern stay.</summary>
    public const int MostSlowest = 5, MostRandom = 30, MostErrors = 8;

    private readonly Highest _slowest = new(MostSlowest);
    private readonly Highest _random = new(MostRandom);
    private HashSet<string>? _errors;
    private List<CapturedSample>? _failed;

    /// <summary>Keeps an execution if it is among those.</summary>
    /// <returns>Whether it was.</returns>
    public bool Keep(in Observation o, string source, ulong pattern, IReadOnlyDictionary<string, string>? tags)
    {
        if (o.Failed)
        {
            _errors ??= new(StringComparer.Ordinal);
            if (_errors.Count >= MostErrors || !_errors.Add(o.SqlState.ToString()))
            {
                return false;
            }

            (_failed ??= []).Add(CapturedSample.Of(o, pattern, source, SamplePlace.Error, tags));
            return true;
        }

        // One execution may be both: the draw must not depend on how fast it was.
        long priority = CapturedSample.PriorityOf(o, source);
        bool drawn = _random.Admits(priority), slow = o.Duration is { } took && _slowest.Admits(took.Ticks);
        if (drawn)
        {
            _random.Add(priority, CapturedSample.Of(o, pattern, source, SamplePlace.Random, tags));
        }

        if (slow)
        {
            _slowest.Add(o.Duration!.Value.Ticks, CapturedSample.Of(o, pattern, source, SamplePlace.Slowest, tags));
        }

        return drawn || slow;
    }

    /// <summary>Those kept since the last time, if they are still among the best.</summary>
    public void Drain(List<CapturedSample> into)
    {
        _slowest.Drain(into);
        _random.Drain(into);
        into.AddRange(_failed ?? []);
        _failed = null;
    }

    /// <summary>The highest values with their samples, ascending.</summary>
    private sealed class Highest(int most)
    {
        private readonly List<(long Value, CapturedSample? Sample)> _kept = new(2);

        public bool Admits(long value) => _kept.Count < most || value > _kept[0].Value;

        public void Add(long value, CapturedSample sample)
        {
            if (_kept.Count == most)
            {
                _kept.RemoveAt(0);
            }

            int at = _kept.FindIndex(k => k.Value >= value);
            _kept.Insert(at < 0 ? _kept.Count : at, (value, sample));
        }

        public void Drain(List<CapturedSample> into)
        {
            for (int i = 0; i < _kept.Count; i++)
            {
                if (_kept[i].Sample is { } sample)
                {
                    into.Add(sample);
                    _kept[i] = (_kept[i].Value, null);
                }
            }
        }
    }
}
