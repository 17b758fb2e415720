using System.IO.Hashing;
using System.Runtime.InteropServices;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Captures;

/// <summary>Hands each execution over once where a capture has several spans of it: see <see cref="SpanNesting"/>.</summary>
/// <param name="sink">Told the rest.</param>
/// <param name="dialect">Of statements whose engine is not told.</param>
/// <param name="dialectOf">Of an engine by the name that spans give it; null where it is not known.</param>
public sealed class OneExecution(ICaptureSink sink, SqlDialect dialect, Func<string, SqlDialect?> dialectOf) : ICaptureSink
{
    private const int MostTexts = 10_000;

    private readonly SpanNesting _spans = new();

    // The same statement may have its marks as $1 in one span and as ? in the other: patterns are compared. Emptied when full.
    private readonly Dictionary<ulong, ulong> _patterns = [];

    /// <summary>Spans that were left out.</summary>
    public long LeftOut { get; private set; }

    /// <inheritdoc/>
    public void Observe(in Observation observation)
    {
        if (observation.Span != 0 && _spans.IsAgain(observation, PatternOf(observation)))
        {
            LeftOut++;
            return;
        }

        sink.Observe(observation);
    }

    /// <inheritdoc/>
    public void SeeSpan(in TracedSpan span)
    {
        _spans.See(span);
        sink.SeeSpan(span);
    }

    /// <inheritdoc/>
    public void SeeVersion(VersionKey version, DateTime at) => sink.SeeVersion(version, at);

    /// <inheritdoc/>
    public void Tell(in LogEvent told) => sink.Tell(told);

    /// <inheritdoc/>
    public void SetAside(long line, string reason) => sink.SetAside(line, reason);

    /// <inheritdoc/>
    public void Reject(long line, string reason) => sink.Reject(line, reason);

    private ulong PatternOf(in Observation observation)
    {
        ulong text = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(observation.Sql), (long)XxHash3.HashToUInt64(MemoryMarshal.AsBytes(observation.Engine)));
        if (_patterns.TryGetValue(text, out ulong pattern))
        {
            return pattern;
        }

        if (_patterns.Count >= MostTexts)
        {
            _patterns.Clear();
        }

        SqlDialect rules = observation.Engine.IsEmpty ? dialect : dialectOf(observation.Engine.ToString()) ?? dialect;
        return _patterns[text] = SqlPattern.Of(observation.Sql, rules).Hash;
    }
}
