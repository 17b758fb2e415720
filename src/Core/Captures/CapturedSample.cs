using System.IO.Hashing;
using System.Runtime.InteropServices;

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
public sealed record CapturedSample(
    ulong Pattern, string Source, SamplePlace Place, DateTime At, TimeSpan? Duration, string Sql, string Binds, long? RowsReturned, long? RowsRead,
    string SqlState, string Message, string Session, string Unit, string Application, string Database, string User,
    IReadOnlyDictionary<string, string> Tags, string Plan, long Priority)
{
    /// <summary>Characters kept of a statement, its message and its plan.</summary>
    public const int LongestSql = 16_384, LongestBinds = 8_192, LongestMessage = 2_000, LongestPlan = 200_000;

    public static CapturedSample Of(in Observation o, ulong pattern, string source, SamplePlace place, IReadOnlyDictionary<string, string>? tags) => new(
        pattern, source, place, o.At, o.Duration, Cut(o.Sql, LongestSql),
        Cut(o.ParameterForm == ParameterForm.Postgres ? PostgresParameters.ToBinds(o.Parameters) : o.Parameters, LongestBinds),
        o.RowsReturned, o.RowsRead, o.SqlState.ToString(), Cut(o.Message, LongestMessage), o.Session.ToString(), o.Unit.ToString(), o.Application.ToString(),
        o.Database.ToString(), o.User.ToString(), tags ?? new Dictionary<string, string>(), Cut(o.Plan, LongestPlan), PriorityOf(o, source));

    /// <summary>See <see cref="Priority"/>.</summary>
    public static long PriorityOf(in Observation o, string source)
    {
        Span<long> what = [o.At.Ticks, o.Duration?.Ticks ?? -1, o.Sql.Length, source.Length, o.Session.Length];
        ulong hash = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(what)) ^ XxHash3.HashToUInt64(MemoryMarshal.AsBytes(o.Session));
        return (long)(hash >> 1);
    }

    private static string Cut(ReadOnlySpan<char> text, int most) => text.Length > most ? string.Concat(text[..most], "...") : text.ToString();
}

/// <summary>Which executions of a pattern are worth keeping: the slowest, some at random, one of each error.</summary>
internal sealed class PatternSamples
{
    /// <summary>How many of a pattern stay.</summary>
    public const int MostSlowest = 5, MostRandom = 20, MostErrors = 8;

    private readonly List<long> _slowest = new(2);
    private readonly List<long> _random = new(2);
    private HashSet<string>? _errors;

    public SamplePlace? Wants(in Observation o, string source)
    {
        if (o.Failed)
        {
            _errors ??= new(StringComparer.Ordinal);
            return _errors.Count < MostErrors && _errors.Add(o.SqlState.ToString()) ? SamplePlace.Error : null;
        }

        if (o.Duration is { } duration && Enters(_slowest, duration.Ticks, MostSlowest))
        {
            return SamplePlace.Slowest;
        }

        return Enters(_random, CapturedSample.PriorityOf(o, source), MostRandom) ? SamplePlace.Random : null;
    }

    /// <summary>Keeps the highest values, ascending; whether this one is among them.</summary>
    private static bool Enters(List<long> highest, long value, int most)
    {
        if (highest.Count == most)
        {
            if (value <= highest[0])
            {
                return false;
            }

            highest.RemoveAt(0);
        }

        int at = highest.BinarySearch(value);
        highest.Insert(at < 0 ? ~at : at, value);
        return true;
    }
}
