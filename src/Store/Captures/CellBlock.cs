using System.Buffers;
using System.Buffers.Binary;
using System.Numerics;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Store.Captures;

/// <summary>
/// The cells of one stretch of time on one source, by ascending pattern. In <c>sums</c> each has ten numbers in <see cref="Leb128"/>:
/// distance to the last pattern's id, calls, errors, timed, total, longest, rows returned, read and written (each one more than it is; 0 where it is not
/// known), and the length of its histogram, which stands in <c>durations</c> behind those before it. <c>whole</c> sums all patterns:
/// the same numbers with its histogram behind them.
/// </summary>
internal sealed class CellBlock
{
    private readonly ArrayBufferWriter<byte> _sums = new(), _durations = new(), _histogram = new();
    private long _last;

    public ReadOnlySpan<byte> Sums => _sums.WrittenSpan;

    public ReadOnlySpan<byte> Durations => _durations.WrittenSpan;

    /// <summary>Adds a pattern behind those that are there.</summary>
    public void Append(long pattern, Cell cell)
    {
        _histogram.ResetWrittenCount();
        cell.Durations.Encode(_histogram);
        WriteNumbers(_sums, pattern - _last, cell, _histogram.WrittenCount);
        _durations.Write(_histogram.WrittenSpan);
        _last = pattern;
    }

    /// <summary>Adds a pattern as it stands in another block.</summary>
    public void Append(scoped in CellReader from)
    {
        Leb128.Write(_sums, (ulong)(from.Pattern - _last));
        _sums.Write(from.Numbers);
        _durations.Write(from.Durations);
        _last = from.Pattern;
    }

    public static byte[] Whole(Cell cell)
    {
        var writer = new ArrayBufferWriter<byte>();
        WriteNumbers(writer, 0, cell, 0);
        cell.Durations.Encode(writer);
        return writer.WrittenSpan.ToArray();
    }

    /// <summary>Adds what <see cref="Whole"/> wrote.</summary>
    /// <exception cref="FormatException">The bytes are no block.</exception>
    public static void AddWhole(Cell sum, ReadOnlySpan<byte> whole, bool durations)
    {
        var reader = new CellReader(whole, []);
        if (reader.Next())
        {
            reader.AddSumsTo(sum);
            if (durations)
            {
                sum.Durations.AddEncoded(reader.Rest);
            }
        }
    }

    private static void WriteNumbers(ArrayBufferWriter<byte> writer, long distance, Cell cell, int histogram)
    {
        Leb128.Write(writer, (ulong)distance);
        Leb128.Write(writer, (ulong)cell.Calls);
        Leb128.Write(writer, (ulong)cell.Errors);
        Leb128.Write(writer, (ulong)cell.Timed);
        Leb128.Write(writer, (ulong)cell.TotalTicks);
        Leb128.Write(writer, (ulong)cell.MaxTicks);
        Leb128.Write(writer, OneMore(cell.RowsReturned));
        Leb128.Write(writer, OneMore(cell.RowsRead));
        Leb128.Write(writer, OneMore(cell.RowsWritten));
        Leb128.Write(writer, (ulong)histogram);
    }

    private static ulong OneMore(long? rows) => rows is { } r ? (ulong)r + 1 : 0;
}

/// <summary>Goes through the cells of a block.</summary>
/// <param name="sums">As <see cref="CellBlock"/> writes them.</param>
/// <param name="durations">Likewise; empty where only sums are wanted.</param>
internal ref struct CellReader(ReadOnlySpan<byte> sums, ReadOnlySpan<byte> durations)
{
    private const int NumbersOfACell = 9;

    private readonly ReadOnlySpan<byte> _sums = sums, _durations = durations;
    private int _at, _numbers, _durationsAt, _length;

    public long Pattern { get; private set; }

    /// <summary>The encoded histogram of the pattern.</summary>
    public readonly ReadOnlySpan<byte> Durations => _durations.IsEmpty ? [] : _durations.Slice(_durationsAt, _length);

    /// <summary>The pattern's numbers as they stand, without its id.</summary>
    public readonly ReadOnlySpan<byte> Numbers => _sums[_numbers.._at];

    /// <summary>What stands behind the pattern's numbers.</summary>
    public readonly ReadOnlySpan<byte> Rest => _sums[_at..];

    /// <summary>Time in the database, in ticks.</summary>
    public readonly long Total
    {
        get
        {
            int at = _numbers;
            Leb128.Read(_sums, ref at);
            Leb128.Read(_sums, ref at);
            Leb128.Read(_sums, ref at);
            return (long)Leb128.Read(_sums, ref at);
        }
    }

    /// <summary>Goes on to the next pattern.</summary>
    /// <returns>Whether there is one.</returns>
    /// <exception cref="FormatException">The bytes are no block.</exception>
    public bool Next()
    {
        if (_at >= _sums.Length)
        {
            return false;
        }

        _durationsAt += _length;
        Pattern += (long)Leb128.Read(_sums, ref _at);
        _numbers = _at;

        PassOver(NumbersOfACell - 1);
        _length = (int)Leb128.Read(_sums, ref _at);
        return _durations.IsEmpty || _durationsAt + _length <= _durations.Length ? true : throw new FormatException("A block's durations are cut.");
    }

    /// <summary>Most cells are passed over: their numbers are told apart by their last bytes alone, eight bytes at a time.</summary>
    private void PassOver(int numbers)
    {
        for (; _at + sizeof(ulong) <= _sums.Length; _at += sizeof(ulong))
        {
            ulong ends = ~BinaryPrimitives.ReadUInt64LittleEndian(_sums[_at..]) & 0x8080_8080_8080_8080;
            int ended = BitOperations.PopCount(ends);
            if (ended >= numbers)
            {
                for (; numbers > 1; numbers--)
                {
                    ends &= ends - 1;
                }

                _at += (BitOperations.TrailingZeroCount(ends) / 8) + 1;
                return;
            }

            numbers -= ended;
        }

        for (; numbers > 0 && _at < _sums.Length; _at++)
        {
            numbers -= (_sums[_at] >> 7) ^ 1;
        }
    }

    public readonly void AddSumsTo(Cell sum)
    {
        int at = _numbers;
        sum.Calls += (long)Leb128.Read(_sums, ref at);
        sum.Errors += (long)Leb128.Read(_sums, ref at);
        sum.Timed += (long)Leb128.Read(_sums, ref at);
        sum.TotalTicks += (long)Leb128.Read(_sums, ref at);
        sum.MaxTicks = Math.Max(sum.MaxTicks, (long)Leb128.Read(_sums, ref at));
        sum.RowsReturned = Plus(sum.RowsReturned, Leb128.Read(_sums, ref at));
        sum.RowsRead = Plus(sum.RowsRead, Leb128.Read(_sums, ref at));
        sum.RowsWritten = Plus(sum.RowsWritten, Leb128.Read(_sums, ref at));
    }

    public readonly void AddTo(Cell sum)
    {
        AddSumsTo(sum);
        sum.Durations.AddEncoded(Durations);
    }

    private static long? Plus(long? sum, ulong oneMore) => oneMore == 0 ? sum : (sum ?? 0) + (long)(oneMore - 1);
}
