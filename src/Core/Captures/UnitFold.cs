using System.IO.Hashing;
using System.Runtime.InteropServices;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Captures;

/// <summary>One statement of a unit of work, as an example shows it.</summary>
public sealed record UnitStep(ulong Pattern, DateTime At, double? Milliseconds, string Binds);

/// <summary>Which pattern is repeated, and after which one.</summary>
/// <param name="Before">The pattern right before the first repetition; 0 where the unit begins with it.</param>
/// <param name="Then">The write of the same row that follows each repetition; 0 where there is none.</param>
/// <param name="Repeated">Hash of the pattern that was repeated.</param>
/// <param name="Source">The server or application instance.</param>
public readonly record struct RepeatKey(ulong Before, ulong Repeated, string Source, ulong Then = 0);

/// <summary>Units of work that send the same pattern again and again.</summary>
public sealed class Repeat
{
    /// <summary>Units in which it was repeated.</summary>
    public long Units { get; set; }

    /// <summary>Repeated statements in all of them.</summary>
    public long Statements { get; set; }

    public int Least { get; set; } = int.MaxValue;

    public int Most { get; set; }

    /// <summary>Time in the database of the repeated statements.</summary>
    public long Ticks { get; set; }

    /// <summary>Time between the end of one and the start of the next, where both are known.</summary>
    public long GapTicks { get; set; }

    public long Gaps { get; set; }

    /// <summary>Units in which the pattern before returned as many rows as there were repetitions.</summary>
    public long OneForEachRow { get; set; }

    /// <summary>Units whose pattern before tells how many rows it returned: how the repetitions go with those.</summary>
    public long Lists { get; set; }

    /// <summary>Rows of those lists.</summary>
    public long ListRows { get; set; }

    public long ListRowsSquared { get; set; }

    /// <summary>Repetitions behind those lists.</summary>
    public long ListRepeats { get; set; }

    public long ListRowsByRepeats { get; set; }

    /// <summary>
    /// By how many the repetitions grow with each row of the list: the slope of the least-squares line. Null where fewer than
    /// <see cref="LeastLists"/> tell, or all lists have the same length.
    /// </summary>
    public double? PerRow
    {
        get
        {
            double spread = ((double)Lists * ListRowsSquared) - ((double)ListRows * ListRows);
            return Lists < LeastLists || spread <= 0 ? null : (((double)Lists * ListRowsByRepeats) - ((double)ListRows * ListRepeats)) / spread;
        }
    }

    /// <summary>Fewer lists make no line.</summary>
    public const int LeastLists = 5;

    /// <summary>The statements of the unit with the most repetitions, as far as they were kept.</summary>
    public IReadOnlyList<UnitStep> Example { get; set; } = [];

    public void Add(Repeat other)
    {
        Example = other.Most > Most || Example.Count == 0 ? other.Example : Example;
        Units += other.Units;
        Statements += other.Statements;
        Least = Math.Min(Least, other.Least);
        Most = Math.Max(Most, other.Most);
        Ticks += other.Ticks;
        GapTicks += other.GapTicks;
        Gaps += other.Gaps;
        OneForEachRow += other.OneForEachRow;
        Lists += other.Lists;
        ListRows += other.ListRows;
        ListRowsSquared += other.ListRowsSquared;
        ListRepeats += other.ListRepeats;
        ListRowsByRepeats += other.ListRowsByRepeats;
    }
}

/// <summary>
/// Follows units of work and finds those that ask the same thing for each row of a list, and tries that were refused and repeated.
/// </summary>
/// <remarks>
/// A unit is what the capture names as one, a trace, the tag of a request, or a transaction: what is repeated there is. Of a session
/// alone nobody knows where one unit ends and the next begins, for a pool lends it to many: there a pattern that comes again and again,
/// with no longer pause than <see cref="LongestPause"/> and one other statement at the most in between, is repeated where chance does
/// not explain it (<see cref="SessionMix"/>).
/// </remarks>
public sealed class UnitFold
{
    /// <summary>A session that pauses longer has begun another unit.</summary>
    public static readonly TimeSpan LongestPause = TimeSpan.FromMilliseconds(250);

    /// <summary>Fewer repetitions are not worth a word.</summary>
    public const int LeastRepeats = 4;

    /// <summary>A statement that is sent again this long after it was refused is no second try any more.</summary>
    public static readonly TimeSpan LongestTry = TimeSpan.FromMinutes(1);

    private const int MostUnits = 10_000, MostStepsOpen = 200_000, MostSteps = 4_000, MostKept = 24, MostKeptOfSession = 240, MostRefused = 10_000, MostNames = 50_000, MostPages = 500, LongestPage = 200;
    private const double MostlyFollowed = 0.9;

    private readonly Dictionary<ulong, Unit> _open = [];
    private readonly SessionMix _mix = new();
    private readonly Dictionary<ulong, Refused> _refused = [];
    private Dictionary<RepeatKey, Repeat> _found = [];
    private Dictionary<ErrorKey, long> _retries = [];
    private long _steps;

    // Names of units that are open, or whose statements come yet.
    private readonly Dictionary<ulong, string> _names = [];
    private readonly HashSet<string> _pageNames = new(StringComparer.Ordinal);
    private Dictionary<PageKey, PageSum> _pages = [];

    /// <summary>What the statements taken from now on came at, by any measure that grows: see <see cref="CloseQuiet"/>.</summary>
    public long Arrival { get; set; }

    /// <summary>Takes the next statement of a capture.</summary>
    /// <param name="o">The statement.</param>
    /// <param name="pattern">Its hash.</param>
    /// <param name="source">The server or application instance.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <param name="tags">Of its comments; null for none.</param>
    public void Take(in Observation o, ulong pattern, string source, SqlDialect dialect, Dictionary<string, string>? tags = null)
    {
        string? request = tags is null ? null : CommentTags.RequestOf(tags);
        bool named = !o.Unit.IsEmpty || request is not null;
        if (!named && o.Session.IsEmpty)
        {
            return;
        }

        ulong seed = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(source.AsSpan()));
        ulong session = o.Session.IsEmpty ? 0 : XxHash3.HashToUInt64(o.Session, (long)seed);
        ulong transaction = !named && Transactions.IsOne(o.Transaction) ? XxHash3.HashToUInt64(o.Transaction, (long)session) : 0;
        ulong key = !o.Unit.IsEmpty ? KeyOf(o.Unit, source)
            : request is not null ? XxHash3.HashToUInt64(MemoryMarshal.AsBytes(request.AsSpan()), (long)seed) ^ 2
            : transaction != 0 ? transaction : session;
        CountTry(o, named ? key : session, pattern, source);
        if (_open.TryGetValue(key, out Unit? unit) && key == session && (o.At - unit.End > LongestPause || unit.Steps >= MostSteps))
        {
            Close(unit);
            _open.Remove(key);
            unit = null;
        }

        if (unit is null)
        {
            MakeRoom();
            _open[key] = unit = new(source, key == session, key);
        }

        bool control = Transactions.IsControl(o.Sql);
        if (!control)
        {
            unit.Count(o, tags);
        }

        unit.Arrival = Arrival;
        ulong group = key == session ? _mix.Count(o, seed, session, pattern) : 0;
        if (!o.Failed && !control)
        {
            _steps += unit.Add(o, pattern, SchemaWords.Writes(o.Sql, dialect), session, group) ? 1 : 0;
        }
    }

    /// <summary>Ends the units of which nothing has come since something else did: no more of them is to come.</summary>
    /// <param name="arrival">By <see cref="Arrival"/>.</param>
    public void CloseQuiet(long arrival)
    {
        foreach ((ulong key, Unit unit) in _open.Where(u => u.Value.Arrival < arrival).ToList())
        {
            Close(unit);
            _open.Remove(key);
        }
    }

    /// <summary>Ends all open units: the capture has ended.</summary>
    public void CloseAll()
    {
        foreach (Unit unit in _open.Values)
        {
            Close(unit);
        }

        _open.Clear();
    }

    /// <summary>Hands over what was found since the last time.</summary>
    public IReadOnlyDictionary<RepeatKey, Repeat> Drain()
    {
        Dictionary<RepeatKey, Repeat> found = _found;
        _found = [];
        return found;
    }

    /// <summary>What a unit is called.</summary>
    /// <param name="unit">As the capture names it.</param>
    /// <param name="source">The server or application instance.</param>
    /// <param name="page">Its name.</param>
    public void Name(ReadOnlySpan<byte> unit, string source, string page)
    {
        if (_names.Count >= MostNames)
        {
            _names.Clear();
        }

        page = page.Length > LongestPage ? string.Concat(page.AsSpan(0, LongestPage), "...") : page;
        _names[KeyOf(unit, source)] = _pageNames.TryGetValue(page, out string? known) ? known : page;
        if (_pageNames.Count < MostPages)
        {
            _pageNames.Add(page);
        }
    }

    /// <summary>Hands over what the units of each page came to.</summary>
    public IReadOnlyDictionary<PageKey, PageSum> DrainPages()
    {
        Dictionary<PageKey, PageSum> pages = _pages;
        _pages = [];
        return pages;
    }

    private static ulong KeyOf(ReadOnlySpan<byte> unit, string source) => XxHash3.HashToUInt64(unit, (long)XxHash3.HashToUInt64(MemoryMarshal.AsBytes(source.AsSpan()))) ^ 1;

    /// <summary>Hands over which failures were followed by another try of the same statement with the same values.</summary>
    public IReadOnlyDictionary<ErrorKey, long> DrainRetries()
    {
        Dictionary<ErrorKey, long> retries = _retries;
        _retries = [];
        return retries;
    }

    /// <summary>Where more is open than memory allows, the quarter in which least has happened of late ends.</summary>
    private void MakeRoom()
    {
        if (_open.Count < MostUnits && _steps < MostStepsOpen)
        {
            return;
        }

        foreach ((ulong key, Unit unit) in _open.OrderBy(u => u.Value.End).Take((_open.Count / 4) + 1).ToList())
        {
            Close(unit);
            _open.Remove(key);
        }
    }

    private void CountTry(in Observation o, ulong key, ulong pattern, string source)
    {
        if (_refused.Count == 0 && !o.Failed)
        {
            return;
        }

        ulong text = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(o.Sql), unchecked((long)XxHash3.HashToUInt64(MemoryMarshal.AsBytes(o.Parameters))));
        ulong statement = key ^ text;
        if (_refused.Remove(statement, out Refused before) && o.At - before.At <= LongestTry)
        {
            CollectionsMarshal.GetValueRefOrAddDefault(_retries, before.Error, out _)++;
        }

        if (o.Failed)
        {
            if (_refused.Count >= MostRefused)
            {
                _refused.Clear();
            }

            _refused[statement] = new(o.At, new(pattern, source, Stretch.Hour.StartOf(Stretches.MinuteOf(o.At)), o.SqlState.ToString()));
        }
    }

    private void Close(Unit unit)
    {
        _steps -= unit.Steps;
        string page = (_names.Remove(unit.Key, out string? name) ? name : unit.Page) ?? "";
        if (page.Length > 0 && unit.Statements > 0 && !unit.Supposed)
        {
            if (_pageNames.Count < MostPages)
            {
                _pageNames.Add(page);
            }

            page = _pageNames.Contains(page) ? page : Caller.Others;
            CollectionsMarshal.GetValueRefOrAddDefault(_pages, new(page, unit.Source, Stretch.Hour.StartOf(Stretches.MinuteOf(unit.Began))), out _) += new PageSum(1, unit.Statements, unit.Ticks);
        }

        foreach ((RepeatKey key, Repeat repeat) in unit.Repeats(_mix))
        {
            if (_found.TryGetValue(key, out Repeat? sum))
            {
                sum.Add(repeat);
            }
            else
            {
                _found[key] = repeat;
            }
        }
    }

    private readonly record struct Refused(DateTime At, ErrorKey Error);

    // Kept: where its values are kept, from 0; below where they are not.
    private readonly record struct Step(ulong Pattern, DateTime At, long Ticks, long? Rows, bool Writes, int Kept);

    /// <param name="source">The server or application instance.</param>
    /// <param name="supposed">Whether only the pauses of a session say that it is one unit.</param>
    /// <param name="key">What tells it from the others.</param>
    private sealed class Unit(string source, bool supposed, ulong key)
    {
        public ulong Key => key;

        public string Source => source;

        /// <summary>Whether nobody named it: a session's statements without a long pause.</summary>
        public bool Supposed => supposed;

        public string? Page { get; private set; }

        public DateTime Began { get; private set; } = DateTime.MaxValue;

        public long Statements { get; private set; }

        public long Ticks { get; private set; }

        public void Count(in Observation o, Dictionary<string, string>? tags)
        {
            Statements += o.Calls;
            Ticks += o.Duration?.Ticks ?? 0;
            Began = o.At < Began ? o.At : Began;
            Page ??= tags is null ? null : CommentTags.PageOf(tags);
        }

        private readonly List<Step> _steps = new(2);
        private List<string>? _binds;
        private ulong _session, _group;

        public DateTime End { get; private set; }

        public long Arrival { get; set; }

        public int Steps => _steps.Count;

        /// <returns>False where there is no room left for it.</returns>
        public bool Add(in Observation o, ulong pattern, bool writes, ulong session, ulong group)
        {
            (_session, _group) = (session, group);
            DateTime end = o.At + (o.Duration ?? default);
            End = end > End ? end : End;
            if (_steps.Count >= MostSteps)
            {
                return false;
            }

            // Texts are made only once a second statement shows that there is a unit at all; in a session, once a pattern comes again.
            bool kept = supposed ? _steps.Count > 0 && (_steps[^1].Pattern == pattern || (_steps.Count > 1 && _steps[^2].Pattern == pattern)) && (_binds?.Count ?? 0) < MostKeptOfSession
                : _steps.Count > 0 && _steps.Count < MostKept;
            if (kept)
            {
                (_binds ??= [""]).Add(o.Binds(300).ToString());
            }

            _steps.Add(new(pattern, o.At, o.Duration?.Ticks ?? -1, o.RowsReturned, writes, kept ? _binds!.Count - 1 : _steps.Count == 0 ? 0 : -1));
            return true;
        }

        public IEnumerable<(RepeatKey Key, Repeat Repeat)> Repeats(SessionMix mix)
        {
            if (_steps.Count < LeastRepeats)
            {
                yield break;
            }

            // Spans come when they end, and by several ways: the one around others comes last.
            List<Step> steps = [.. _steps.OrderBy(s => s.At)];
            List<int[]> groups = [.. Enumerable.Range(0, steps.Count).GroupBy(i => steps[i].Pattern).Where(g => g.Key != CaptureFold.EverythingElse)
                .SelectMany(g => supposed ? Clusters([.. g]).Where(c => mix.IsBeyondChance(_group, _session, g.Key, c.Length)) : [[.. g]])
                .Where(g => g.Length >= LeastRepeats).OrderBy(g => g[0])];
            Dictionary<int[], int[]> writes = groups.Select(g => (Read: g, Write: WriteBehind(steps, g, groups))).Where(p => p.Write is not null).ToDictionary(p => p.Read, p => p.Write!);
            foreach (int[] at in groups.Where(g => !writes.ContainsValue(g)))
            {
                Step? before = at[0] > 0 ? steps[at[0] - 1] : null;
                int[]? then = writes.GetValueOrDefault(at);
                var repeat = new Repeat { Units = 1, Statements = at.Length, Least = at.Length, Most = at.Length, Example = Example(steps, at) };
                repeat.OneForEachRow = before?.Rows == at.Length ? 1 : 0;
                if (before?.Rows is { } rows)
                {
                    (repeat.Lists, repeat.ListRows, repeat.ListRowsSquared, repeat.ListRepeats, repeat.ListRowsByRepeats) = (1, rows, rows * rows, at.Length, rows * at.Length);
                }

                foreach (int i in at)
                {
                    repeat.Ticks += Math.Max(0, steps[i].Ticks);
                    if (i + 1 < steps.Count && steps[i].Ticks >= 0 && steps[i + 1].At - steps[i].At is var apart && apart.Ticks >= steps[i].Ticks)
                    {
                        repeat.GapTicks += apart.Ticks - steps[i].Ticks;
                        repeat.Gaps++;
                    }
                }

                if (then is not null)
                {
                    repeat.Statements += then.Length;
                    repeat.Ticks += then.Sum(i => Math.Max(0, steps[i].Ticks));
                }

                yield return (new(before?.Pattern ?? 0, steps[at[0]].Pattern, source, then is null ? 0 : steps[then[0]].Pattern), repeat);
            }
        }

        /// <summary>Where a pattern comes with one other statement between two of it at the most.</summary>
        private static IEnumerable<int[]> Clusters(int[] at)
        {
            int start = 0;
            for (int i = 1; i <= at.Length; i++)
            {
                if (i == at.Length || at[i] - at[i - 1] > SessionMix.Reach)
                {
                    if (i - start >= LeastRepeats)
                    {
                        yield return at[start..i];
                    }

                    start = i;
                }
            }
        }

        /// <summary>The statements from the one before the first repetition on, as far as their values are kept.</summary>
        private List<UnitStep> Example(List<Step> steps, int[] at) =>
            [.. steps.Skip(Math.Max(0, supposed ? at[0] - 1 : 0)).Take(supposed ? at[^1] - at[0] + 2 : steps.Count)
                .Where(s => s.Kept >= 0 || supposed).Take(MostKept).Select(s => new UnitStep(s.Pattern, s.At, Milliseconds(s.Ticks), s.Kept < 0 ? "" : _binds![s.Kept]))];

        /// <summary>The write that stands right behind nearly all of a pattern's executions, and as a rule has a value in common with them; else null.</summary>
        private int[]? WriteBehind(List<Step> steps, int[] at, List<int[]> groups)
        {
            if (steps[at[0]].Writes || at[0] + 1 >= steps.Count || !steps[at[0] + 1].Writes)
            {
                return null;
            }

            ulong write = steps[at[0] + 1].Pattern;
            int followed = at.Count(i => i + 1 < steps.Count && steps[i + 1].Pattern == write);
            return followed >= at.Length * MostlyFollowed && at.Where(i => i + 1 < steps.Count).All(i => MayShareARow(steps[i], steps[i + 1]))
                ? groups.FirstOrDefault(g => steps[g[0]].Pattern == write && (!supposed || g.Contains(at[0] + 1))) : null;
        }

        /// <summary>Whether two statements have a parameter value in common, as far as their parameters were kept.</summary>
        private bool MayShareARow(Step read, Step write)
        {
            static IEnumerable<string> Values(string binds) => binds.Split(", ", StringSplitOptions.RemoveEmptyEntries).Select(b => b[(b.IndexOf('=', StringComparison.Ordinal) + 1)..]);
            return read.Kept < 0 || write.Kept < 0 || _binds![read.Kept].Length == 0 || _binds[write.Kept].Length == 0 || Values(_binds[read.Kept]).Intersect(Values(_binds[write.Kept])).Any();
        }

        private static double? Milliseconds(long ticks) => ticks < 0 ? null : ticks / (double)TimeSpan.TicksPerMillisecond;
    }
}
