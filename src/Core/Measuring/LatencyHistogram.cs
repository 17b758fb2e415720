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

    // With so many, counting them in one array over all buckets is faster than sorting.
    private const int CountedFrom = 256;
    private const int LeastWaiting = 64;

    [ThreadStatic]
    private static long[]? t_counting;

    private int[] _buckets = [];
    private long[] _counts = [];
    private int _used;

    // What came in since, in no order; counts are null while all of them are 1.
    private int[] _waiting = [];
    private long[]? _waitingCounts;
    private int _waitingUsed;

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
        _waiting[_waitingUsed] = BucketOf(ticks);
        if (_waitingCounts is not null)
        {
            _waitingCounts[_waitingUsed] = 1;
        }

        _waitingUsed++;
    }

    public void Add(LatencyHistogram other)
    {
        other.Settle();
        MakeRoom(other._used);
        for (int i = 0; i < other._used; i++)
        {
            Wait(other._buckets[i], other._counts[i]);
        }
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
        MakeRoom(bytes.Length / 2);
        for (ulong bucket = 0; !bytes.IsEmpty;)
        {
            bucket += Leb128.Read(ref bytes);
            long count = (long)Leb128.Read(ref bytes);
            if (bucket >= LastBucket)
            {
                throw new FormatException("The histogram has a bucket beyond the longest duration.");
            }

            Wait((int)bucket, count);
        }
    }

    private void Wait(int bucket, long count)
    {
        Count += count;
        if (count != 1 && _waitingCounts is null)
        {
            _waitingCounts = new long[_waiting.Length];
            _waitingCounts.AsSpan(0, _waitingUsed).Fill(1);
        }

        _waiting[_waitingUsed] = bucket;
        if (_waitingCounts is not null)
        {
            _waitingCounts[_waitingUsed] = count;
        }

        _waitingUsed++;
    }

    /// <summary>What comes in waits until there is as much of it as of what is there, so that merging costs the same for each however many there are.</summary>
    private void MakeRoom(int more)
    {
        if (_waitingUsed >= Math.Max(LeastWaiting, _used))
        {
            Settle();
        }

        if (_waitingUsed + more > _waiting.Length)
        {
            int length = Math.Max(_waitingUsed + more, Math.Max(4, _waitingUsed * 2));
            Array.Resize(ref _waiting, length);
            if (_waitingCounts is not null)
            {
                Array.Resize(ref _waitingCounts, length);
            }
        }
    }

    private void Settle()
    {
        if (_waitingUsed == 0)
        {
            return;
        }

        if (_used + _waitingUsed >= CountedFrom)
        {
            SettleByCounting();
        }
        else
        {
            SettleBySorting();
        }

        _waitingUsed = 0;
    }

    private void SettleByCounting()
    {
        long[] counting = t_counting ??= new long[LastBucket];
        int least = _used > 0 ? _buckets[0] : int.MaxValue, most = _used > 0 ? _buckets[_used - 1] : 0;
        for (int i = 0; i < _used; i++)
        {
            counting[_buckets[i]] = _counts[i];
        }

        for (int i = 0; i < _waitingUsed; i++)
        {
            int bucket = _waiting[i];
            counting[bucket] += _waitingCounts is null ? 1 : _waitingCounts[i];
            least = Math.Min(least, bucket);
            most = Math.Max(most, bucket);
        }

        Span<long> range = counting.AsSpan(least, most - least + 1);
        int used = range.Length - range.Count(0L);
        (_buckets, _counts, _used) = (new int[used], new long[used], 0);
        for (int i = 0; i < range.Length; i++)
        {
            if (range[i] != 0)
            {
                _buckets[_used] = least + i;
                _counts[_used++] = range[i];
            }
        }

        range.Clear();
    }

    private void SettleBySorting()
    {
        Span<int> waiting = _waiting.AsSpan(0, _waitingUsed);
        Span<long> counts = _waitingCounts is null ? [] : _waitingCounts.AsSpan(0, _waitingUsed);
        if (counts.IsEmpty)
        {
            waiting.Sort();
        }
        else
        {
            waiting.Sort(counts);
        }

        int[] merged = new int[_used + waiting.Length];
        long[] sums = new long[merged.Length];
        int a = 0, b = 0, n = -1;
        while (a < _used || b < waiting.Length)
        {
            bool old = b >= waiting.Length || (a < _used && _buckets[a] <= waiting[b]);
            (int bucket, long count) = old ? (_buckets[a], _counts[a++]) : (waiting[b], counts.IsEmpty ? 1 : counts[b]);
            b += old ? 0 : 1;
            if (n < 0 || merged[n] != bucket)
            {
                merged[++n] = bucket;
            }

            sums[n] += count;
        }

        (_buckets, _counts, _used) = (merged, sums, n + 1);
    }
}
