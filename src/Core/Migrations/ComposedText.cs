using System.Text;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Migrations;

/// <summary>A file of SQL.</summary>
/// <param name="Path">As its reader calls it.</param>
/// <param name="Text">All of it.</param>
public sealed record SourceFile(string Path, string Text);

/// <summary>A place in a file.</summary>
/// <param name="Path">As its reader calls it.</param>
/// <param name="Place">Line and column; null where it is about the file as a whole.</param>
public sealed record SourcePlace(string Path, TextPlace? Place)
{
    /// <summary>As compilers write it: <c>app.sql:2:12</c>.</summary>
    public override string ToString() => Place is { } place ? string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{Path}:{place.Line}:{place.Column}") : Path;
}

/// <summary>A text put together from pieces of files, which knows where each of its places comes from.</summary>
public sealed class ComposedText
{
    private readonly StringBuilder _text = new();
    private readonly List<(int Start, SourceFile File, int From)> _pieces = [];
    private string? _whole;

    /// <summary>The text as far as it is put together.</summary>
    public string Text => _whole ??= _text.ToString();

    /// <summary>Adds a piece of a file.</summary>
    /// <param name="file">That it is taken from.</param>
    /// <param name="span">Of its text.</param>
    public ComposedText Add(SourceFile file, TextSpan span) => Add(file, span.Of(file.Text), span.Start);

    /// <summary>Adds what stands in no file; its places are those of the place that it stands for.</summary>
    /// <param name="file">That it stands in.</param>
    /// <param name="text">Added.</param>
    /// <param name="at">Offset of the place in the file.</param>
    public ComposedText Add(SourceFile file, string text, int at)
    {
        _pieces.Add((_text.Length, file, at));
        _text.Append(text);
        _whole = null;
        return this;
    }

    /// <summary>Adds a text that is put together itself.</summary>
    public ComposedText Add(ComposedText other)
    {
        _pieces.AddRange(other._pieces.Select(p => (p.Start + _text.Length, p.File, p.From)));
        _text.Append(other.Text);
        _whole = null;
        return this;
    }

    /// <summary>Where a place of the text comes from.</summary>
    /// <param name="place">In <see cref="Text"/>.</param>
    public SourcePlace OriginOf(TextPlace place)
    {
        int offset = OffsetOf(Text, place);
        int piece = _pieces.FindLastIndex(p => p.Start <= offset);
        (int start, SourceFile file, int from) = _pieces[Math.Max(piece, 0)];
        int end = piece + 1 < _pieces.Count ? _pieces[piece + 1].Start : Text.Length;

        // Inside what stands in no file, as much of it as the file has at that place.
        bool own = from + (end - start) <= file.Text.Length && string.CompareOrdinal(file.Text, from, Text, start, end - start) == 0;
        return new(file.Path, TextPlace.At(file.Text, own ? from + (offset - start) : from));
    }

    /// <summary>The offset of a place; the end of the text where it lies behind.</summary>
    private static int OffsetOf(string text, TextPlace place)
    {
        int line = 1, at = 0;
        while (line < place.Line && at < text.Length)
        {
            if (text[at] == '\n' || (text[at] == '\r' && (at + 1 >= text.Length || text[at + 1] != '\n')))
            {
                line++;
            }

            at++;
        }

        return Math.Min(at + place.Column - 1, text.Length);
    }
}
