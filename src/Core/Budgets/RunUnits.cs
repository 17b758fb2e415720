using System.Text;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Budgets;

/// <summary>What the units of work of one name came to in a run of the application.</summary>
/// <param name="Name">The route or name of their traces' root spans.</param>
/// <param name="Times">How many there were.</param>
/// <param name="Statements">That one of them sent, at most.</param>
/// <param name="Repeats">How often one of them sent the same statement, whatever its values, at most.</param>
/// <param name="Repeated">The text of that statement, without its values.</param>
/// <param name="Milliseconds">Of each, in the database, ascending.</param>
public sealed record RunUnit(string Name, int Times, int Statements, int Repeats, string Repeated, IReadOnlyList<double> Milliseconds);

/// <summary>Gathers the units of work of a run from its traces: spans come in any order, and a unit is over when the run is.</summary>
/// <param name="dialect">Of statements whose engine is not told.</param>
/// <param name="dialectOf">Of an engine by the name that spans give it; null where it is not known.</param>
public sealed class RunUnits(SqlDialect dialect, Func<string, SqlDialect?> dialectOf) : ICaptureSink
{
    /// <summary>Traces that are kept apart; what is in more of them is not counted, and told.</summary>
    public const int MostTraces = 200_000;

    private const int LongestText = 200, MostTexts = 20_000, LongestName = 200;

    private readonly Dictionary<(string Source, string Unit), Trace> _traces = [];
    private readonly Dictionary<ulong, string> _texts = [];
    private readonly Dictionary<string, long> _rejected = [];
    private long _withoutTrace, _beyond;

    /// <summary>Statements that were counted.</summary>
    public long Statements { get; private set; }

    /// <inheritdoc/>
    public void Observe(in Observation observation)
    {
        // The pattern has no comments, which may stand in front of a word that only opens or ends something.
        SqlPattern pattern = SqlPattern.Of(observation.Sql, observation.Engine.IsEmpty ? dialect : dialectOf(observation.Engine.ToString()) ?? dialect);
        if (Transactions.IsControl(pattern.Text))
        {
            return;
        }

        if (observation.Unit.IsEmpty)
        {
            _withoutTrace++;
            return;
        }

        if (TraceOf(observation.Unit, observation.Source.ToString()) is not { } trace)
        {
            _beyond++;
            return;
        }

        if (_texts.Count < MostTexts)
        {
            _texts.TryAdd(pattern.Hash, pattern.Text.Length > LongestText ? string.Concat(pattern.Text.AsSpan(0, LongestText), "...") : pattern.Text);
        }

        trace.Patterns[pattern.Hash] = trace.Patterns.GetValueOrDefault(pattern.Hash) + 1;
        trace.Statements++;
        trace.Ticks += observation.Duration?.Ticks ?? 0;
        Statements++;
    }

    /// <inheritdoc/>
    public void NameUnit(ReadOnlySpan<byte> unit, string source, string page)
    {
        if (TraceOf(unit, source) is { } trace)
        {
            trace.Names.Add(page.Length > LongestName ? string.Concat(page.AsSpan(0, LongestName), "...") : page);
        }
    }

    /// <inheritdoc/>
    public void Reject(long line, string reason) => _rejected[reason] = _rejected.GetValueOrDefault(reason) + 1;

    /// <summary>The units by name, in the order of their names; those that sent no statement are none.</summary>
    public IReadOnlyList<RunUnit> Units() =>
    [
        .. _traces.Values.Where(t => t.Statements > 0 && t.Names.Count == 1).GroupBy(t => t.Names.Single()).OrderBy(g => g.Key, StringComparer.Ordinal).Select(g =>
        {
            (ulong Pattern, int Times) most = g.Select(t => t.Patterns.Select(p => (p.Key, p.Value)).OrderByDescending(p => p.Value).ThenBy(p => p.Key).First()).OrderByDescending(p => p.Value).ThenBy(p => p.Key).First();
            return new RunUnit(g.Key, g.Count(), g.Max(t => t.Statements), most.Times, _texts.GetValueOrDefault(most.Pattern, ""), [.. g.Select(t => t.Ticks / (double)TimeSpan.TicksPerMillisecond).Order()]);
        }),
    ];

    /// <summary>What was not counted, and what has to be known of what was, in sentences.</summary>
    public IReadOnlyList<string> Notes()
    {
        int nameless = _traces.Values.Count(t => t.Statements > 0 && t.Names.Count == 0);
        Trace[] mixed = [.. _traces.Values.Where(t => t.Statements > 0 && t.Names.Count > 1)];
        return
        [
            .. nameless > 0 ? [$"{Figures.Count(nameless)} {(nameless == 1 ? "trace has" : "traces have")} no root span, and so no name: {(nameless == 1 ? "it is" : "they are")} no unit."] : Array.Empty<string>(),
            .. mixed.Length > 0 ? [$"{Figures.Count(mixed.Length)} {(mixed.Length == 1 ? "trace holds" : "traces hold")} several units ({string.Join(", ", mixed[0].Names.Take(3).Select(n => $"'{n}'"))}{(mixed[0].Names.Count > 3 ? ", ..." : "")}): whose statements are whose is not known, and none is counted. Begin a trace for each."] : Array.Empty<string>(),
            .. _withoutTrace > 0 ? [$"{Figures.Count(_withoutTrace)} {(_withoutTrace == 1 ? "statement belongs" : "statements belong")} to no trace, and so to no unit."] : Array.Empty<string>(),
            .. _beyond > 0 ? [$"{Figures.Count(_beyond)} statements are of more traces than the {Figures.Count(MostTraces)} that are kept apart: they are not counted."] : Array.Empty<string>(),
            .. _rejected.Select(r => $"{Figures.Count(r.Value)} x {r.Key}"),
        ];
    }

    private Trace? TraceOf(ReadOnlySpan<byte> unit, string source)
    {
        var key = (source, Encoding.UTF8.GetString(unit));
        if (!_traces.TryGetValue(key, out Trace? trace) && _traces.Count < MostTraces)
        {
            _traces[key] = trace = new();
        }

        return trace;
    }

    private sealed class Trace
    {
        public HashSet<string> Names { get; } = [];

        public Dictionary<ulong, int> Patterns { get; } = [];

        public int Statements { get; set; }

        public long Ticks { get; set; }
    }
}
