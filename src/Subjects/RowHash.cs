using System.Buffers.Binary;
using System.IO.Hashing;

namespace SwiftLedger.Subjects;

/// <summary>
/// Names a result: once as a multiset of rows, once as a sequence. Types, NULL and column borders are told apart, and a row
/// that comes twice counts twice. Memory does not grow with the result.
/// </summary>
/// <remarks>
/// A row is hashed with XXH3 (128 bits) over a type byte and a length or value for each column; the multiset is the sum of
/// its rows' hashes modulo 2^128, the sequence the chain of them.
/// </remarks>
internal sealed class RowHash
{
    /// <summary>Bytes of a value that stand in the row as they are; a longer one stands there by its own hash.</summary>
    private const int LongestAsItIs = 4096;

    private byte[] _row = new byte[1024];
    private int _length;
    private UInt128 _sum;
    private UInt128 _chain;

    public long Rows { get; private set; }

    public string Multiset => Hex(_sum + XxHash128.HashToUInt128(BitConverter.GetBytes(Rows)));

    public string Sequence => Hex(_chain);

    public void Begin() => _length = 0;

    /// <summary>Begins a row with columns that were added before.</summary>
    /// <param name="taken">By <see cref="Taken"/>.</param>
    public void Begin(ReadOnlySpan<byte> taken)
    {
        _length = 0;
        taken.CopyTo(Reserve(taken.Length));
    }

    /// <summary>What was added since the row began.</summary>
    public byte[] Taken() => _row.AsSpan(0, _length).ToArray();

    public void AddText(string text) => AddBytes(5, System.Text.Encoding.UTF8.GetBytes(text));

    public void AddNumber(byte type, long value)
    {
        Span<byte> place = Reserve(9);
        place[0] = type;
        BinaryPrimitives.WriteInt64LittleEndian(place[1..], value);
    }

    /// <summary>Ends the row.</summary>
    /// <returns>Its hash.</returns>
    public UInt128 End()
    {
        UInt128 row = XxHash128.HashToUInt128(_row.AsSpan(0, _length));
        Span<byte> link = stackalloc byte[32];
        BinaryPrimitives.WriteUInt128LittleEndian(link, _chain);
        BinaryPrimitives.WriteUInt128LittleEndian(link[16..], row);
        _chain = XxHash128.HashToUInt128(link);
        _sum += row;
        Rows++;
        return row;
    }

    /// <summary>Ends a row that stands in no result.</summary>
    /// <returns>Its hash.</returns>
    public UInt128 EndApart() => XxHash128.HashToUInt128(_row.AsSpan(0, _length));

    /// <summary>Counts a row that a write left behind: one that it also took away cancels out.</summary>
    /// <param name="row">Its hash.</param>
    public void Leave(UInt128 row) => _sum += row;

    /// <summary>Counts a row that a write took away.</summary>
    /// <param name="row">Its hash.</param>
    public void Take(UInt128 row) => _sum -= row;

    private static string Hex(UInt128 value) => value.ToString("x32", System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>Adds a value of varying length.</summary>
    /// <param name="type">Tells kinds of values apart that have the same bytes.</param>
    public void AddBytes(byte type, ReadOnlySpan<byte> bytes)
    {
        AddNumber(type, bytes.Length);
        if (bytes.Length > LongestAsItIs)
        {
            // So that a row of large values needs no memory of their size.
            UInt128 hash = XxHash128.HashToUInt128(bytes);
            BinaryPrimitives.WriteUInt128LittleEndian(Reserve(16), hash);
            return;
        }

        bytes.CopyTo(Reserve(bytes.Length));
    }

    /// <summary>Adds a value of varying length that comes in pieces.</summary>
    /// <param name="seen">Given its first bytes; null for nobody.</param>
    public void AddStream(byte type, Stream stream, byte[] buffer, Action<ReadOnlySpan<byte>>? seen = null)
    {
        int held = stream.ReadAtLeast(buffer, LongestAsItIs + 1, throwOnEndOfStream: false);
        seen?.Invoke(buffer.AsSpan(0, held));
        if (held <= LongestAsItIs)
        {
            AddBytes(type, buffer.AsSpan(0, held));
            return;
        }

        var hash = new XxHash128();
        int length = 0;
        for (int read = held; read > 0; read = stream.Read(buffer))
        {
            hash.Append(buffer.AsSpan(0, read));
            length += read;
        }

        AddNumber(type, length);
        BinaryPrimitives.WriteUInt128LittleEndian(Reserve(16), hash.GetCurrentHashAsUInt128());
    }

    private Span<byte> Reserve(int bytes)
    {
        if (_length + bytes > _row.Length)
        {
            Array.Resize(ref _row, Math.Max(_row.Length * 2, _length + bytes));
        }

        _length += bytes;
        return _row.AsSpan(_length - bytes, bytes);
    }
}
