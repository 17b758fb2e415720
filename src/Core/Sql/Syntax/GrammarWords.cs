using System.Collections.Concurrent;
using System.Collections.Frozen;

namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>What a word is to a grammar.</summary>
[Flags]
internal enum WordUse : byte
{
    None = 0,

    /// <summary>No name without quotes.</summary>
    Reserved = 1,

    /// <summary>LIKE and its kin.</summary>
    Matches = 2,

    /// <summary>May be an alias without AS.</summary>
    BareAlias = 4,

    /// <summary>May go on with an expression behind an operand.</summary>
    Operates = 8,
}

/// <summary>A word of a grammar.</summary>
/// <param name="Text">In upper case.</param>
/// <param name="Use">What it is to the grammar.</param>
internal sealed record GrammarWord(string Text, WordUse Use)
{
    /// <summary>A name, or any word that no grammar knows.</summary>
    public static readonly GrammarWord Name = new("", WordUse.BareAlias);
}

/// <summary>The words of all grammars, so that they are compared by their upper case, and without a copy.</summary>
internal sealed class GrammarWords
{
    private static readonly ConcurrentDictionary<SqlGrammar, GrammarWords> Known = new();

    private static readonly string[] All =
        """
        ABORT ACTION ADD AFTER ALL ALTER ALWAYS ANALYSE ANALYZE AND ANY ARRAY AS ASC ASYMMETRIC AT ATTACH AUTHORIZATION AUTOINCREMENT BEFORE BEGIN
        BETWEEN BIGINT BINARY BIT BOOLEAN BOTH BY CASCADE CASE CAST CHAR CHARACTER CHECK COALESCE COLLATE COLLATION COLUMN COMMIT CONCURRENTLY CONFLICT
        CONSTRAINT CREATE CROSS CURRENT CURRENT_CATALOG CURRENT_DATE CURRENT_ROLE CURRENT_SCHEMA CURRENT_TIME CURRENT_TIMESTAMP CURRENT_USER DATABASE
        DAY DEC DECIMAL DEFAULT DEFERRABLE DEFERRED DELETE DESC DETACH DISTINCT DO DOCUMENT DOUBLE DROP EACH ELSE END ESCAPE EXCEPT EXCLUDE EXCLUSIVE
        EXISTS EXPLAIN EXTRACT FAIL FALSE FETCH FILTER FIRST FLOAT FOLLOWING FOR FOREIGN FREEZE FROM FULL GENERATED GLOB GRANT GROUP GROUPING GROUPS
        HAVING HOUR IF IGNORE ILIKE IMMEDIATE IN INDEX INDEXED INITIALLY INNER INSERT INSTEAD INT INTEGER INTERSECT INTERVAL INTO IS ISNULL JOIN
        JSON JSON_ARRAY JSON_ARRAYAGG JSON_EXISTS JSON_OBJECT JSON_OBJECTAGG JSON_QUERY JSON_SCALAR JSON_SERIALIZE JSON_TABLE JSON_VALUE
        KEY LAST LATERAL LEADING LEFT LIKE LIMIT LOCAL LOCALTIME LOCALTIMESTAMP LOCKED MATCH MATCHED MATERIALIZED MERGE MERGE_ACTION MINUTE MONTH NATIONAL NATURAL
        NCHAR NEXT NFC NFD NFKC NFKD NO NORMALIZE NORMALIZED NOT NOTHING NOTNULL NOWAIT NULL NULLS NUMERIC OF OFFSET ON ONLY OPERATOR OR ORDER ORDINALITY OTHERS
        OUTER OVER OVERLAPS OVERLAY OVERRIDING PARTITION PLACING PLAN POSITION PRAGMA PRECEDING PRECISION PRIMARY QUERY RAISE RANGE REAL RECURSIVE
        REFERENCES REGEXP REINDEX RELEASE RENAME REPEATABLE REPLACE RESTRICT RETURNING RIGHT ROLLBACK ROW ROWS SAVEPOINT SECOND SELECT SESSION_USER
        SET SETOF SHARE SIMILAR SKIP SMALLINT SOME SOURCE SUBSTRING SYMMETRIC SYSTEM SYSTEM_USER TABLE TABLESAMPLE TARGET TEMP TEMPORARY THEN TIES
        TIME TIMESTAMP TO TRAILING TRANSACTION TREAT TRIGGER TRIM TRUE UESCAPE UNBOUNDED UNION UNIQUE UNKNOWN UPDATE USER USING VACUUM VALUE VALUES
        VARCHAR VARIADIC VARYING VERBOSE VIEW VIRTUAL WHEN WHERE WINDOW WITH WITHIN WITHOUT XMLATTRIBUTES XMLCONCAT XMLELEMENT XMLEXISTS XMLFOREST
        XMLNAMESPACES XMLPARSE XMLPI XMLROOT XMLSERIALIZE XMLTABLE YEAR ZONE SETS
        """.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries);

    private static readonly FrozenSet<string> Operators = "AND OR NOT IS ISNULL NOTNULL BETWEEN IN COLLATE AT OPERATOR OVERLAPS".Split(' ').ToFrozenSet(StringComparer.Ordinal);

    private readonly FrozenDictionary<string, GrammarWord>.AlternateLookup<ReadOnlySpan<char>> _words;

    private GrammarWords(SqlGrammar grammar) => _words = All.ToFrozenDictionary(w => w, w => new GrammarWord(string.Intern(w), UseOf(w, grammar)), StringComparer.OrdinalIgnoreCase)
        .GetAlternateLookup<ReadOnlySpan<char>>();

    /// <summary>Those of a grammar.</summary>
    public static GrammarWords Of(SqlGrammar grammar) => Known.GetOrAdd(grammar, static g => new(g));

    /// <summary>What a word is.</summary>
    public GrammarWord Find(ReadOnlySpan<char> word) => _words.TryGetValue(word, out GrammarWord? known) ? known : GrammarWord.Name;

    private static WordUse UseOf(string word, SqlGrammar grammar) => (grammar.Reserved.Contains(word) ? WordUse.Reserved : 0)
        | (grammar.Matches.Contains(word) ? WordUse.Matches | WordUse.Operates : Operators.Contains(word) ? WordUse.Operates : 0)
        | ((!grammar.Reserved.Contains(word) || grammar.BareAliases.Contains(word)) && !grammar.NoBareAliases.Contains(word) ? WordUse.BareAlias : 0);
}
