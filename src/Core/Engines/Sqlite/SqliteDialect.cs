using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Engines.Sqlite;

/// <summary>SQLite's manual, "SQL Language Expressions": all four quotes of names, comments that do not nest, no escape strings.</summary>
internal sealed class SqliteDialect : IStatementGuard
{
    public static readonly SqlDialect Dialect = new()
    {
        Id = "sqlite",
        Rules = LexicalRules.BacktickNames | LexicalRules.BracketNames | LexicalRules.ScopedParameters | LexicalRules.TriggerBodies,
        OperatorLength = OperatorLength,
        Guard = new SqliteDialect(),
        Grammar = SqliteGrammar.Grammar,
    };

    /// <summary>The fixed list of SQLite's manual, "SQL Language Expressions".</summary>
    public static int OperatorLength(ReadOnlySpan<char> text)
    {
        char next = text.Length > 1 ? text[1] : '\0';
        return text[0] switch
        {
            '-' when next == '>' => text.Length > 2 && text[2] == '>' ? 3 : 2,
            '|' when next == '|' => 2,
            '<' when next is '<' or '=' or '>' => 2,
            '>' when next is '>' or '=' => 2,
            '=' when next == '=' => 2,
            '!' when next == '=' => 2,
            '+' or '-' or '*' or '/' or '%' or '<' or '>' or '=' or '&' or '|' or '~' => 1,
            _ => 0,
        };
    }

    public string? RefusalOfFirst(string first) => first switch
    {
        "attach" => "ATTACH is refused: a trial may touch nothing outside its own copies.",
        "detach" => "DETACH is refused: a trial may touch nothing outside its own copies.",
        _ => null,
    };

    public string? RefusalOf(string first, string previous, string word, ReadOnlySpan<char> text)
    {
        if (first == "vacuum" && word == "into")
        {
            return "VACUUM INTO is refused: it would write a file outside the trial's own copies.";
        }

        string name = word.Length > 0 ? word : text.Trim("\"`[]").ToString().ToLowerInvariant();
        return name switch
        {
            "load_extension" => "load_extension is refused: a trial runs no code but the engine's.",
            "temp_store_directory" or "data_store_directory" when first == "pragma" =>
                $"PRAGMA {name} is refused: it would move files outside the trial's own folder.",
            _ => null,
        };
    }
}
