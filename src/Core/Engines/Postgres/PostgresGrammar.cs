using System.Collections.Frozen;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>PostgreSQL's manual, 4.1.6 "Operator Precedence" for operators, appendix C "SQL Key Words" for words, as <c>pg_get_keywords()</c> tells them.</summary>
internal static class PostgresGrammar
{
    /// <summary>Reserved words that may name a function or a type.</summary>
    private const string OfFunctions =
        """
        AUTHORIZATION BINARY COLLATION CONCURRENTLY CROSS CURRENT_SCHEMA FREEZE FULL ILIKE INNER IS ISNULL JOIN LEFT LIKE NATURAL NOTNULL OUTER OVERLAPS
        RIGHT SIMILAR TABLESAMPLE VERBOSE
        """;

    private const string Taken =
        """
        ALL ANALYSE ANALYZE AND ANY ARRAY AS ASC ASYMMETRIC BOTH CASE CAST CHECK COLLATE COLUMN CONSTRAINT CREATE CURRENT_CATALOG CURRENT_DATE CURRENT_ROLE
        CURRENT_TIME CURRENT_TIMESTAMP CURRENT_USER DEFAULT DEFERRABLE DESC DISTINCT DO ELSE END EXCEPT FALSE FETCH FOR FOREIGN FROM GRANT GROUP HAVING IN
        INITIALLY INTERSECT INTO LATERAL LEADING LIMIT LOCALTIME LOCALTIMESTAMP NOT NULL OFFSET ON ONLY OR ORDER PLACING PRIMARY REFERENCES RETURNING SELECT
        SESSION_USER SOME SYMMETRIC SYSTEM_USER TABLE THEN TO TRAILING TRUE UNION UNIQUE USER USING VARIADIC WHEN WHERE WINDOW WITH
        """;

    /// <summary>Words that are an alias only behind AS.</summary>
    private const string BehindAs =
        """
        ARRAY AS CHAR CHARACTER CREATE DAY EXCEPT FETCH FILTER FOR FROM GRANT GROUP HAVING HOUR INTERSECT INTO ISNULL LIMIT MINUTE MONTH NOTNULL OFFSET ON
        ORDER OVER OVERLAPS PRECISION RETURNING SECOND TO UNION VARYING WHERE WINDOW WITH WITHIN WITHOUT YEAR
        """;

    public static readonly SqlGrammar Grammar = new()
    {
        Rules = GrammarRules.WideQueries | GrammarRules.WideExpressions | GrammarRules.AlteringTables | GrammarRules.Merge | GrammarRules.StrictComparisons,
        Tests = SqlGrammar.Matching,
        Binds = static sign => sign switch
        {
            "=" or "<" or ">" or "<=" or ">=" or "<>" or "!=" => SqlGrammar.Comparison,
            "+" or "-" => SqlGrammar.Sum,
            "*" or "/" or "%" => SqlGrammar.Product,
            "^" => SqlGrammar.Power,
            "IS DISTINCT FROM" or "IS NOT DISTINCT FROM" or "OVERLAPS" => SqlGrammar.Is,
            "[" or "]" or ":" or "::" or "=>" or ":=" or ".." => 0,
            _ => SqlGrammar.AnyOperator,
        },
        Prefixes = static sign => sign switch
        {
            "+" or "-" => SqlGrammar.Sign,
            "=" or "<" or ">" or "<=" or ">=" or "<>" or "!=" or "*" or "/" or "%" or "^" or "[" or "]" or ":" or "::" or "=>" or ":=" or ".." => 0,
            _ => SqlGrammar.AnyOperator,
        },
        Matches = Words("LIKE ILIKE SIMILAR"),
        Values = Words(
            """
            NULL TRUE FALSE CURRENT_DATE CURRENT_TIME CURRENT_TIMESTAMP LOCALTIME LOCALTIMESTAMP CURRENT_ROLE CURRENT_USER SESSION_USER SYSTEM_USER USER
            CURRENT_CATALOG CURRENT_SCHEMA
            """),
        Reserved = Words(Taken + " " + OfFunctions),
        Functions = Words(OfFunctions + " CURRENT_TIME CURRENT_TIMESTAMP LOCALTIME LOCALTIMESTAMP"),
        NoBareAliases = Words(BehindAs),
        BareAliases = [.. Words(Taken + " " + OfFunctions).Except(Words(BehindAs))],
        WordedCalls = Words("EXTRACT OVERLAY POSITION SUBSTRING TRIM COLLATION"),
        SteadyFunctions = Words(
            """
            abs ceil ceiling coalesce concat concat_ws floor greatest least length char_length character_length octet_length lower upper initcap left right lpad rpad ltrim rtrim btrim trim replace
            substr substring position strpos split_part starts_with md5 mod nullif power round sign sqrt trunc div date date_part date_trunc extract make_date age avg count sum min max bool_and
            bool_or every string_agg array_agg array_length cardinality unnest row_number rank dense_rank percent_rank cume_dist ntile lag lead first_value last_value nth_value overlay
            """),
        OpaqueCalls = Words(
            """
            XMLCONCAT XMLELEMENT XMLEXISTS XMLFOREST XMLPARSE XMLPI XMLROOT XMLSERIALIZE XMLTABLE JSON_ARRAY JSON_ARRAYAGG JSON_EXISTS JSON_OBJECT JSON_OBJECTAGG
            JSON_QUERY JSON_SCALAR JSON_SERIALIZE JSON_TABLE JSON_VALUE TREAT NORMALIZE JSON MERGE_ACTION
            """),
        WordedTypes = Words("BIGINT BIT BOOLEAN CHAR CHARACTER DEC DECIMAL DOUBLE FLOAT INT INTEGER INTERVAL NATIONAL NCHAR NUMERIC REAL SMALLINT TIME TIMESTAMP VARCHAR JSON"),
    };

    /// <summary>PostgreSQL manual, "Date/Time Types" and 9.9: a date held against a timestamp is its midnight, of the session's time zone where the timestamp has one.</summary>
    public static readonly DayForms Days = new(
        static e => e switch
        {
            Cast { Operand: Name column, Type.Words: [var type] } when type.Equals("date", StringComparison.OrdinalIgnoreCase) => column,
            Call { Quantifier: "", Arguments: [Name column], Function.Parts.Count: 1 } call when call.Function.Last.Equals("date", StringComparison.OrdinalIgnoreCase) => column,
            _ => null,
        },
        "timestamp", static day => $"CAST({day} AS date)", static day => $"CAST({day} AS date) + 1", null, null);

    /// <summary>PostgreSQL manual, 11.10 "Operator Classes and Operator Families": where texts are in the order of a language, LIKE needs an index in the order of their characters; its planner makes the range by itself.</summary>
    public static readonly PrefixForms Prefixes = new(
        static (column, type) => type == "text" || type.StartsWith("character varying", StringComparison.Ordinal) ? $"({column}) text_pattern_ops" : type.StartsWith("character", StringComparison.Ordinal) ? $"({column}) bpchar_pattern_ops" : null,
        null, null);

    private static FrozenSet<string> Words(string words) => words.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries).ToFrozenSet(StringComparer.Ordinal);
}
