using System.Collections.Frozen;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Engines.Sqlite;

/// <summary>SQLite's manual, "SQL Language Expressions" for operators, "SQLite Keywords" for words; which of them serve as names is what the engine takes (<c>SqliteWordTests</c> asks it).</summary>
internal static class SqliteGrammar
{
    public static readonly SqlGrammar Grammar = new()
    {
        Rules = GrammarRules.LooseJoins | GrammarRules.FlatSetOperations | GrammarRules.IndexHints | GrammarRules.ConflictWords | GrammarRules.LimitPairs
            | GrammarRules.LooseTests | GrammarRules.StringAliases,
        Tests = SqlGrammar.Is,
        Binds = static sign => sign switch
        {
            "=" or "==" or "<>" or "!=" or "IS" or "IS NOT" or "IS DISTINCT FROM" or "IS NOT DISTINCT FROM" => SqlGrammar.Is,
            "<" or ">" or "<=" or ">=" => SqlGrammar.Comparison,
            "&" or "|" or "<<" or ">>" => SqlGrammar.AnyOperator,
            "+" or "-" => SqlGrammar.Sum,
            "*" or "/" or "%" => SqlGrammar.Product,
            "||" or "->" or "->>" => SqlGrammar.Power,
            _ => 0,
        },
        Prefixes = static sign => sign is "+" or "-" or "~" ? SqlGrammar.Sign : 0,
        Matches = Words("LIKE GLOB REGEXP MATCH"),
        Values = Words("NULL TRUE FALSE CURRENT_DATE CURRENT_TIME CURRENT_TIMESTAMP"),
        Reserved = Words(
            """
            ADD ALL ALTER AND AS AUTOINCREMENT BETWEEN CASE CHECK COLLATE COMMIT CONSTRAINT CREATE DEFAULT DEFERRABLE DELETE DISTINCT DROP ELSE ESCAPE EXCEPT
            EXISTS FOREIGN FROM GROUP HAVING IN INDEX INSERT INTERSECT INTO IS ISNULL JOIN LIMIT NOT NOTHING NOTNULL NULL ON OR ORDER PRIMARY REFERENCES RETURNING
            SELECT SET TABLE THEN TO TRANSACTION UNION UNIQUE UPDATE USING VALUES WHEN WHERE
            """),
        SteadyFunctions = Words(
            """
            abs ceil ceiling char coalesce concat concat_ws floor format glob hex iif ifnull instr length like lower ltrim max min mod nullif octet_length power printf quote replace round rtrim
            sign sqrt substr substring trim trunc typeof unhex unicode upper avg count group_concat string_agg sum total date time datetime julianday strftime unixepoch json json_extract
            json_array_length json_type json_valid row_number rank dense_rank percent_rank cume_dist ntile lag lead first_value last_value nth_value
            """),
        NoBareAliases = Words("LIKE GLOB REGEXP MATCH CROSS FULL INNER LEFT NATURAL OUTER RIGHT INDEXED"),
    };

    /// <summary>SQLite manual, "Date And Time Functions": what date() takes has many forms, and only one of them sorts as time goes.</summary>
    public static readonly DayForms Days = new(
        static e => e is Call { Quantifier: "", Arguments: [Name column], Function.Parts.Count: 1 } call && call.Function.Last.Equals("date", StringComparison.OrdinalIgnoreCase) ? column : null,
        "", static day => day, static day => $"date({day}, '+1 day')", ColumnForm.BeginsWithItsDate,
        static column => $"{column} IS NOT NULL AND (typeof({column}) <> 'text' OR date({column}) IS NULL OR substr({column}, 1, 10) <> date({column}))");

    /// <summary>
    /// SQLite manual, "The LIKE Optimization": LIKE takes ASCII's capitals for small letters, and searches through an index only where its order does so too. Without letters that is one order; see
    /// "Datatypes", 3.1, for which columns make texts of numbers, and 7 for the order of binary values behind all texts, and of texts by their bytes: in UTF-16 those are in another order.
    /// </summary>
    public static readonly PrefixForms Prefixes = new(
        static (column, type) => HoldsTexts(type) ? $"({column} COLLATE NOCASE)" : null,
        static (type, prefix) => HoldsTexts(type) && prefix.All(c => c is >= ' ' and <= '~' && !char.IsAsciiLetter(c)) && (char.IsAsciiDigit(prefix[^1]) || prefix[^1] is '-' or '/' or ':' or '.'),
        static column => $"typeof({column}) = 'blob' OR length(CAST('a' AS BLOB)) <> 1");

    private static readonly string[] TextWords = ["CHAR", "CLOB", "TEXT"];

    private static bool HoldsTexts(string type) => !type.Contains("INT", StringComparison.OrdinalIgnoreCase) && TextWords.Any(t => type.Contains(t, StringComparison.OrdinalIgnoreCase));

    private static FrozenSet<string> Words(string words) => words.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries).ToFrozenSet(StringComparer.Ordinal);
}
