using System.Buffers;
using System.Numerics;

namespace SwiftLedger.Core.Measuring;

/// <summary>
/// Durations counted in buckets that keep three significant digits, laid out as HdrHistogram does (G. Tene, "HdrHistogram: A High
/// Dynamic Range Histogram"): 2,048 buckets of one unit, then 1,024 for each doubling. Only buckets in use take space,
/// so that a minute with three calls takes a dozen bytes.
/// </summary>
/// <remarks>The unit is <see cref="TimeSpan"/>'s tick, 100 ns.</remarks>
public sealed class LatencyHistogram
{
    private const int HalfBits = 10, Half = 1 << HalfBits, LastBucket = (64 - HalfBits) << HalfBits;

    private const int LeastWaiting = 128, CountBits = 44;
    private const long MostCount = (1L << CountBits) - 1;

    // From so many buckets on, and while at least one in so many of their range is used, they are counted in one array over that range.
    private const int DenseFrom = 384, SparsestDense = 16;

    // Bucket and count in one number each, so that they sort fast and take one array: ascending without repetition as far as they are
    // settled, then what came in since, in no order.
    private long[] _pairs = [];
    private int _settled, _used;

    // Instead: the count of each bucket from the base on.
    private long[]? _dense;
    private int _base;

    /// <summary>How many durations were recorded.</summary>
    public long Count { get; private set; }

    /// <summary>The bucket of a duration in ticks; negative ones count as 0.</summary>
    public static int BucketOf(long ticks)
    {
        ulong value = (ulong)Math.Max(0, ticks);
        int doubling = 63 - BitOperations.LeadingZeroCount(value | ((Half * 2) - 1)) - HalfBits;
        return (doubling << HalfBits) + (int)(value >> doubling);
    }

    /// <summary>The lowest and the highest duration, in ticks, that fall into a bucket.</summary>
    public static (long Low, long High) RangeOf(int bucket)
    {
        int doubling = Math.Max(0, (bucket >> HalfBits) - 1);
        long low = (long)(bucket - (doubling << HalfBits)) << doubling;
        return (low, low + (1L << doubling) - 1);
    }

    public void Record(long ticks)
    {
        Count++;
        if (MakeRoom(1))
        {
            _pairs[_used++] = Pair(BucketOf(ticks), 1);
            return;
        }

        AddDense(BucketOf(ticks), 1);
    }

    public void Add(LatencyHistogram other)
    {
        other.Settle();
        Count += other.Count;
        ReadOnlySpan<long> pairs = other._pairs.AsSpan(0, other._used);
        if (MakeRoom(pairs.Length))
        {
            pairs.CopyTo(_pairs.AsSpan(_used));
            _used += pairs.Length;
            return;
        }

        foreach (long pair in pairs)
        {
            AddDense(BucketIn(pair), CountIn(pair));
        }
    }

    /// <summary>The recorded duration at this share of all, at the top of its bucket: the share of the count, rounded to the nearest rank, as HdrHistogram does.</summary>
    /// <param name="p">From 0 to 1.</param>
    /// <returns>Ticks; 0 where nothing was recorded.</returns>
    public long Quantile(double p) => Quantiles([p])[0];

    /// <summary>Several at once, ascending, in one pass.</summary>
    public long[] Quantiles(ReadOnlySpan<double> ps)
    {
        Settle();
        long[] found = new long[ps.Length];
        long seen = 0;
        int next = 0;
        for (int i = 0; i < _used && next < ps.Length; i++)
        {
            seen += CountIn(_pairs[i]);
            for (; next < ps.Length && seen >= Math.Max(1, (long)((ps[next] * Count) + 0.5)); next++)
            {
                found[next] = RangeOf(BucketIn(_pairs[i])).High;
            }
        }

        return found;
    }

    /// <summary>The buckets in use, ascending, each with its count: see <see cref="BucketIn"/> and <see cref="CountIn"/>.</summary>
    internal ReadOnlySpan<long> Content()
    {
        Settle();
        return _pairs.AsSpan(0, _used);
    }

    internal static int BucketIn(long pair) => (int)(pair >> CountBits);

    internal static long CountIn(long pair) => pair & MostCount;

    /// <summary>Pairs of numbers in <see cref="Leb128"/>: distance to the last bucket, and count.</summary>
    public byte[] Encode()
    {
        var writer = new ArrayBufferWriter<byte>();
        Encode(writer);
        return writer.WrittenSpan.ToArray();
    }

    public void Encode(ArrayBufferWriter<byte> writer)
    {
        Settle();
        int last = 0;
        foreach (long pair in _pairs.AsSpan(0, _used))
        {
            Leb128.Write(writer, (ulong)(BucketIn(pair) - last), (ulong)CountIn(pair));
            last = BucketIn(pair);
        }
    }

    /// <exception cref="FormatException">The bytes are no histogram.</exception>
    public static LatencyHistogram Decode(ReadOnlySpan<byte> bytes)
    {
        var histogram = new LatencyHistogram();
        histogram.AddEncoded(bytes);
        return histogram;
    }

    /// <summary>Adds an encoded histogram to this one.</summary>
    /// <exception cref="FormatException">The bytes are no histogram.</exception>
    public void AddEncoded(ReadOnlySpan<byte> bytes)
    {
        // What is encoded is in order already.
        bool first = _used == 0 && _dense is null, sparse = MakeRoom(bytes.Length / 2);
        ulong bucket = 0;
        for (int at = 0; at < bytes.Length;)
        {
            long count = ReadPair(bytes, ref at, ref bucket);
            Count += count;
            if (sparse)
            {
                _pairs[_used++] = Pair((int)bucket, count);
            }
            else
            {
                AddDense((int)bucket, count);
            }
        }

        _settled = first ? _used : _settled;
    }

    private static long ReadPair(ReadOnlySpan<byte> bytes, ref int at, ref ulong bucket)
    {
        // Two numbers of one byte are the rule.
        if (at + 1 < bytes.Length && (bytes[at] | bytes[at + 1]) < 0x80)
        {
            bucket += bytes[at];
            at += 2;
            return bytes[at - 1];
        }

        bucket += Leb128.Read(bytes, ref at);
        long count = (long)Leb128.Read(bytes, ref at);
        return bucket < LastBucket ? count : throw new FormatException("The histogram has a bucket beyond the longest duration.");
    }

    /// <summary>A count beyond what stands beside a bucket is far beyond any capture.</summary>
    private static long Pair(int bucket, long count) => ((long)bucket << CountBits) | Math.Min(count, MostCount);

    /// <summary>
    /// What comes in waits until there is four times as much of it as of what is settled, so that merging costs the same for each however many
    /// there are; with many it is counted at once.
    /// </summary>
    /// <returns>Whether there is room for so many pairs; if not, they are to be counted at once.</returns>
    private bool MakeRoom(int more)
    {
        if (_dense is not null)
        {
            return false;
        }

        if (_used - _settled >= Math.Max(LeastWaiting, 4 * _settled))
        {
            if (TryGoDense())
            {
                return false;
            }

            SettleBySorting();
        }

        if (_used + more > _pairs.Length)
        {
            Array.Resize(ref _pairs, Math.Max(_used + more, _used == 0 ? 2 : _used * 2));
        }

        return true;
    }

    private bool TryGoDense()
    {
        if (_used < DenseFrom)
        {
            return false;
        }

        Span<long> pairs = _pairs.AsSpan(0, _used);
        (int least, int most) = (int.MaxValue, 0);
        foreach (long pair in pairs)
        {
            int bucket = BucketIn(pair);
            least = Math.Min(least, bucket);
            most = Math.Max(most, bucket);
        }

        int range = most - least + 1;
        if (range > _used * SparsestDense)
        {
            return false;
        }

        (_dense, _base) = (new long[range + (range / 8)], least);
        foreach (long pair in pairs)
        {
            _dense[BucketIn(pair) - _base] += CountIn(pair);
        }

        (_pairs, _settled, _used) = ([], 0, 0);
        return true;
    }

    private void AddDense(int bucket, long count)
    {
        int at = bucket - _base;
        if ((uint)at >= (uint)_dense!.Length)
        {
            int least = Math.Min(_base, bucket), most = Math.Max(_base + _dense.Length - 1, bucket), slack = _dense.Length / 4;
            least = least < _base ? Math.Max(0, least - slack) : least;
            long[] larger = new long[Math.Min(most - least + 1 + slack, LastBucket - least)];
            _dense.CopyTo(larger, _base - least);
            (_dense, _base, at) = (larger, least, bucket - least);
        }

        _dense[at] += count;
    }

    private void Settle()
    {
        if (_dense is null && (_used == _settled || !TryGoDense()))
        {
            SettleBySorting();
            return;
        }

        Span<long> dense = _dense;
        _pairs = new long[dense.Length - dense.Count(0L)];
        for (int i = 0; i < dense.Length; i++)
        {
            if (dense[i] != 0)
            {
                _pairs[_used++] = Pair(_base + i, dense[i]);
            }
        }

        (_settled, _dense) = (_used, null);
    }

    private void SettleBySorting()
    {
        if (_used == _settled)
        {
            return;
        }

        Span<long> pairs = _pairs.AsSpan(0, _used), waiting = pairs[_settled..];
        waiting.Sort();
        if (_settled > 0)
        {
            long[] merged = new long[_used];
            Merge(pairs[.._settled], waiting, merged);
            pairs = _pairs = merged;
        }

        int last = 0;
        for (int i = 1; i < pairs.Length; i++)
        {
            if (BucketIn(pairs[i]) == BucketIn(pairs[last]))
            {
                pairs[last] = Pair(BucketIn(pairs[last]), CountIn(pairs[last]) + CountIn(pairs[i]));
            }
            else
            {
                pairs[++last] = pairs[i];
            }
        }

        _settled = _used = last + 1;
    }

    private static void Merge(ReadOnlySpan<long> first, ReadOnlySpan<long> second, Span<long> into)
    {
        int a = 0, b = 0;
        for (int i = 0; i < into.Length; i++)
        {
            into[i] = b >= second.Length || (a < first.Length && first[a] <= second[b]) ? first[a++] : second[b++];
        }
    }
}
