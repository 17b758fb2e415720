using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>A comment that says something about the statement below it: <c>-- key qualifier: value</c>.</summary>
/// <param name="Key">One of the known keys, in lower case.</param>
/// <param name="Qualifier">What stands between key and colon, trimmed: the share of a bind line, the moment of an arrival.</param>
/// <param name="Value">What stands behind the colon, trimmed; its place in the file is <see cref="ValueSpan"/>.</param>
/// <param name="Span">Where it stands.</param>
/// <param name="ValueSpan">Where its value stands.</param>
internal sealed record Directive(string Key, string Qualifier, string Value, TextSpan Span, TextSpan ValueSpan)
{
    /// <summary>What may have a qualifier between key and colon.</summary>
    private static readonly string[] Qualified = ["bind", "arrived"];

    private static readonly string[] Keys = ["name", "calls", "bind", "tolerance", "rewrite"];

    /// <summary>The directives among the comments of a piece of a file.</summary>
    /// <param name="file">The whole text.</param>
    /// <param name="piece">Where to look.</param>
    /// <param name="dialect">Of the file.</param>
    /// <param name="keys">Which are known; null for those of workloads and changes.</param>
    public static List<Directive> ReadFrom(string file, TextSpan piece, SqlDialect dialect, IReadOnlyList<string>? keys = null)
    {
        var found = new List<Directive>();
        foreach (Token token in SqlLexer.Tokenize(file.AsSpan(piece.Start, piece.Length), dialect))
        {
            if (token.Kind == TokenKind.LineComment
                && Read(file, new(piece.Start + token.Start, token.Length), keys ?? Keys) is { } directive)
            {
                found.Add(directive);
            }
        }

        return found;
    }

    private static Directive? Read(string file, TextSpan comment, IReadOnlyList<string> keys)
    {
        string text = comment.Of(file);
        int colon = text.IndexOf(':', StringComparison.Ordinal);
        if (colon < 0 || !text.StartsWith("--", StringComparison.Ordinal))
        {
            return null;
        }

        string head = text[2..colon].Trim();
        string? key = keys.FirstOrDefault(k => head.StartsWith(k, StringComparison.OrdinalIgnoreCase)
            && (head.Length == k.Length || char.IsWhiteSpace(head[k.Length])));
        if (key is null || (head.Length > key.Length && !Qualified.Contains(key)))
        {
            return null;
        }

        string rest = text[(colon + 1)..];
        int valueStart = comment.Start + colon + 1 + (rest.Length - rest.TrimStart().Length);
        string value = rest.Trim();
        return new(key, head[key.Length..].Trim(), value, comment, new(valueStart, value.Length));
    }
}
