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

    /// <summary>Takes a number off the front.</summary>
    /// <exception cref="FormatException">The bytes end inside it, or it has more than 64 bits.</exception>
    public static ulong Read(ref ReadOnlySpan<byte> bytes)
    {
        if (!bytes.IsEmpty && bytes[0] < 0x80)
        {
            ulong single = bytes[0];
            bytes = bytes[1..];
            return single;
        }

        ulong value = 0;
        for (int i = 0; i < bytes.Length && i < Longest; i++)
        {
            value |= (ulong)(bytes[i] & 0x7F) << (7 * i);
            if (bytes[i] < 0x80)
            {
                bytes = bytes[(i + 1)..];
                return value;
            }
        }

        throw new FormatException("A number is cut.");
    }
}
