using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>A comment that says something about the statement below it: <c>-- key qualifier: value</c>.</summary>
/// <param name="Key">One of the known keys, in lower case.</param>
/// <param name="Qualifier">What stands between key and colon, trimmed: the share of a bind line, the moment of an arrival.</param>
/// <param name="Value">What stands behind the colon, trimmed; its place in the file is <see cref="ValueSpan"/>.</param>
/// <param name="Span">Where it stands.</param>
/// <param name="ValueSpan">Where its value stands.</param>
internal sealed partial record Directive(string Key, string Qualifier, string Value, TextSpan Span, TextSpan ValueSpan)
{
    /// <summary>What may have a qualifier between key and colon.</summary>
    private static readonly string[] Qualified = ["bind", "arrived", EachRow];

    private static readonly string[] Keys = ["name", "calls", "bind", "tolerance", "rewrite", Budget, BudgetForAll, Exception, Unit, EachRow, Then, UnitEnds];

    /// <summary>A limit that the statement has to keep.</summary>
    public const string Budget = "budget";

    /// <summary>A limit that all statements of the file keep together; it may stand anywhere.</summary>
    public const string BudgetForAll = "budget for all";

    /// <summary>A limit that the statement may break until a day.</summary>
    public const string Exception = "exception";

    /// <summary>Names a unit of work, of this statement and those behind it that have no name.</summary>
    public const string Unit = "unit";

    /// <summary>This statement runs once for each row of one before it in its unit.</summary>
    public const string EachRow = "each row";

    /// <summary>This statement comes behind the one before it, in one unit with it.</summary>
    public const string Then = "then";

    /// <summary>The statement is in no unit any more.</summary>
    public const string UnitEnds = "unit ends";

    /// <summary>What needs no colon, where nothing else stands in the comment.</summary>
    private static readonly string[] Bare = [EachRow, Then, UnitEnds];

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
        if (!text.StartsWith("--", StringComparison.Ordinal))
        {
            return null;
        }

        int colon = text.IndexOf(':', StringComparison.Ordinal) is var at and >= 0 ? at : text.Length;
        string head = text[2..colon].Trim();
        string? key = keys.Where(k => head.StartsWith(k, StringComparison.OrdinalIgnoreCase)
            && (head.Length == k.Length || char.IsWhiteSpace(head[k.Length]))).MaxBy(k => k.Length);
        if (key is null || (head.Length > key.Length && !Qualified.Contains(key)) || (colon == text.Length && !Bare.Contains(key))
            || (key == EachRow && !NamedList().IsMatch(head[key.Length..])))
        {
            return null;
        }

        string rest = text[Math.Min(colon + 1, text.Length)..];
        int valueStart = comment.Start + Math.Min(colon + 1, text.Length) + (rest.Length - rest.TrimStart().Length);
        string value = rest.Trim();
        return new(key, head[key.Length..].Trim(), value, comment, new(valueStart, value.Length));
    }

    /// <summary>Which statement's rows a loop goes through; any other words behind <c>each row</c> are a comment.</summary>
    [GeneratedRegex(@"^(\s+of(\s+statement)?\s+[1-9]\d{0,3})?\s*$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex NamedList();
}
