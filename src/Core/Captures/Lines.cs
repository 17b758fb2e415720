namespace SwiftLedger.Core.Captures;

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
        return true;
    }

    public static long Count(ReadOnlySpan<byte> bytes) => bytes.Count((byte)'\n');
}
