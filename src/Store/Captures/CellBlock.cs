using System.Buffers;
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
    private readonly bool _withDurations = !durations.IsEmpty;
    private ReadOnlySpan<byte> _sums = sums, _durations = durations;
    private long _calls, _errors, _timed, _total, _longest;
    private ulong _rowsReturned, _rowsRead, _rowsWritten;

    public long Pattern { get; private set; }

    public readonly long Total => _total;

    /// <summary>The encoded histogram of the pattern.</summary>
    public ReadOnlySpan<byte> Durations { get; private set; } = [];

    /// <summary>The pattern's numbers as they stand, without its id.</summary>
    public ReadOnlySpan<byte> Numbers { get; private set; } = [];

    /// <summary>What stands behind the pattern's numbers.</summary>
    public readonly ReadOnlySpan<byte> Rest => _sums;

    /// <summary>Goes on to the next pattern.</summary>
    /// <returns>Whether there is one.</returns>
    /// <exception cref="FormatException">The bytes are no block.</exception>
    public bool Next()
    {
        if (_sums.IsEmpty)
        {
            return false;
        }

        Pattern += (long)Leb128.Read(ref _sums);
        ReadOnlySpan<byte> from = _sums;
        _calls = (long)Leb128.Read(ref _sums);
        _errors = (long)Leb128.Read(ref _sums);
        _timed = (long)Leb128.Read(ref _sums);
        _total = (long)Leb128.Read(ref _sums);
        _longest = (long)Leb128.Read(ref _sums);
        _rowsReturned = Leb128.Read(ref _sums);
        _rowsRead = Leb128.Read(ref _sums);
        _rowsWritten = Leb128.Read(ref _sums);
        int length = (int)Leb128.Read(ref _sums);
        Numbers = from[..^_sums.Length];
        if (_withDurations)
        {
            if (length > _durations.Length)
            {
                throw new FormatException("A block's durations are cut.");
            }

            Durations = _durations[..length];
            _durations = _durations[length..];
        }

        return true;
    }

    public readonly void AddSumsTo(Cell sum)
    {
        sum.Calls += _calls;
        sum.Errors += _errors;
        sum.Timed += _timed;
        sum.TotalTicks += _total;
        sum.MaxTicks = Math.Max(sum.MaxTicks, _longest);
        sum.RowsReturned = Plus(sum.RowsReturned, _rowsReturned);
        sum.RowsRead = Plus(sum.RowsRead, _rowsRead);
        sum.RowsWritten = Plus(sum.RowsWritten, _rowsWritten);
    }

    public readonly void AddTo(Cell sum)
    {
        AddSumsTo(sum);
        sum.Durations.AddEncoded(Durations);
    }

    private static long? Plus(long? sum, ulong oneMore) => oneMore == 0 ? sum : (sum ?? 0) + (long)(oneMore - 1);
}
