using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Grammar;

/// <summary>SQLite's keywords as the engine takes them: SQLite's manual, "SQLite Keywords", has the list.</summary>
public class SqliteWordTests
{
    private const string Keywords =
        """
        ABORT ACTION ADD AFTER ALL ALTER ALWAYS ANALYZE AND AS ASC ATTACH AUTOINCREMENT BEFORE BEGIN BETWEEN BY CASCADE CASE CAST CHECK COLLATE COLUMN COMMIT CONFLICT CONSTRAINT CREATE CROSS CURRENT
        CURRENT_DATE CURRENT_TIME CURRENT_TIMESTAMP DATABASE DEFAULT DEFERRABLE DEFERRED DELETE DESC DETACH DISTINCT DO DROP EACH ELSE END ESCAPE EXCEPT EXCLUDE EXCLUSIVE EXISTS EXPLAIN FAIL FILTER FIRST
        FOLLOWING FOR FOREIGN FROM FULL GENERATED GLOB GROUP GROUPS HAVING IF IGNORE IMMEDIATE IN INDEX INDEXED INITIALLY INNER INSERT INSTEAD INTERSECT INTO IS ISNULL JOIN KEY LAST LEFT LIKE LIMIT MATCH
        MATERIALIZED NATURAL NO NOT NOTHING NOTNULL NULL NULLS OF OFFSET ON OR ORDER OTHERS OUTER OVER PARTITION PLAN PRAGMA PRECEDING PRIMARY QUERY RAISE RANGE RECURSIVE REFERENCES REGEXP REINDEX RELEASE
        RENAME REPLACE RESTRICT RETURNING RIGHT ROLLBACK ROW ROWS SAVEPOINT SELECT SET TABLE TEMP TEMPORARY THEN TIES TO TRANSACTION TRIGGER UNBOUNDED UNION UNIQUE UPDATE USING VACUUM VALUES VIEW VIRTUAL
        WHEN WHERE WINDOW WITH WITHOUT
        """;

    [Fact]
    public void A_word_is_a_columns_name_or_an_alias_where_the_engine_takes_it_for_one()
    {
        using var database = new SqliteConnection("Data Source=:memory:");
        database.Open();
        var apart = new List<string>();
        foreach (string word in Keywords.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries))
        {
            foreach (string sql in new[] { $"SELECT {word} FROM (SELECT 1 AS \"{word}\")", $"SELECT 1 {word}", $"SELECT 1 AS {word}", $"SELECT 1 FROM (SELECT 1) {word}", $"SELECT q.{word} FROM (SELECT 1 AS \"{word}\") AS q" })
            {
                bool read = SyntaxTree.Read(sql, Dialects.Sqlite).Statement is not null;
                if (Takes(database, sql) is var takes && takes != read)
                {
                    apart.Add($"{sql}: {(takes ? "taken, not read" : "read, not taken")}");
                }
            }
        }

        string.Join('\n', apart).ShouldBe("");
    }

    private static bool Takes(SqliteConnection database, string sql)
    {
        try
        {
            using SqliteCommand command = database.CreateCommand();
            command.CommandText = sql;
            command.ExecuteScalar();
            return true;
        }
        catch (SqliteException refused)
        {
            return !refused.Message.Contains("syntax error", StringComparison.Ordinal) && !refused.Message.Contains("incomplete input", StringComparison.Ordinal);
        }
    }
}
