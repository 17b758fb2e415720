using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public class CapturedUnitTests
{
    private static CaseSource Run(string sql, string binds = "") => new(sql, binds, null);

    private static string Unit(SqlDialect dialect, CaseSource list, params CaseSource[] each)
    {
        string text = CapturedUnit.Text("board", 48, list, each, dialect).ShouldNotBeNull();

        // It is a unit of a workload, whatever it came from.
        Parsed<Workload> read = WorkloadFile.Parse(text, dialect);
        read.Problems.ShouldBeEmpty(text);
        WorkUnit.Of(read.Value.Statements.ShouldHaveSingleItem().Sql, dialect)!.Statements.Select(s => s.ForEachRowOf).ShouldBe([null, 0]);
        return text;
    }

    [Theory]
    [InlineData("SELECT id, member_id FROM booking WHERE hut_id = $1", "1=3", "SELECT name FROM member WHERE id = $1", "1=7", "1=8", "-- bind: 1=3\nSELECT id, member_id FROM booking WHERE hut_id = $1;\n-- each row\nSELECT name FROM member WHERE id = :member_id;\n")]
    [InlineData("SELECT id FROM depots d WHERE d.region = :r", "r=1", "SELECT count(*) FROM parcel WHERE depot_id = :p AND state = :s", "p=1, s='x'", "p=2, s='x'", "-- bind: r=1, s='x'\nSELECT id FROM depots d WHERE d.region = :r;\n-- each row\nSELECT count(*) FROM parcel WHERE depot_id = :id AND state = :s;\n")]
    [InlineData("SELECT hut_id, night FROM stay WHERE night = :night", "night='2026-07-18'", "SELECT 1 FROM meal WHERE hut_id = :a AND night = :b", "a=1, b='2026-07-18'", "a=2, b='2026-07-18'", "-- bind: night='2026-07-18'\nSELECT hut_id, night FROM stay WHERE night = :night;\n-- each row\nSELECT 1 FROM meal WHERE hut_id = :hut_id AND night = :night;\n")]
    [InlineData("SELECT \"Id\" FROM depot WHERE k = $1", "1=5", "SELECT name FROM parcel WHERE other = $1 AND kind = $2", "1=7, 2=3", "1=8, 2=3", "-- bind: 1=5, same_2=3\nSELECT \"Id\" FROM depot WHERE k = $1;\n-- Which column of the list gives row_1? Its name stands behind it: each row: row_1 = column\n-- each row\nSELECT name FROM parcel WHERE other = :row_1 AND kind = :same_2;\n")]
    [InlineData("SELECT member_id AS id FROM booking WHERE id = :id", "id=4", "SELECT name FROM member WHERE id = :id", "id=7", "id=8", "-- bind: id=4\nSELECT member_id AS id FROM booking WHERE id = :id;\n-- each row: id_2 = id\nSELECT name FROM member WHERE id = :id_2;\n")]
    public void A_repetition_becomes_a_unit_whose_rows_give_what_differs(string list, string listBinds, string each, string one, string other, string expected) =>
        Unit(Dialects.PostgreSql, Run(list, listBinds), Run(each, one), Run(each, other)).ShouldBe($"-- unit: board\n-- calls: 48/day\n{expected}");

    /// <summary>A column goes before a bind line: what is the same for all rows must not be called as one.</summary>
    [Fact]
    public void A_value_that_is_the_same_for_all_rows_is_hidden_by_no_column() =>
        Unit(Dialects.Sqlite, Run("SELECT id, state FROM booking WHERE hut_id = :hut", "hut=3"), Run("SELECT 1 FROM stay WHERE booking_id = :b AND state = :state", "b=1, state='open'"), Run("SELECT 1 FROM stay WHERE booking_id = :b AND state = :state", "b=2, state='open'"))
            .ShouldBe("-- unit: board\n-- calls: 48/day\n-- bind: hut=3, state_2='open'\nSELECT id, state FROM booking WHERE hut_id = :hut;\n-- each row\nSELECT 1 FROM stay WHERE booking_id = :id AND state = :state_2;\n");

    [Fact]
    public void Values_that_stand_in_the_text_become_parameters() =>
        Unit(Dialects.Sqlite, Run("SELECT id FROM depot WHERE region = 4 /*page='board'*/"), Run("SELECT name FROM parcel WHERE depot_id = 1 AND state = 'a'"), Run("SELECT name FROM parcel WHERE depot_id = 2 AND state = 'a'"))
            .ShouldBe("-- unit: board\n-- calls: 48/day\n-- bind: v1=4, v2='a'\nSELECT id FROM depot WHERE region = :v1;\n-- each row\nSELECT name FROM parcel WHERE depot_id = :id AND state = :v2;\n");

    [Fact]
    public void What_was_cut_or_never_seen_is_no_unit()
    {
        CapturedUnit.Text("x", 1, Run(new string('x', CapturedSample.LongestSql + 1)), [Run("SELECT 1")], Dialects.Sqlite).ShouldBeNull();
        CapturedUnit.Text("x", 1, Run("SELECT 1"), [], Dialects.Sqlite).ShouldBeNull();
        CapturedUnit.Text("x", 1, Run("SELECT 1", "a='\n'"), [Run("SELECT 1")], Dialects.Sqlite).ShouldBeNull();

        // A statement that the grammar does not know is taken as it is.
        Unit(Dialects.PostgreSql, Run("SELECT * FROM ROWS FROM (f(1))"), Run("SELECT :a", "a=1"), Run("SELECT :a", "a=2")).ShouldContain("Which column of the list gives a?");
    }
}
