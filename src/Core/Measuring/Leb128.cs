using System.Buffers;

namespace SwiftLedger.Core.Measuring;

/// <summary>Unsigned numbers in as few bytes as they need: groups of seven bits, lowest first (DWARF 5, section 7.6).</summary>
public static class Leb128
{
    private const int Longest = 10;

    public static void Write(ArrayBufferWriter<byte> writer, ulong value)
    {
        Span<byte> span = writer.GetSpan(Longest);
        int length = 0;
        while (value >= 0x80)
        {
            span[length++] = (byte)(value | 0x80);
            value >>= 7;
        }

        span[length++] = (byte)value;
        writer.Advance(length);
    }

    /// <summary>Two numbers; mostly both take one byte.</summary>
    internal static void Write(ArrayBufferWriter<byte> writer, ulong first, ulong second)
    {
        if ((first | second) >= 0x80)
        {
            Write(writer, first);
            Write(writer, second);
            return;
        }

        Span<byte> span = writer.GetSpan(2);
        (span[0], span[1]) = ((byte)first, (byte)second);
        writer.Advance(2);
    }

    /// <param name="at">Where it begins; moved behind it.</param>
    /// <param name="bytes">Where the number stands.</param>
    /// <exception cref="FormatException">The bytes end inside it, or it has more than 64 bits.</exception>
    public static ulong Read(ReadOnlySpan<byte> bytes, ref int at) =>
        (uint)at < (uint)bytes.Length && bytes[at] < 0x80 ? bytes[at++] : ReadLong(bytes, ref at);

    private static ulong ReadLong(ReadOnlySpan<byte> bytes, ref int at)
    {
        ulong value = 0;
        for (int i = 0; i < Longest && at < bytes.Length; i++)
        {
            byte group = bytes[at++];
            value |= (ulong)(group & 0x7F) << (7 * i);
            if (group < 0x80)
            {
                return value;
            }
        }

        throw new FormatException("A number is cut.");
    }
}
