namespace SwiftLedger.Core.Captures;

/// <summary>
/// Leaves out what another form of the same log tells: a server may write its log as text, CSV and JSON at once, and each statement
/// counts once.
/// </summary>
/// <param name="sink">Told the rest.</param>
/// <param name="spans">From the first to the last statement of each file in the other form, by the times at which they ended; a form may write whole seconds.</param>
public sealed class ToldAlready(ICaptureSink sink, IReadOnlyList<(DateTime From, DateTime To)> spans) : ICaptureSink
{
    private readonly (DateTime From, DateTime To)[] _spans = [.. spans.Select(s => (s.From.AddTicks(-(s.From.Ticks % TimeSpan.TicksPerSecond)), s.To))];

    /// <summary>Statements that were left out.</summary>
    public long LeftOut { get; private set; }

    /// <inheritdoc/>
    public void Observe(in Observation observation)
    {
        DateTime end = observation.At + (observation.Duration ?? default);
        foreach ((DateTime from, DateTime to) in _spans)
        {
            if (end >= from && end <= to)
            {
                LeftOut++;
                return;
            }
        }

        sink.Observe(observation);
    }

    /// <inheritdoc/>
    public void Tell(in LogEvent told)
    {
        foreach ((DateTime from, DateTime to) in _spans)
        {
            if (told.At >= from && told.At <= to)
            {
                return;
            }
        }

        sink.Tell(told);
    }

    /// <inheritdoc/>
    public void SeeSpan(in TracedSpan span) => sink.SeeSpan(span);

    /// <inheritdoc/>
    public void SeeVersion(VersionKey version, DateTime at) => sink.SeeVersion(version, at);

    /// <inheritdoc/>
    public void SetAside(long line, string reason) => sink.SetAside(line, reason);

    /// <inheritdoc/>
    public void Reject(long line, string reason) => sink.Reject(line, reason);
}
