using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public sealed class TableCostTests
{
    [Theory]
    [InlineData("INSERT INTO a SELECT * FROM b JOIN c ON true", "a", "a b c")]
    [InlineData("insert or replace into a values (1)", "a", "a")]
    [InlineData("REPLACE INTO a VALUES (1)", "a", "a")]
    [InlineData("UPDATE a SET x = (SELECT max(y) FROM b) WHERE id IN (SELECT id FROM a)", "a", "a b")]
    [InlineData("update only a set x = 1 from b", "a", "a b")]
    [InlineData("DELETE FROM a USING b WHERE a.id = b.id", "a", "a b")]
    [InlineData("DELETE FROM \"Odd Name\" WHERE EXISTS (SELECT 1 FROM b)", "Odd Name", "Odd Name b")]
    [InlineData("MERGE INTO a USING b ON a.id = b.id WHEN MATCHED THEN DELETE", "a", "a b")]
    [InlineData("WITH x AS (SELECT * FROM b) UPDATE a SET v = 1", "a", "b a")]
    [InlineData("WITH x AS (SELECT * FROM b) INSERT INTO s.a SELECT * FROM x", "a", "b a")]
    [InlineData("SELECT * FROM a JOIN b ON a.id = b.id", null, "a b")]
    [InlineData("SELECT * FROM a WHERE note = 'UPDATE b SET x = 1' -- DELETE FROM c", null, "a")]
    [InlineData("VALUES (1)", null, "")]
    [InlineData("", null, "")]
    public void The_table_that_a_statement_writes_is_told_from_those_that_it_reads(string sql, string? written, string names)
    {
        foreach (SqlDialect dialect in new[] { Dialects.Sqlite, Dialects.PostgreSql })
        {
            StatementTables of = StatementTables.Of(sql, dialect);
            (of.Written, string.Join(' ', of.Names)).ShouldBe((written, names));
        }
    }

    [Fact]
    public void A_statement_counts_in_full_for_each_table_and_reads_and_writes_stand_apart()
    {
        IReadOnlyList<TableCost> tables = TableCost.Of([("SELECT * FROM a JOIN b ON true", Cost(100, 3)), ("INSERT INTO a SELECT * FROM c", Cost(50, 2)), ("UPDATE a SET x = 1", Cost(5, 1)), ("SELECT 1", Cost(900, 9))], Dialects.Sqlite);
        tables.Select(t => (t.Table, t.ReadTicks, t.WriteTicks, t.ReadCalls, t.WriteCalls, t.Patterns)).ShouldBe([("a", 100, 55, 3, 3, 3), ("b", 100, 0, 3, 0, 1), ("c", 50, 0, 2, 0, 1)]);
    }

    private static PatternCost Cost(long ticks, long calls) => new(1, new() { TotalTicks = ticks, Calls = calls }, [0]);
}
