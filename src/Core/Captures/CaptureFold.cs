using System.IO.Hashing;
using System.Runtime.InteropServices;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Captures;

/// <summary>Where a cell belongs: pattern, source and the minute.</summary>
/// <param name="Pattern">The pattern's hash; <see cref="CaptureFold.EverythingElse"/> for what is not kept apart.</param>
/// <param name="Minute">Its first minute since 1970, UTC.</param>
/// <param name="Source">The server or application instance.</param>
public readonly record struct CellKey(ulong Pattern, string Source, int Minute);

/// <summary>A pattern met for the first time in this fold.</summary>
/// <param name="Kind">Its first keyword in lower case.</param>
/// <param name="Tables">Names behind FROM, JOIN, INTO, UPDATE and the like, in order of first use.</param>
/// <param name="Hash">Of the pattern.</param>
/// <param name="Text">The pattern itself.</param>
public sealed record FoundPattern(ulong Hash, string Text, string Kind, IReadOnlyList<string> Tables);

/// <summary>How often a tag's value stood on a pattern's statements.</summary>
public readonly record struct TagKey(ulong Pattern, string Source, string Key, string Value);

/// <summary>How often statements failed with a code.</summary>
public readonly record struct ErrorKey(ulong Pattern, string Source, int Hour, string SqlState);

/// <summary>A statement that alters the schema.</summary>
public sealed record SchemaStatement(DateTime At, string Source, string Sql);

/// <summary>Lines that were not understood for the same reason.</summary>
public sealed record Rejection(string Reason, long Count, long FirstLine)
{
    /// <summary>One for each reason.</summary>
    public static IReadOnlyList<Rejection> Together(IEnumerable<Rejection> rejections) => rejections.GroupBy(r => r.Reason, StringComparer.Ordinal)
        .Select(g => new Rejection(g.Key, g.Sum(r => r.Count), g.Min(r => r.FirstLine))).ToList();
}

/// <summary>What a stretch of a capture came to.</summary>
public sealed record FoldedBatch(
    IReadOnlyList<FoundPattern> Patterns,
    IReadOnlyDictionary<CellKey, Cell> Cells,
    IReadOnlyList<CapturedSample> Samples,
    IReadOnlyDictionary<TagKey, long> Tags,
    IReadOnlyDictionary<ErrorKey, long> Errors,
    IReadOnlyDictionary<RepeatKey, Repeat> Repeats,
    IReadOnlyDictionary<PlanUseKey, PlanUse> Plans,
    IReadOnlyList<SchemaStatement> SchemaStatements,
    IReadOnlyList<Rejection> Rejections,
    long Statements)
{
    /// <summary>When its first statement ended, or what is told besides was, UTC; null where it has neither.</summary>
    public DateTime? From { get; init; }

    /// <summary>Likewise its last.</summary>
    public DateTime? To { get; init; }

    /// <summary>How many of its failures, and of those before, were followed by another try.</summary>
    public IReadOnlyDictionary<ErrorKey, long> Retries { get; init; } = new Dictionary<ErrorKey, long>();

    /// <summary>The same by seconds, as long as the capture is short; the keys count these.</summary>
    public IReadOnlyDictionary<CellKey, Cell> Seconds { get; init; } = new Dictionary<CellKey, Cell>();

    /// <summary>What each caller sent, hour by hour; own load and housekeeping stand here alone.</summary>
    public IReadOnlyDictionary<CallerCellKey, Cell> Callers { get; init; } = new Dictionary<CallerCellKey, Cell>();

    /// <summary>What the log told besides statements.</summary>
    public IReadOnlyDictionary<EventKey, EventSum> Events { get; init; } = new Dictionary<EventKey, EventSum>();

    /// <summary>Some of it, as it was told.</summary>
    public IReadOnlyList<KeptEvent> KeptEvents { get; init; } = [];

    /// <summary>What the units of each page came to.</summary>
    public IReadOnlyDictionary<PageKey, PageSum> Pages { get; init; } = new Dictionary<PageKey, PageSum>();

    /// <summary>When each version of a service was seen first and last.</summary>
    public IReadOnlyDictionary<VersionKey, (DateTime First, DateTime Last)> Versions { get; init; } = new Dictionary<VersionKey, (DateTime First, DateTime Last)>();

    /// <summary>Which values its statements were called with.</summary>
    public IReadOnlyDictionary<ValuesKey, HourOfValues> Values { get; init; } = new Dictionary<ValuesKey, HourOfValues>();
}

/// <summary>
/// Folds observed statements into patterns, minute by minute, in bounded memory: what has piled up is drained from time to time
/// and stored by whoever reads the capture.
/// </summary>
/// <param name="source">The source of statements that do not name their own.</param>
/// <param name="known">Hashes of the patterns that the book has.</param>
/// <param name="readPlan">Reads a plan that stands beside a statement; null where it is none.</param>
/// <param name="apart">Which patterns are kept apart.</param>
/// <param name="dialect">Of the statements.</param>
/// <param name="housekeeping">What of the load is the engine's housekeeping; null for none.</param>
public sealed class CaptureFold(SqlDialect dialect, Func<string, Plan?> readPlan, string source, KeepApart apart, IEnumerable<ulong> known, Housekeeping? housekeeping = null) : ICaptureSink
{
    /// <summary>The hash under which everything is summed that is not kept apart.</summary>
    public const ulong EverythingElse = 0;

    private const int MostTexts = 1 << 15, LongestCachedText = 16_384, MostTagValues = 20_000, MostTagLength = 200, LongestPattern = 65_536,
        MostCandidates = 1 << 16, MostKeptEvents = 5_000, MostSecondCells = 100_000, MostVersions = 1_000;

    // What was seen in exactly these words before needs no lexing. Bounded: emptied when full.
    private readonly Dictionary<UInt128, ulong> _texts = [];
    private readonly Dictionary<ulong, PatternSamples> _patterns = known.ToDictionary(h => h, _ => new PatternSamples());
    private readonly Dictionary<string, string>.AlternateLookup<ReadOnlySpan<char>> _sources =
        new Dictionary<string, string>(StringComparer.Ordinal).GetAlternateLookup<ReadOnlySpan<char>>();
    private readonly Dictionary<string, (long Count, long First)> _rejections = new(StringComparer.Ordinal);

    // Patterns that are not kept apart yet, with their calls and time. Bounded: those seen once are forgotten when it is full.
    private readonly Dictionary<ulong, (long Calls, long Ticks)> _candidates = [];
    private long _ticks, _read;
    private DateTime? _from, _to;
    private Dictionary<CellKey, Cell> _cells = [];
    private List<FoundPattern> _found = [];
    private readonly HashSet<PatternSamples> _touched = [];
    private Dictionary<TagKey, long> _tags = [];
    private Dictionary<ErrorKey, long> _errors = [];
    private List<SchemaStatement> _schema = [];
    private readonly UnitFold _units = new();
    private readonly ValueFold _values = new();
    private readonly PatternMarks _marks = new();
    private readonly SpanNesting _spans = new();
    private readonly Callers _callers = new(housekeeping ?? Housekeeping.None);
    private readonly Dictionary<(ulong Pattern, string Source, int Caller, int Hour), Cell> _callerCells = [];
    private Dictionary<EventKey, EventSum> _events = [];
    private Dictionary<VersionKey, (DateTime First, DateTime Last)> _versions = [];

    // Null once the capture has become too long for it.
    private Dictionary<CellKey, Cell>? _seconds = [];
    private DateTime _earliest = DateTime.MaxValue, _latest = DateTime.MinValue;
    private List<KeptEvent> _keptEvents = [];
    private readonly SqlDialect _dialect = dialect;
    private (string Name, SqlDialect Dialect)? _named;
    private readonly PlanUses _plans = new(readPlan);
    private long _statements;

    /// <summary>Rules of an engine by its name, for statements of which the capture names it; null where there is none of that name.</summary>
    public Func<string, SqlDialect?> DialectOf { get; init; } = _ => null;

    /// <summary>Cells that wait to be drained: what memory goes by.</summary>
    public int Waiting => Math.Max(_cells.Count, Math.Max(_callerCells.Count, 2 * _keptEvents.Count));

    /// <summary>Statements of this program's own, and of the engine's housekeeping: they count as no load of applications.</summary>
    public (long Own, long Housekeeping) Aside { get; private set; }

    /// <summary>Spans that are not counted, since another one within or around them is of the same execution.</summary>
    public long Again { get; private set; }

    /// <summary>Statements that count as everything else.</summary>
    public long NotKeptApart { get; private set; }

    public void Observe(in Observation observation)
    {
        try
        {
            Take(observation);
        }
        catch (Exception e) when (IsOurs(e))
        {
            // A mistake of ours in reading this text: it costs this statement, and never the file. The reader of the report sees that there is one.
            Reject(observation.Line, $"A statement could not be read, for a mistake of this program ({e.GetType().Name}).");
        }
    }

    private static bool IsOurs(Exception e) => e is ArgumentException or IndexOutOfRangeException or InvalidOperationException or FormatException or OverflowException;

    private void Take(in Observation observation)
    {
        SqlDialect dialect = observation.Engine.IsEmpty ? _dialect : Named(observation.Engine);
        ulong hash = HashOf(observation.Sql, dialect, out UInt128 text, out bool marked);
        if (_spans.IsAgain(observation, hash))
        {
            Again++;
            return;
        }

        string from = observation.Source.IsEmpty ? source : Interned(observation.Source);
        _statements++;
        _read++;
        Reach(observation.At + (observation.Duration ?? default));
        _ticks += observation.Duration?.Ticks ?? 0;
        ulong pattern = KeptApart(observation, dialect, hash, text);
        NotKeptApart += pattern == EverythingElse ? observation.Calls : 0;
        int minute = Stretches.MinuteOf(observation.At);
        Caller caller = _callers.Of(observation, dialect, out int number);
        if (caller.IsNamed)
        {
            (CollectionsMarshal.GetValueRefOrAddDefault(_callerCells, (pattern, from, number, Stretch.Hour.StartOf(minute)), out _) ??= new()).Count(observation);
        }

        if (caller.Kind != LoadKind.Application)
        {
            Aside = caller.Kind == LoadKind.Own ? (Aside.Own + observation.Calls, Aside.Housekeeping) : (Aside.Own, Aside.Housekeeping + observation.Calls);
            return;
        }

        ref Cell? cell = ref CollectionsMarshal.GetValueRefOrAddDefault(_cells, new(pattern, from, minute), out _);
        (cell ??= new()).Count(observation);
        CountSecond(observation, pattern, from);

        Dictionary<string, string>? tags = CommentTags.MayHold(observation.Sql) ? CommentTags.Read(observation.Sql) : null;
        _units.Take(observation, pattern, from, dialect, tags);
        if (pattern != EverythingElse)
        {
            _plans.Take(observation, pattern, from);
            _values.Take(observation, pattern, from, dialect, marked ? _marks : null);
        }

        CountTags(pattern, from, tags);
        if (observation.Failed)
        {
            Increase(_errors, new(pattern, from, Stretch.Hour.StartOf(minute), observation.SqlState.ToString()));
        }

        if (pattern != EverythingElse && _patterns[pattern] is { } samples && samples.Keep(observation, from, pattern, tags))
        {
            _touched.Add(samples);
        }

        if (SchemaWords.Alters(observation.Sql, dialect) && !observation.Failed)
        {
            _schema.Add(new(observation.At, from, observation.Sql.ToString()));
        }
    }

    public void SeeSpan(in TracedSpan span)
    {
        _spans.See(span);
        if (span.Page.Length > 0)
        {
            _units.Name(span.Unit, span.Source.Length == 0 ? source : Interned(span.Source), span.Page);
        }
    }

    public void SeeVersion(VersionKey version, DateTime at)
    {
        if (_versions.Count < MostVersions || _versions.ContainsKey(version))
        {
            ref (DateTime First, DateTime Last) seen = ref CollectionsMarshal.GetValueRefOrAddDefault(_versions, version, out bool known);
            seen = (known && seen.First < at ? seen.First : at, known && seen.Last > at ? seen.Last : at);
        }
    }

    private void CountSecond(in Observation observation, ulong pattern, string from)
    {
        if (_seconds is not { } seconds)
        {
            return;
        }

        (_earliest, _latest) = (observation.At < _earliest ? observation.At : _earliest, observation.At > _latest ? observation.At : _latest);
        if (_latest - _earliest > TimeSpan.FromMinutes(Stretches.MostInSeconds) || seconds.Count > MostSecondCells)
        {
            _seconds = null;
            return;
        }

        (CollectionsMarshal.GetValueRefOrAddDefault(seconds, new(pattern, from, Stretches.SecondOf(observation.At)), out _) ??= new()).Count(observation);
    }

    private void Reach(DateTime at) => (_from, _to) = (at < _from ? at : _from ?? at, at > _to ? at : _to ?? at);

    public void Tell(in LogEvent told)
    {
        try
        {
            TakeEvent(told);
        }
        catch (Exception e) when (IsOurs(e))
        {
            Reject(told.Line, $"What the log tells besides could not be read, for a mistake of this program ({e.GetType().Name}).");
        }
    }

    private void TakeEvent(in LogEvent told)
    {
        Reach(told.At);

        // What befell one of our own statements says nothing of the application.
        var of = new Observation { Application = told.Application, Database = told.Database, User = told.User, Sql = told.Sql, At = told.At };
        Caller caller = _callers.Of(of, _dialect, out _);
        if (caller.Kind == LoadKind.Own)
        {
            return;
        }

        ulong pattern = told.Sql.IsEmpty ? EverythingElse : KeptApart(of, _dialect, HashOf(told.Sql, _dialect, out UInt128 text, out _), text);
        ref EventSum sum = ref CollectionsMarshal.GetValueRefOrAddDefault(_events, new(pattern, source, Stretch.Hour.StartOf(Stretches.MinuteOf(told.At)), told.Kind), out _);
        sum = new(sum.Count + told.Count, sum.Amount + told.Amount);
        if (_keptEvents.Count < MostKeptEvents)
        {
            string message = told.Detail.IsEmpty ? told.Message.ToString() : $"{told.Message}. {told.Detail}";
            _keptEvents.Add(new(pattern, source, told.Kind, told.At, told.Amount, message.Length > CapturedSample.LongestMessage ? message[..CapturedSample.LongestMessage] : message, caller));
        }
    }

    public void Reject(long line, string reason)
    {
        ref (long Count, long First) rejected = ref CollectionsMarshal.GetValueRefOrAddDefault(_rejections, reason, out bool known);
        rejected = (rejected.Count + 1, known ? rejected.First : line);
    }

    /// <summary>Says what the statements taken from now on came at: see <see cref="CloseQuietUnits"/>.</summary>
    /// <param name="arrival">By any measure that grows.</param>
    public void ArriveAt(long arrival) => _units.Arrival = arrival;

    /// <summary>Ends the units of work of which nothing has come since an arrival.</summary>
    /// <param name="arrival">As <see cref="ArriveAt"/> was told it.</param>
    public void CloseQuietUnits(long arrival) => _units.CloseQuiet(arrival);

    /// <summary>Ends the units of work that are open: the capture has ended.</summary>
    public void CloseUnits() => _units.CloseAll();

    /// <summary>Hands over what has piled up and begins anew; what patterns are known, and which samples are kept, stays.</summary>
    public FoldedBatch Drain()
    {
        var samples = new List<CapturedSample>();
        foreach (PatternSamples touched in _touched)
        {
            touched.Drain(samples);
        }

        _touched.Clear();
        Dictionary<CallerCellKey, Cell> callers = _callerCells.ToDictionary(c => new CallerCellKey(c.Key.Pattern, c.Key.Source, _callers.Numbered(c.Key.Caller), c.Key.Hour), c => c.Value);
        _callerCells.Clear();
        var batch = new FoldedBatch(_found, _cells, samples, _tags, _errors, _units.Drain(), _plans.Drain(), _schema,
            _rejections.Select(r => new Rejection(r.Key, r.Value.Count, r.Value.First)).ToList(), _statements)
        { From = _from, To = _to, Retries = _units.DrainRetries(), Values = _values.Drain(), Callers = callers, Events = _events, KeptEvents = _keptEvents, Seconds = _seconds ?? [], Pages = _units.DrainPages(), Versions = _versions };
        _versions = [];
        _seconds = _seconds is null ? null : [];
        (_found, _cells, _tags, _errors, _schema) = ([], [], [], [], []);
        (_events, _keptEvents) = ([], []);
        _rejections.Clear();
        (_statements, _from, _to) = (0, null, null);
        return batch;
    }

    private static void Increase<TKey>(Dictionary<TKey, long> counts, TKey key)
        where TKey : notnull => CollectionsMarshal.GetValueRefOrAddDefault(counts, key, out _)++;

    /// <summary>The pattern of a statement, whether it is kept apart or not.</summary>
    /// <param name="sql">The statement.</param>
    /// <param name="dialect">Its rules.</param>
    /// <param name="text">What the text is known by; 0 where it is too long.</param>
    /// <param name="marked">Whether the marks are those of this text.</param>
    private ulong HashOf(ReadOnlySpan<char> sql, SqlDialect dialect, out UInt128 text, out bool marked)
    {
        marked = false;
        // 128 bits, so that two texts never pass for one.
        text = sql.Length <= LongestCachedText ? XxHash128.HashToUInt128(MemoryMarshal.AsBytes(sql), ReferenceEquals(dialect, _dialect) ? 0 : dialect.Id.GetHashCode(StringComparison.Ordinal)) : 0;
        if (text != 0 && _texts.TryGetValue(text, out ulong known))
        {
            return known;
        }

        ulong hash = SqlPattern.HashOf(sql, dialect, _marks);
        marked = true;
        return hash == EverythingElse ? 1 : hash;
    }

    /// <summary>The pattern that a statement counts for.</summary>
    private ulong KeptApart(in Observation observation, SqlDialect dialect, ulong hash, UInt128 text)
    {
        if (!_patterns.ContainsKey(hash) && !TryKeepApart(observation, hash, dialect))
        {
            return EverythingElse;
        }

        if (text != 0 && !_texts.ContainsKey(text))
        {
            if (_texts.Count >= MostTexts)
            {
                _texts.Clear();
            }

            _texts[text] = hash;
        }

        return hash;
    }

    private bool TryKeepApart(in Observation observation, ulong hash, SqlDialect dialect)
    {
        ReadOnlySpan<char> sql = observation.Sql;
        if (_patterns.Count >= apart.MostPatterns)
        {
            return false;
        }

        (long calls, long ticks) = _candidates.GetValueOrDefault(hash);
        (calls, ticks) = (calls + observation.Calls, ticks + (observation.Duration?.Ticks ?? 0));
        if (!apart.With(_patterns.Count).Admits(calls, ticks, _read, _ticks))
        {
            MakeRoomForCandidate();
            _candidates[hash] = (calls, ticks);
            return false;
        }

        _candidates.Remove(hash);
        string text = SqlPattern.Of(sql, dialect).Text;
        StatementTables tables = StatementTables.Of(sql, dialect);
        _found.Add(new(hash, text.Length > LongestPattern ? text[..LongestPattern] : text, tables.Kind, tables.Names));
        _patterns.Add(hash, new());
        return true;
    }

    private void MakeRoomForCandidate()
    {
        if (_candidates.Count < MostCandidates)
        {
            return;
        }

        foreach (ulong once in _candidates.Where(c => c.Value.Calls <= 1).Select(c => c.Key).ToList())
        {
            _candidates.Remove(once);
        }

        if (_candidates.Count >= MostCandidates)
        {
            _candidates.Clear();
        }
    }

    private void CountTags(ulong pattern, string from, Dictionary<string, string>? tags)
    {
        foreach ((string key, string value) in tags ?? [])
        {
            if (_tags.Count < MostTagValues && key.Length <= MostTagLength && value.Length <= MostTagLength && !CommentTags.IsTrace(key))
            {
                Increase(_tags, new(pattern, from, key, value));
            }
        }
    }

    private SqlDialect Named(ReadOnlySpan<char> engine)
    {
        if (_named is not { } last || !engine.SequenceEqual(last.Name))
        {
            _named = last = (engine.ToString(), DialectOf(engine.ToString()) ?? _dialect);
        }

        return last.Dialect;
    }

    private string Interned(ReadOnlySpan<char> name)
    {
        if (!_sources.TryGetValue(name, out string? known))
        {
            known = name.ToString();
            _sources[name] = known;
        }

        return known;
    }
}
