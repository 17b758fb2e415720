using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>A comment that says something about the statement below it: <c>-- key qualifier: value</c>.</summary>
/// <param name="Key">One of the known keys, in lower case.</param>
/// <param name="Qualifier">What stands between key and colon, trimmed: the share of a bind line.</param>
/// <param name="Value">What stands behind the colon, trimmed; its place in the file is <see cref="ValueSpan"/>.</param>
/// <param name="Span">Where it stands.</param>
/// <param name="ValueSpan">Where its value stands.</param>
internal sealed record Directive(string Key, string Qualifier, string Value, TextSpan Span, TextSpan ValueSpan)
{
    private static readonly string[] Keys = ["name", "calls", "bind", "tolerance", "rewrite"];

    /// <summary>The directives among the comments of a piece of a file.</summary>
    public static List<Directive> ReadFrom(string file, TextSpan piece, SqlDialect dialect)
    {
        var found = new List<Directive>();
        foreach (Token token in SqlLexer.Tokenize(file.AsSpan(piece.Start, piece.Length), dialect))
        {
            if (token.Kind == TokenKind.LineComment
                && Read(file, new(piece.Start + token.Start, token.Length)) is { } directive)
            {
                found.Add(directive);
            }
        }

        return found;
    }

    private static Directive? Read(string file, TextSpan comment)
    {
        string text = comment.Of(file);
        int colon = text.IndexOf(':', StringComparison.Ordinal);
        if (colon < 0 || !text.StartsWith("--", StringComparison.Ordinal))
        {
            return null;
        }

        string head = text[2..colon].Trim();
        string? key = Keys.FirstOrDefault(k => head.StartsWith(k, StringComparison.OrdinalIgnoreCase)
            && (head.Length == k.Length || char.IsWhiteSpace(head[k.Length])));
        if (key is null || (head.Length > key.Length && key != "bind"))
        {
            return null;
        }

        string rest = text[(colon + 1)..];
        int valueStart = comment.Start + colon + 1 + (rest.Length - rest.TrimStart().Length);
        string value = rest.Trim();
        return new(key, head[key.Length..].Trim(), value, comment, new(valueStart, value.Length));
    }
}
