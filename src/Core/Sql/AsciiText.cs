using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace SwiftLedger.Core.Sql;

/// <summary>ASCII text, sixteen characters at a time.</summary>
internal static class AsciiText
{
    private const int Width = 16;

    /// <summary>One bit for each of the 64 characters from a place on, the first lowest: 1 where it is a letter,
    /// a digit, <c>_</c> or <c>$</c>. 0 behind the text's end.</summary>
    public static ulong WordsAt(ReadOnlySpan<char> text, int at)
    {
        if (at + 64 > text.Length)
        {
            Span<char> padded = stackalloc char[64];
            padded.Clear();
            text[at..].CopyTo(padded);
            return MaskOf(padded);
        }

        return MaskOf(text.Slice(at, 64));
    }

    /// <summary>Writes ASCII text in lower case, one byte a character. False, with the target spoilt, where other characters stand in it.</summary>
    public static bool TryFold(ReadOnlySpan<char> text, Span<byte> target)
    {
        int at = 0;
        for (; at + Width <= text.Length; at += Width)
        {
            Vector128<byte> bytes = Narrow(text, at);
            if (bytes.ExtractMostSignificantBits() != 0)
            {
                return false;
            }

            (bytes + (Within(bytes, 'A', 26) & Vector128.Create((byte)0x20))).CopyTo(target[at..]);
        }

        for (; at < text.Length; at++)
        {
            char c = text[at];
            if (c >= 128)
            {
                return false;
            }

            target[at] = (byte)((uint)(c - 'A') < 26 ? c | 0x20 : c);
        }

        return true;
    }

    private static ulong MaskOf(ReadOnlySpan<char> text) =>
        MaskOf16(text, 0) | (MaskOf16(text, 16) << 16) | (MaskOf16(text, 32) << 32) | (MaskOf16(text, 48) << 48);

    private static ulong MaskOf16(ReadOnlySpan<char> text, int at)
    {
        Vector128<byte> bytes = Narrow(text, at);
        Vector128<byte> part = Within(bytes | Vector128.Create((byte)0x20), 'a', 26) | Within(bytes, '0', 10)
            | Vector128.Equals(bytes, Vector128.Create((byte)'_')) | Vector128.Equals(bytes, Vector128.Create((byte)'$'));
        return part.ExtractMostSignificantBits();
    }

    /// <summary>Bytes from <paramref name="first"/> on, <paramref name="count"/> of them: the subtraction wraps, so one comparison does.</summary>
    private static Vector128<byte> Within(Vector128<byte> bytes, char first, byte count) =>
        Vector128.LessThan(bytes - Vector128.Create((byte)first), Vector128.Create(count));

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector128<byte> Narrow(ReadOnlySpan<char> text, int at)
    {
        ReadOnlySpan<ushort> units = MemoryMarshal.Cast<char, ushort>(text.Slice(at, Width));
        return Vector128.NarrowWithSaturation(Vector128.Create(units), Vector128.Create(units[8..]));
    }
}
