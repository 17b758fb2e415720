using System.IO.Hashing;
using System.Runtime.InteropServices;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Captures;

/// <summary>
/// Keeps which values statements are called with, hour by hour, in bounded memory: of executions that are drawn, the values that come
/// again and again.
/// </summary>
/// <remarks>
/// An execution of a pattern is drawn with chance <see cref="Density"/> / √n, and stands for the inverse of that many calls, so that sums are
/// without bias (Horvitz, Thompson 1952). n counts those of its hour, and an eighth of those before: of a first hour of a hundred calls about
/// 23 are looked at, of a week of a thousand calls an hour 16 in each. Which values are heavy is found by
/// counters of which all go down by one when a new value finds none free (Misra, Gries 1982): what makes more than one in
/// <see cref="Counters"/> + 1 of a mark's values has one at the end. What was drawn twice has an entry in the hours from then on.
/// </remarks>
public sealed class ValueFold
{
    /// <summary>What of an hour is drawn: see the remarks.</summary>
    public const double Density = 1.2;

    /// <summary>Values of a mark that are followed.</summary>
    public const int Counters = 24;

    /// <summary>Marks of a pattern that are followed.</summary>
    public const int MostMarks = 8;

    private const int LongestValue = 60, LongestName = 60, MostValuesOfHour = 200, Before = 8, LongestParsed = 8_192;

    // Of all patterns together: what came once is forgotten where there are more.
    private const int MostCounters = 200_000;

    private readonly Dictionary<ulong, OfPattern> _patterns = [];
    private int _counters;
    private Dictionary<ValuesKey, HourOfValues> _hours = [];

    /// <summary>Takes the next statement of a capture.</summary>
    /// <param name="o">The statement; one that failed says nothing of what calls take.</param>
    /// <param name="pattern">Its hash.</param>
    /// <param name="source">The server or application instance.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <param name="marks">Where its values stand; null to find out.</param>
    public void Take(in Observation o, ulong pattern, string source, SqlDialect dialect, PatternMarks? marks = null)
    {
        if (o.Failed || o.Sql.Length > LongestParsed)
        {
            return;
        }

        OfPattern known = CollectionsMarshal.GetValueRefOrAddDefault(_patterns, pattern, out _) ??= new();
        int hour = Stretch.Hour.StartOf(Stretches.MinuteOf(o.At));
        long n = known.CountIn(hour);
        double chance = Density / Math.Sqrt(n);
        if (chance < 1 && !Draws(o, n, chance))
        {
            return;
        }

        marks ??= known.MarksOf(o.Sql, dialect);
        if (marks.Marks.Count == 0 && marks.ListLength == 0)
        {
            return;
        }

        HourOfValues values = CollectionsMarshal.GetValueRefOrAddDefault(_hours, new(pattern, source, hour), out _) ??= new();
        double weight = Math.Max(1, 1 / chance);
        values.All.Add(weight, o.Duration?.Ticks);
        if (marks.ListLength > 0 && o.Duration is { } took)
        {
            values.AddList(marks.ListLength, took.TotalMilliseconds);
        }

        IReadOnlyList<Binding> binds = o.Parameters.IsEmpty ? [] : BindLine.Pairs(o.Binds(LongestParsed).ToString());
        for (int i = 0; i < Math.Min(marks.Marks.Count, MostMarks); i++)
        {
            ReadOnlySpan<char> value = ValueOf(o.Sql, marks.Marks[i], binds);
            if (!value.IsEmpty)
            {
                _counters += known.Follow(i, value.Length > LongestValue ? string.Concat(value[..LongestValue], "...") : value, weight, o.Duration?.Ticks, values, o.Sql, marks, dialect);
            }
        }

        if (_counters > MostCounters)
        {
            _counters = _patterns.Values.Sum(p => p.ForgetOnce());
            if (_counters > MostCounters / 2)
            {
                _patterns.Clear();
                _counters = 0;
            }
        }
    }

    /// <summary>Hands over what has piled up; which values are followed stays.</summary>
    public IReadOnlyDictionary<ValuesKey, HourOfValues> Drain()
    {
        Dictionary<ValuesKey, HourOfValues> hours = _hours;
        _hours = [];
        foreach (OfPattern pattern in _patterns.Values)
        {
            pattern.Release();
        }

        return hours;
    }

    /// <summary>Random, but always the same for the same capture.</summary>
    private static bool Draws(in Observation o, long n, double chance)
    {
        Span<long> what = [o.At.Ticks, o.Duration?.Ticks ?? -1, n, o.Line];
        ulong hash = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(what), 7) ^ XxHash3.HashToUInt64(o.Session);
        return (hash >> 11) * (1.0 / (1UL << 53)) < chance;
    }

    /// <returns>Empty where it is not known.</returns>
    private static ReadOnlySpan<char> ValueOf(ReadOnlySpan<char> sql, PatternMark mark, IReadOnlyList<Binding> binds)
    {
        ReadOnlySpan<char> text = sql.Slice(mark.Span.Start, mark.Span.Length);
        if (text[0] is not ('$' or ':' or '@' or '?') || (text.Length > 1 && text[0] == '$' && text[1] == '$'))
        {
            return text;
        }

        foreach (Binding bind in binds)
        {
            if (mark.Question > 0 ? int.TryParse(bind.Key, out int number) && number == mark.Question : text[1..].Equals(bind.Key, StringComparison.OrdinalIgnoreCase))
            {
                return bind.Value.ToString();
            }
        }

        return default;
    }

    private sealed class OfPattern
    {
        private readonly List<Dictionary<string, Counter>> _counters = [];
        private readonly List<string> _names = [];
        private int _hour;
        private long _n, _before;
        private ulong _text;
        private PatternMarks? _marks;

        /// <summary>How densely its executions are to be drawn; see the remarks.</summary>
        public long CountIn(int hour)
        {
            (_n, _before, _hour) = hour == _hour ? (_n + 1, _before, hour) : (1, _before + _n, hour);
            return _n + (_before / Before);
        }

        public PatternMarks MarksOf(ReadOnlySpan<char> sql, SqlDialect dialect)
        {
            ulong text = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(sql));
            if (_marks is null || _text != text)
            {
                (_text, _marks) = (text, SqlPattern.MarksOf(sql, dialect));
            }

            return _marks;
        }

        /// <returns>By how many the counters grew.</returns>
        public int Follow(int position, ReadOnlySpan<char> value, double weight, long? ticks, HourOfValues hour, ReadOnlySpan<char> sql, PatternMarks marks, SqlDialect dialect)
        {
            while (_counters.Count <= position)
            {
                _counters.Add(new(StringComparer.Ordinal));
                _names.Add(NameOf(sql, marks.Marks[_names.Count], _names.Count, dialect));
            }

            Dictionary<string, Counter> counters = _counters[position];
            if (!counters.GetAlternateLookup<ReadOnlySpan<char>>().TryGetValue(value, out Counter? counter))
            {
                int before = counters.Count;
                Meet(counters, position, value.ToString(), weight, ticks);
                return counters.Count - before;
            }

            counter.Count++;
            if (!ReferenceEquals(counter.Hour, hour))
            {
                if (hour.Values.Count >= MostValuesOfHour)
                {
                    return 0;
                }

                (counter.Hour, counter.Drawn) = (hour, hour.Of(counter.Value));
            }

            counter.Drawn!.Add(weight, ticks);
            if (counter.First > 0)
            {
                // Its first time was not known to be one of many.
                counter.Drawn.Add(counter.First, counter.FirstTicks);
                counter.First = 0;
            }

            return 0;
        }

        private void Meet(Dictionary<string, Counter> counters, int position, string value, double weight, long? ticks)
        {
            if (counters.Count < Counters)
            {
                counters[value] = new() { Value = new(position, _names[position], value), Count = 1, First = weight, FirstTicks = ticks };
                return;
            }

            foreach ((string other, Counter counter) in counters)
            {
                if (--counter.Count <= 0)
                {
                    counters.Remove(other);
                }
            }
        }

        /// <summary>Forgets values that came once.</summary>
        /// <returns>How many counters are left.</returns>
        public int ForgetOnce()
        {
            foreach (Dictionary<string, Counter> counters in _counters)
            {
                foreach ((string value, _) in counters.Where(c => c.Value.First > 0).ToList())
                {
                    counters.Remove(value);
                }
            }

            return _counters.Sum(c => c.Count);
        }

        /// <summary>Lets go of the hours that were handed over.</summary>
        public void Release()
        {
            foreach (Counter counter in _counters.SelectMany(c => c.Values))
            {
                (counter.Hour, counter.Drawn) = (null, null);
            }
        }

        private string NameOf(ReadOnlySpan<char> sql, PatternMark mark, int position, SqlDialect dialect)
        {
            string name = PatternMarks.NameOf(sql, mark, dialect);
            name = name.Length is 0 or > LongestName ? $"value {position + 1}" : name;
            return _names.Contains(name) ? $"{name} ({position + 1})" : name;
        }

        private sealed class Counter
        {
            public required PlacedValue Value { get; init; }

            /// <summary>Down by one for each value that found no counter free.</summary>
            public int Count { get; set; }

            /// <summary>What its first time stands for; 0 once it came again.</summary>
            public double First { get; set; }

            /// <summary>What that took.</summary>
            public long? FirstTicks { get; init; }

            /// <summary>The hour that it was drawn in last.</summary>
            public HourOfValues? Hour { get; set; }

            /// <summary>Its sums there.</summary>
            public Drawn? Drawn { get; set; }
        }
    }
}
