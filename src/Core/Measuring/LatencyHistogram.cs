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
    private const int HalfBits = 10, Half = 1 << HalfBits;
    private const int LeastPending = 64;

    // From so many buckets on, sums are kept as one array over all buckets while others are added to it: merging sorted ones anew
    // for each would write all of them each time.
    private const int DenseFrom = 256, LastBucket = (64 - HalfBits) << HalfBits;

    private int[] _buckets = [];
    private long[] _counts = [];
    private int _used;
    private int[]? _pending;
    private int _pendingUsed;
    private long[]? _dense;

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
        RecordBucket(BucketOf(ticks));
    }

    public void Add(LatencyHistogram other)
    {
        other.Settle();
        Count += other.Count;
        if (other.Count <= LeastPending)
        {
            for (int i = 0; i < other._used; i++)
            {
                for (long n = 0; n < other._counts[i]; n++)
                {
                    RecordBucket(other._buckets[i]);
                }
            }

            return;
        }

        Settle();
        Merge(other._buckets.AsSpan(0, other._used), other._counts.AsSpan(0, other._used));
    }

    /// <summary>The smallest recorded duration, at the top of its bucket, that at least this share of all does not exceed.</summary>
    /// <param name="p">From 0 to 1.</param>
    /// <returns>Ticks; 0 where nothing was recorded.</returns>
    public long Quantile(double p)
    {
        Settle();
        long wanted = Math.Max(1, (long)((p * Count) + 0.5));
        long seen = 0;
        for (int i = 0; i < _used; i++)
        {
            seen += _counts[i];
            if (seen >= wanted)
            {
                return RangeOf(_buckets[i]).High;
            }
        }

        return 0;
    }

    /// <summary>Each bucket in use, by its middle in ticks, with its count; ascending.</summary>
    public IEnumerable<(double Ticks, long Count)> Points()
    {
        Settle();
        for (int i = 0; i < _used; i++)
        {
            (long low, long high) = RangeOf(_buckets[i]);
            yield return ((low + high) / 2.0, _counts[i]);
        }
    }

    /// <summary>Pairs of variable-length numbers: distance to the last bucket, and count.</summary>
    public byte[] Encode()
    {
        Settle();
        var bytes = new List<byte>(_used * 3);
        int last = 0;
        for (int i = 0; i < _used; i++)
        {
            Write(bytes, (ulong)(_buckets[i] - last));
            Write(bytes, (ulong)_counts[i]);
            last = _buckets[i];
        }

        return [.. bytes];
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
        if (_dense is not null || _used + (bytes.Length / 2) >= DenseFrom)
        {
            AddToDense(bytes);
            return;
        }

        Settle();
        int pairs = 0;
        foreach (byte b in bytes)
        {
            pairs += b < 0x80 ? 1 : 0;
        }

        int[] buckets = new int[pairs / 2];
        long[] counts = new long[pairs / 2];
        int last = 0;
        for (int i = 0; i < buckets.Length; i++)
        {
            last = checked(last + (int)Read(ref bytes));
            buckets[i] = last;
            counts[i] = (long)Read(ref bytes);
            Count += counts[i];
        }

        if (!bytes.IsEmpty)
        {
            throw new FormatException("The histogram is cut.");
        }

        Merge(buckets, counts);
    }

    private void AddToDense(ReadOnlySpan<byte> bytes)
    {
        if (_dense is null || _pendingUsed > 0)
        {
            Settle();
            _dense = new long[LastBucket];
            for (int i = 0; i < _used; i++)
            {
                _dense[_buckets[i]] = _counts[i];
            }

            _used = 0;
        }

        for (ulong bucket = 0; !bytes.IsEmpty;)
        {
            bucket += Read(ref bytes);
            long count = (long)Read(ref bytes);
            if (bucket >= (ulong)_dense.Length)
            {
                throw new FormatException("The histogram has a bucket beyond the longest duration.");
            }

            _dense[bucket] += count;
            Count += count;
        }
    }

    private static void Write(List<byte> bytes, ulong value)
    {
        while (value >= 0x80)
        {
            bytes.Add((byte)(value | 0x80));
            value >>= 7;
        }

        bytes.Add((byte)value);
    }

    private static ulong Read(ref ReadOnlySpan<byte> bytes)
    {
        ulong value = 0;
        for (int i = 0; i < bytes.Length && i < 10; i++)
        {
            value |= (ulong)(bytes[i] & 0x7F) << (7 * i);
            if (bytes[i] < 0x80)
            {
                bytes = bytes[(i + 1)..];
                return value;
            }
        }

        throw new FormatException("The histogram is cut.");
    }

    /// <summary>What comes in waits until there is as much of it as of what is there, so that merging costs the same for each however many there are.</summary>
    private void RecordBucket(int bucket)
    {
        if (_pending is null || _pendingUsed == _pending.Length)
        {
            if (_pendingUsed >= Math.Max(LeastPending, _used))
            {
                Settle();
            }
            else
            {
                Array.Resize(ref _pending, Math.Max(4, _pendingUsed * 2));
            }
        }

        _pending![_pendingUsed++] = bucket;
    }

    private void Settle()
    {
        if (_dense is not null)
        {
            int used = _dense.Length - _dense.AsSpan().Count(0L);
            (_buckets, _counts, _used) = (new int[used], new long[used], 0);
            for (int bucket = 0; bucket < _dense.Length && _used < used; bucket++)
            {
                if (_dense[bucket] != 0)
                {
                    _buckets[_used] = bucket;
                    _counts[_used++] = _dense[bucket];
                }
            }

            _dense = null;
        }

        SettlePending();
    }

    private void SettlePending()
    {
        if (_pendingUsed == 0)
        {
            return;
        }

        Span<int> pending = _pending.AsSpan(0, _pendingUsed);
        pending.Sort();
        int[] buckets = new int[pending.Length];
        long[] counts = new long[pending.Length];
        int used = 0;
        foreach (int bucket in pending)
        {
            if (used > 0 && buckets[used - 1] == bucket)
            {
                counts[used - 1]++;
                continue;
            }

            buckets[used] = bucket;
            counts[used++] = 1;
        }

        _pendingUsed = 0;
        Merge(buckets.AsSpan(0, used), counts.AsSpan(0, used));
    }

    private void Merge(ReadOnlySpan<int> buckets, ReadOnlySpan<long> counts)
    {
        int[] merged = new int[_used + buckets.Length];
        long[] sums = new long[merged.Length];
        int a = 0, b = 0, n = 0;
        while (a < _used || b < buckets.Length)
        {
            int left = a < _used ? _buckets[a] : int.MaxValue;
            int right = b < buckets.Length ? buckets[b] : int.MaxValue;
            merged[n] = Math.Min(left, right);
            sums[n++] = (left <= right ? _counts[a++] : 0) + (right <= left ? counts[b++] : 0);
        }

        (_buckets, _counts, _used) = (merged, sums, n);
    }
}
