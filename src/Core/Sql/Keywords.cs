using System.Collections.Frozen;

namespace SwiftLedger.Core.Sql;

/// <summary>Words that change how the token behind them reads: an operand begins there, or NULL is no literal.</summary>
internal static class Keywords
{
    private static readonly FrozenDictionary<string, LastWritten>.AlternateLookup<ReadOnlySpan<char>> Kinds = new[]
    {
        "all", "and", "any", "as", "between", "by", "case", "else", "end", "except", "exists", "from", "glob", "group", "having",
        "ilike", "insert", "intersect", "into", "join", "key", "like", "limit", "materialized", "offset", "on", "or", "order",
        "over", "partition", "returning", "select", "some", "then", "union", "update", "using", "when", "where", "with",
    }
        .Select(word => (word, kind: LastWritten.Keyword))
        .Concat(new[] { "default", "distinct", "is", "not", "set" }.Select(word => (word, kind: LastWritten.GrammarOfNull)))
        .Append((word: "in", kind: LastWritten.In))
        .Append((word: "values", kind: LastWritten.Values))
        .ToFrozenDictionary(p => p.word, p => p.kind, StringComparer.OrdinalIgnoreCase)
        .GetAlternateLookup<ReadOnlySpan<char>>();

    /// <summary>Words beside those above that are never a column's name where a condition stands.</summary>
    private static readonly FrozenSet<string> Others = new[]
    {
        "asc", "cast", "collate", "current_date", "current_time", "current_timestamp", "desc", "escape", "isnull", "match", "notnull", "regexp", "window",
    }.ToFrozenSet(StringComparer.OrdinalIgnoreCase);

    /// <summary>Whether a word in a condition belongs to the grammar, not to the schema.</summary>
    public static bool IsReserved(string word) => Find(word) != LastWritten.Operand || IsLiteral(word) || Others.Contains(word);

    /// <summary>The kind of a word; an operand where it is none of these.</summary>
    public static LastWritten Find(ReadOnlySpan<char> word) => Kinds.TryGetValue(word, out LastWritten kind) ? kind : LastWritten.Operand;

    /// <summary>Whether a word is NULL, TRUE or FALSE.</summary>
    public static bool IsLiteral(ReadOnlySpan<char> word) =>
        word.Equals("null", StringComparison.OrdinalIgnoreCase)
        || word.Equals("true", StringComparison.OrdinalIgnoreCase)
        || word.Equals("false", StringComparison.OrdinalIgnoreCase);
}
