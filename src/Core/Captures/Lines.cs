namespace SwiftLedger.Core.Captures;

/// <summary>Reads one line.</summary>
/// <param name="line">Without its end.</param>
/// <param name="sink">Told each statement.</param>
internal delegate void TakeLine(ReadOnlySpan<byte> line, ICaptureSink sink);

/// <summary>Cuts bytes into lines.</summary>
internal static class Lines
{
    /// <summary>The line that begins at a place, without its end; false where its end has not come yet.</summary>
    /// <param name="next">Where the next line begins.</param>
    /// <param name="at">Where the line begins.</param>
    /// <param name="bytes">UTF-8.</param>
    /// <param name="line">The line without its end.</param>
    public static bool TryRead(ReadOnlySpan<byte> bytes, int at, out ReadOnlySpan<byte> line, out int next)
    {
        int length = bytes[at..].IndexOf((byte)'\n');
        if (length < 0)
        {
            line = default;
            next = at;
            return false;
        }

        next = at + length + 1;
        line = bytes.Slice(at, length > 0 && bytes[at + length - 1] == '\r' ? length - 1 : length);

        // Files that were put behind each other bring their byte order marks along.
        line = line.StartsWith("\uFEFF"u8) ? line[3..] : line;
        return true;
    }

    /// <summary>Hands over each whole line that holds more than spaces, and counts it.</summary>
    /// <param name="bytes">What was read and not taken yet.</param>
    /// <param name="form">Whose lines they are; its number goes along.</param>
    /// <param name="take">Told each line.</param>
    /// <param name="sink">Handed on.</param>
    /// <returns>How many bytes are done with.</returns>
    public static int TakeEach(ReadOnlySpan<byte> bytes, ICaptureForm form, TakeLine take, ICaptureSink sink)
    {
        int at = 0;
        while (at < bytes.Length && TryRead(bytes, at, out ReadOnlySpan<byte> line, out int next))
        {
            if (!line.Trim((byte)' ').IsEmpty)
            {
                take(line, sink);
            }

            at = next;
            form.Line++;
        }

        return at;
    }

    public static long Count(ReadOnlySpan<byte> bytes) => bytes.Count((byte)'\n');
}
