namespace SwiftLedger.Core.Sql;

/// <summary>A place as editors count it.</summary>
/// <param name="Line">From 1; lines end at LF, CRLF or CR.</param>
/// <param name="Column">From 1, in UTF-16 code units.</param>
public readonly record struct TextPlace(int Line, int Column)
{
    /// <summary>Where an offset lies; an offset past the end is taken as the end.</summary>
    public static TextPlace At(string text, int offset)
    {
        int line = 1, start = 0;
        int end = Math.Clamp(offset, 0, text.Length);
        for (int i = 0; i < end; i++)
        {
            if (text[i] == '\n' || (text[i] == '\r' && (i + 1 >= text.Length || text[i + 1] != '\n')))
            {
                line++;
                start = i + 1;
            }
        }

        return new(line, end - start + 1);
    }

    public override string ToString() => $"line {Line}, column {Column}";
}
