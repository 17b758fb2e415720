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
/// Follows units of work: the statements of one trace, or of one session with no longer pause between them than
/// <see cref="LongestPause"/>, and finds those that ask the same thing for each row of a list.
/// </summary>
/// <param name="dialect">Of the statements.</param>
public sealed class UnitFold(SqlDialect dialect)
{
    /// <summary>A session that pauses longer has begun another unit.</summary>
    public static readonly TimeSpan LongestPause = TimeSpan.FromMilliseconds(250);

    /// <summary>Fewer repetitions are not worth a word.</summary>
    public const int LeastRepeats = 4;

    private const int MostUnits = 4_096, MostSteps = 4_000, MostKept = 24;
    private const double MostlyFollowed = 0.9;

    private readonly Dictionary<ulong, Unit> _open = [];
    private Dictionary<RepeatKey, Repeat> _found = [];

    /// <summary>Takes the next statement of a capture.</summary>
    public void Take(in Observation o, ulong pattern, string source)
    {
        bool traced = !o.Unit.IsEmpty;
        ReadOnlySpan<byte> name = traced ? o.Unit : o.Session;
        if (name.IsEmpty)
        {
            return;
        }

        ulong key = System.IO.Hashing.XxHash3.HashToUInt64(name, source.GetHashCode(StringComparison.Ordinal)) ^ (traced ? 1UL : 0);
        if (_open.TryGetValue(key, out Unit? unit) && !traced && o.At - unit.End > LongestPause)
        {
            Close(unit);
            _open.Remove(key);
            unit = null;
        }

        if (unit is null)
        {
            if (_open.Count >= MostUnits)
            {
                CloseAll();
            }

            _open[key] = unit = new(source);
        }

        unit.Add(o, pattern, SchemaWords.Writes(o.Sql, dialect));
    }

    /// <summary>Ends the units that have been quiet since a time: no more of them is to come.</summary>
    public void CloseQuiet(DateTime since)
    {
        foreach ((ulong key, Unit unit) in _open.Where(u => u.Value.End < since).ToList())
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

    private void Close(Unit unit)
    {
        foreach ((RepeatKey key, Repeat repeat) in unit.Repeats())
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

    private readonly record struct Step(ulong Pattern, DateTime At, long Ticks, long? Rows, bool Writes);

    private sealed class Unit(string source)
    {
        private readonly List<Step> _steps = new(2);
        private List<UnitStep>? _kept;

        public DateTime End { get; private set; }

        public void Add(in Observation o, ulong pattern, bool writes)
        {
            if (_steps.Count >= MostSteps)
            {
                return;
            }

            _steps.Add(new(pattern, o.At, o.Duration?.Ticks ?? -1, o.RowsReturned, writes));
            DateTime end = o.At + (o.Duration ?? default);
            End = end > End ? end : End;

            // Texts are made only once a second statement shows that there is a unit at all; the first is kept without its parameters.
            if (_steps.Count >= 2 && (_kept?.Count ?? 0) < MostKept)
            {
                _kept ??= [new(_steps[0].Pattern, _steps[0].At, Milliseconds(_steps[0].Ticks), "")];
                _kept.Add(new(pattern, o.At, o.Duration?.TotalMilliseconds,
                    o.Binds(300).ToString()));
            }
        }

        public IEnumerable<(RepeatKey Key, Repeat Repeat)> Repeats()
        {
            if (_steps.Count < LeastRepeats)
            {
                yield break;
            }

            Dictionary<ulong, int[]> repeated = Enumerable.Range(0, _steps.Count).GroupBy(i => _steps[i].Pattern)
                .Where(g => g.Key != CaptureFold.EverythingElse && g.Count() >= LeastRepeats).ToDictionary(g => g.Key, g => g.ToArray());
            Dictionary<ulong, ulong> writes = repeated.Select(r => (r.Key, Write: WriteBehind(r.Value, repeated))).Where(r => r.Write != 0).ToDictionary(r => r.Key, r => r.Write);
            foreach ((ulong pattern, int[] at) in repeated.Where(r => !writes.ContainsValue(r.Key)))
            {
                Step? before = at[0] > 0 ? _steps[at[0] - 1] : null;
                ulong then = writes.GetValueOrDefault(pattern);
                var repeat = new Repeat { Units = 1, Statements = at.Length, Least = at.Length, Most = at.Length, Example = _kept ?? [] };
                repeat.OneForEachRow = before?.Rows == at.Length ? 1 : 0;
                if (before?.Rows is { } rows)
                {
                    (repeat.Lists, repeat.ListRows, repeat.ListRowsSquared, repeat.ListRepeats, repeat.ListRowsByRepeats) = (1, rows, rows * rows, at.Length, rows * at.Length);
                }

                foreach (int i in at)
                {
                    repeat.Ticks += Math.Max(0, _steps[i].Ticks);
                    if (i + 1 < _steps.Count && _steps[i].Ticks >= 0 && _steps[i + 1].At - _steps[i].At is var apart && apart.Ticks >= _steps[i].Ticks)
                    {
                        repeat.GapTicks += apart.Ticks - _steps[i].Ticks;
                        repeat.Gaps++;
                    }
                }

                if (then != 0)
                {
                    repeat.Statements += repeated[then].Length;
                    repeat.Ticks += repeated[then].Sum(i => Math.Max(0, _steps[i].Ticks));
                }

                yield return (new(before?.Pattern ?? 0, pattern, source, then), repeat);
            }
        }

        /// <summary>The write that stands right behind nearly all of a pattern's executions, and as a rule has a value in common with them; else 0.</summary>
        private ulong WriteBehind(int[] at, Dictionary<ulong, int[]> repeated)
        {
            if (_steps[at[0]].Writes || at[0] + 1 >= _steps.Count || !_steps[at[0] + 1].Writes)
            {
                return 0;
            }

            ulong write = _steps[at[0] + 1].Pattern;
            int followed = at.Count(i => i + 1 < _steps.Count && _steps[i + 1].Pattern == write);
            return repeated.ContainsKey(write) && followed >= at.Length * MostlyFollowed && at.Where(i => i + 1 < (_kept?.Count ?? 0)).All(i => MayShareARow(_kept![i], _kept[i + 1]))
                ? write : 0;
        }

        /// <summary>Whether two statements have a parameter value in common, as far as their parameters were kept.</summary>
        private static bool MayShareARow(UnitStep read, UnitStep write)
        {
            static IEnumerable<string> Values(string binds) => binds.Split(", ", StringSplitOptions.RemoveEmptyEntries).Select(b => b[(b.IndexOf('=', StringComparison.Ordinal) + 1)..]);
            return read.Binds.Length == 0 || write.Binds.Length == 0 || Values(read.Binds).Intersect(Values(write.Binds)).Any();
        }

        private static double? Milliseconds(long ticks) => ticks < 0 ? null : ticks / (double)TimeSpan.TicksPerMillisecond;
    }
}
