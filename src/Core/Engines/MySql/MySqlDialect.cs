using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Engines.MySql;

/// <summary>
/// MySQL reference manual, "Language Structure": double-quoted strings, backslash escapes, <c>#</c> comments, <c>--</c> only before white space.
/// </summary>
internal sealed class MySqlDialect : IStatementGuard
{
    public static readonly SqlDialect Dialect = new()
    {
        Id = "mySql",
        Rules = LexicalRules.BackslashStrings | LexicalRules.HashComments | LexicalRules.DashesBeforeSpace | LexicalRules.ColonEquals | LexicalRules.BacktickNames
            | LexicalRules.BitStrings | LexicalRules.NationalStrings | LexicalRules.TriggerBodies | LexicalRules.NestedBodies,
        OperatorLength = OperatorLength,
        Guard = new MySqlDialect(),
    };

    /// <summary>Of this engine logs are read, and nothing is executed.</summary>
    public string? RefusalOfFirst(string first) => null;

    public string? RefusalOf(string first, string previous, string word, ReadOnlySpan<char> text) => null;

    /// <summary>MySQL reference manual, "Operators".</summary>
    public static int OperatorLength(ReadOnlySpan<char> text)
    {
        char next = text.Length > 1 ? text[1] : '\0';
        return text.StartsWith("<=>") || text.StartsWith("->>") ? 3 : text[0] switch
        {
            '-' when next == '>' => 2,
            '|' when next == '|' => 2,
            '&' when next == '&' => 2,
            '<' when next is '<' or '=' or '>' => 2,
            '>' when next is '>' or '=' => 2,
            '=' when next == '=' => 2,
            '!' when next == '=' => 2,
            '+' or '-' or '*' or '/' or '%' or '<' or '>' or '=' or '&' or '|' or '~' or '^' or '!' => 1,
            _ => 0,
        };
    }
}
