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

    private int[] _buckets = [];
    private long[] _counts = [];
    private int _used;

    // What came in since, in no order: bucket and count in one number, so that it sorts fast.
    private long[] _waiting = [];
    private int _waitingUsed;

    // Instead of both: the count of each bucket from the base on.
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
        MakeRoom(1);
        Count++;
        if (_dense is not null)
        {
            AddDense(BucketOf(ticks), 1);
            return;
        }

        _waiting[_waitingUsed++] = ((long)BucketOf(ticks) << CountBits) | 1;
    }

    public void Add(LatencyHistogram other)
    {
        other.Settle();
        MakeRoom(other._used);
        Count += other.Count;
        if (_dense is not null)
        {
            for (int i = 0; i < other._used; i++)
            {
                AddDense(other._buckets[i], other._counts[i]);
            }

            return;
        }

        for (int i = 0; i < other._used; i++)
        {
            Wait(other._buckets[i], other._counts[i]);
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
            seen += _counts[i];
            for (; next < ps.Length && seen >= Math.Max(1, (long)((ps[next] * Count) + 0.5)); next++)
            {
                found[next] = RangeOf(_buckets[i]).High;
            }
        }

        return found;
    }

    /// <summary>The buckets in use, ascending, and the count of each.</summary>
    internal void Content(out ReadOnlySpan<int> buckets, out ReadOnlySpan<long> counts)
    {
        Settle();
        buckets = _buckets.AsSpan(0, _used);
        counts = _counts.AsSpan(0, _used);
    }

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
        for (int i = 0; i < _used; i++)
        {
            Leb128.Write(writer, (ulong)(_buckets[i] - last));
            Leb128.Write(writer, (ulong)_counts[i]);
            last = _buckets[i];
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
        if (_used == 0 && _waitingUsed == 0 && _dense is null)
        {
            SetEncoded(bytes);
            return;
        }

        MakeRoom((bytes.Length / 2) + 1);
        ulong bucket = 0;
        for (int at = 0; at < bytes.Length;)
        {
            long count = ReadPair(bytes, ref at, ref bucket);
            Count += count;
            if (_dense is not null)
            {
                AddDense((int)bucket, count);
                continue;
            }

            Wait((int)bucket, count);
        }
    }

    /// <summary>What is encoded is in order already.</summary>
    private void SetEncoded(ReadOnlySpan<byte> bytes)
    {
        int[] buckets = new int[bytes.Length / 2];
        long[] counts = new long[buckets.Length];
        ulong bucket = 0;
        int used = 0;
        for (int at = 0; at < bytes.Length; used++)
        {
            counts[used] = ReadPair(bytes, ref at, ref bucket);
            buckets[used] = (int)bucket;
            Count += counts[used];
        }

        (_buckets, _counts, _used) = (buckets, counts, used);
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

    /// <summary>A count beyond what a waiting number holds is far beyond any capture.</summary>
    private void Wait(int bucket, long count) => _waiting[_waitingUsed++] = ((long)bucket << CountBits) | Math.Min(count, MostCount);

    /// <summary>
    /// What comes in waits until there is four times as much of it as of what is there, so that merging costs the same for each however many
    /// there are; with many it is counted at once.
    /// </summary>
    private void MakeRoom(int more)
    {
        if (_dense is not null)
        {
            return;
        }

        if (_waitingUsed >= Math.Max(LeastWaiting, 4 * _used))
        {
            if (TryGoDense())
            {
                return;
            }

            SettleBySorting();
        }

        if (_waitingUsed + more > _waiting.Length)
        {
            Array.Resize(ref _waiting, Math.Max(_waitingUsed + more, Math.Max(4, _waitingUsed * 2)));
        }
    }

    private bool TryGoDense()
    {
        int there = _used + _waitingUsed;
        if (there < DenseFrom)
        {
            return false;
        }

        (int least, int most) = _used > 0 ? (_buckets[0], _buckets[_used - 1]) : (int.MaxValue, 0);
        foreach (long waiting in _waiting.AsSpan(0, _waitingUsed))
        {
            int bucket = (int)(waiting >> CountBits);
            least = Math.Min(least, bucket);
            most = Math.Max(most, bucket);
        }

        int range = most - least + 1;
        if (range > there * SparsestDense)
        {
            return false;
        }

        (_dense, _base) = (new long[range + (range / 8)], least);
        for (int i = 0; i < _used; i++)
        {
            _dense[_buckets[i] - _base] = _counts[i];
        }

        foreach (long waiting in _waiting.AsSpan(0, _waitingUsed))
        {
            _dense[(int)(waiting >> CountBits) - _base] += waiting & MostCount;
        }

        (_buckets, _counts, _used, _waiting, _waitingUsed) = ([], [], 0, [], 0);
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
        if (_dense is null && (_waitingUsed == 0 || !TryGoDense()))
        {
            SettleBySorting();
            return;
        }

        Span<long> dense = _dense;
        int used = dense.Length - dense.Count(0L);
        (_buckets, _counts, _used) = (new int[used], new long[used], 0);
        for (int i = 0; i < dense.Length; i++)
        {
            if (dense[i] != 0)
            {
                _buckets[_used] = _base + i;
                _counts[_used++] = dense[i];
            }
        }

        _dense = null;
    }

    private void SettleBySorting()
    {
        if (_waitingUsed == 0)
        {
            return;
        }

        Span<long> waiting = _waiting.AsSpan(0, _waitingUsed);
        waiting.Sort();
        int[] merged = new int[_used + waiting.Length];
        long[] sums = new long[merged.Length];
        int a = 0, b = 0, n = -1;
        while (a < _used || b < waiting.Length)
        {
            bool old = b >= waiting.Length || (a < _used && _buckets[a] <= (int)(waiting[b] >> CountBits));
            (int bucket, long count) = old ? (_buckets[a], _counts[a++]) : ((int)(waiting[b] >> CountBits), waiting[b++] & MostCount);
            if (n < 0 || merged[n] != bucket)
            {
                merged[++n] = bucket;
            }

            sums[n] += count;
        }

        (_buckets, _counts, _used, _waitingUsed) = (merged, sums, n + 1, 0);
    }
}
