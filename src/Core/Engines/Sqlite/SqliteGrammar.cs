using System.Collections.Frozen;
using SwiftLedger.Core.Sql;

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
        NoBareAliases = Words("LIKE GLOB REGEXP MATCH CROSS FULL INNER LEFT NATURAL OUTER RIGHT INDEXED"),
    };

    private static FrozenSet<string> Words(string words) => words.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries).ToFrozenSet(StringComparer.Ordinal);
}
