using System.Runtime.InteropServices;
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
/// <remarks>
/// Where a trace has several requests, a statement is of the nearest one around it. An execution with several spans, one around the other,
/// counts once: <see cref="SpanNesting"/>.
/// </remarks>
/// <param name="dialect">Of statements whose engine is not told.</param>
/// <param name="dialectOf">Of an engine by the name that spans give it; null where it is not known.</param>
public sealed class RunUnits(SqlDialect dialect, Func<string, SqlDialect?> dialectOf) : ICaptureSink
{
    /// <summary>Traces that are kept apart; what is in more of them is not counted, and told.</summary>
    public const int MostTraces = 200_000;

    /// <summary>Spans that are kept; what comes behind them is not counted, and told.</summary>
    public const int MostSpans = 5_000_000;

    private const int LongestText = 200, MostTexts = 20_000, LongestName = 200, Deepest = 256;

    private readonly Dictionary<(string Source, string Unit), Trace> _traces = [];
    private readonly Dictionary<ulong, string> _texts = [];
    private readonly Dictionary<string, long> _rejected = [];
    private long _withoutTrace, _beyond, _spans;
    private Parted? _parted;

    /// <summary>Whether some of what the run sent was lost: a unit may have sent more than was counted.</summary>
    public bool IsPartial => _beyond > 0 || _rejected.Count > 0;

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

        if (TraceOf(observation.Unit, observation.Source) is not { } trace)
        {
            return;
        }

        if (_texts.Count < MostTexts)
        {
            _texts.TryAdd(pattern.Hash, pattern.Text.Length > LongestText ? string.Concat(pattern.Text.AsSpan(0, LongestText), "...") : pattern.Text);
        }

        trace.Sent.Add(new(observation.Span, observation.ParentSpan, pattern.Hash, observation.At.Ticks, observation.Duration?.Ticks ?? 0));
    }

    /// <inheritdoc/>
    public void SeeSpan(in TracedSpan span)
    {
        if ((span.Span != 0 || span.Page.Length > 0) && TraceOf(span.Unit, span.Source) is { } trace)
        {
            trace.Around.Add(new(span.Span, span.ParentSpan, span.Page.Length > LongestName ? string.Concat(span.Page.AsSpan(0, LongestName), "...") : span.Page));
        }
    }

    /// <inheritdoc/>
    public void SetAside(long line, string reason)
    {
    }

    /// <inheritdoc/>
    public void Reject(long line, string reason) => _rejected[reason] = _rejected.GetValueOrDefault(reason) + 1;

    /// <summary>The units by name, in the order of their names; those that sent no statement are none.</summary>
    public IReadOnlyList<RunUnit> Units() =>
    [
        .. All.Units.GroupBy(u => u.Name).OrderBy(g => g.Key, StringComparer.Ordinal).Select(g =>
        {
            (ulong Pattern, int Times) most = g.Select(u => u.Sent.CountBy(s => s.Pattern).Select(p => (p.Key, p.Value)).OrderByDescending(p => p.Value).ThenBy(p => p.Key).First()).OrderByDescending(p => p.Value).ThenBy(p => p.Key).First();
            return new RunUnit(g.Key, g.Count(), g.Max(u => u.Sent.Count), most.Times, _texts.GetValueOrDefault(most.Pattern, ""), [.. g.Select(u => u.Sent.Sum(s => s.Ticks) / (double)TimeSpan.TicksPerMillisecond).Order()]);
        }),
    ];

    /// <summary>What was not counted, and what has to be known of what was, in sentences.</summary>
    public IReadOnlyList<string> Notes() =>
    [
        .. All.Nameless > 0 ? [$"{Figures.Count(All.Nameless)} {(All.Nameless == 1 ? "trace has" : "traces have")} no root span, and so no name: {(All.Nameless == 1 ? "it is" : "they are")} no unit."] : Array.Empty<string>(),
        .. All.Mixed.Count > 0 ? [$"{Figures.Count(All.Mixed.Count)} {(All.Mixed.Count == 1 ? "trace holds" : "traces hold")} several units ({string.Join(", ", All.Mixed[0].Take(3).Select(n => $"'{n}'"))}{(All.Mixed[0].Count > 3 ? ", ..." : "")}) and statements of which no span tells whose they are: none of its units is counted. Begin a trace for each."] : Array.Empty<string>(),
        .. All.Again > 0 ? [$"{Figures.Count(All.Again)} {(All.Again == 1 ? "span is" : "spans are")} around another one of the same execution, or came twice: each execution is counted once."] : Array.Empty<string>(),
        .. _withoutTrace > 0 ? [$"{Figures.Count(_withoutTrace)} {(_withoutTrace == 1 ? "statement belongs" : "statements belong")} to no trace, and so to no unit."] : Array.Empty<string>(),
        .. _beyond > 0 ? [$"{Figures.Count(_beyond)} spans are beyond the {Figures.Count(MostTraces)} traces and {Figures.Count(MostSpans)} spans that are kept: they are not counted."] : Array.Empty<string>(),
        .. _rejected.Select(r => $"{Figures.Count(r.Value)} x {r.Key}"),
    ];

    private Parted All => _parted ??= Part();

    private Parted Part()
    {
        var parted = new Parted();
        foreach (Trace trace in _traces.Values.Where(t => t.Sent.Count > 0))
        {
            List<Sent> sent = trace.Once();
            parted.Again += trace.Sent.Count - sent.Count;
            List<Around> named = [.. trace.Around.Where(a => a.Name.Length > 0).Distinct()];
            Dictionary<Around, List<Sent>>? units = named.Count > 1 ? trace.ByUnit(sent) : null;
            switch (named)
            {
                case []:
                    parted.Nameless++;
                    break;
                case [var only]:
                    parted.Units.Add((only.Name, sent));
                    break;
                default:
                    if (units is null)
                    {
                        parted.Mixed.Add([.. named.Select(n => n.Name).Distinct()]);
                    }
                    else
                    {
                        parted.Units.AddRange(units.Select(u => (u.Key.Name, u.Value)));
                    }

                    break;
            }
        }

        return parted;
    }

    private Trace? TraceOf(ReadOnlySpan<byte> unit, ReadOnlySpan<char> source)
    {
        _parted = null;
        var key = (source.ToString(), Encoding.UTF8.GetString(unit));
        if (!_traces.TryGetValue(key, out Trace? trace) && _traces.Count < MostTraces)
        {
            _traces[key] = trace = new();
        }

        if (trace is null || ++_spans > MostSpans)
        {
            _beyond++;
            return null;
        }

        return trace;
    }

    /// <summary>A statement's span.</summary>
    private readonly record struct Sent(ulong Span, ulong Parent, ulong Pattern, long At, long Ticks);

    /// <summary>A span of no statement; its name is empty where no unit begins with it.</summary>
    private readonly record struct Around(ulong Span, ulong Parent, string Name);

    /// <summary>All traces, parted into units.</summary>
    private sealed class Parted
    {
        public List<(string Name, List<Sent> Sent)> Units { get; } = [];

        public List<IReadOnlyList<string>> Mixed { get; } = [];

        public int Nameless { get; set; }

        public long Again { get; set; }
    }

    private sealed class Trace
    {
        public List<Sent> Sent { get; } = [];

        public List<Around> Around { get; } = [];

        /// <summary>Each execution once: of spans within one another, the innermost, which is the shortest.</summary>
        public List<Sent> Once()
        {
            var spans = new SpanNesting(int.MaxValue);
            foreach (Around around in Around.Where(a => a.Span != 0))
            {
                spans.See(0, around.Span, around.Name.Length > 0 ? 0 : around.Parent);
            }

            return [.. Sent.OrderBy(s => s.Ticks).ThenBy(s => s.Span).Where(s => !spans.IsAgain(0, s.Span, s.Parent, s.Pattern, s.At))];
        }

        /// <summary>Which statements are of which unit; null where that is not known of one of them.</summary>
        public Dictionary<Around, List<Sent>>? ByUnit(List<Sent> sent)
        {
            var around = new Dictionary<ulong, Around>();
            foreach (Around one in Around.Concat(Sent.Select(s => new Around(s.Span, s.Parent, ""))).Where(a => a.Span != 0))
            {
                around.TryAdd(one.Span, one);
            }

            var units = new Dictionary<Around, List<Sent>>();
            foreach (Sent one in sent)
            {
                ulong span = one.Parent;
                Around unit = default;
                for (int i = 0; i < Deepest && span != 0 && around.TryGetValue(span, out unit) && unit.Name.Length == 0; i++)
                {
                    span = unit.Parent;
                }

                if (unit.Name is not { Length: > 0 })
                {
                    return null;
                }

                (CollectionsMarshal.GetValueRefOrAddDefault(units, unit, out _) ??= []).Add(one);
            }

            return units;
        }
    }
}
