using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>Plans that the engine itself made for statements that say the same in other words, or do not.</summary>
public sealed class PlanLikenessTests
{
    static PlanLikenessTests() => SQLitePCL.Batteries_V2.Init();

    private static readonly Catalog Catalog = Tables("parcel_depot");

    [Theory]
    [InlineData("SELECT p.id FROM parcel p WHERE p.depot = 3", "SELECT q.id FROM parcel AS q WHERE q.depot = 3", true)]
    [InlineData("SELECT id FROM parcel WHERE depot = 3", "SELECT id FROM PARCEL WHERE Depot = 3", true)]
    [InlineData("SELECT * FROM parcel a JOIN depot b ON b.id = a.depot", "SELECT * FROM parcel x JOIN depot y ON y.id = x.depot", true)]
    [InlineData("SELECT * FROM parcel a JOIN parcel b ON b.depot = a.id", "SELECT * FROM parcel b JOIN parcel a ON a.depot = b.id", true)]
    [InlineData("SELECT id FROM parcel p WHERE p.depot = 3", "SELECT id FROM depot p WHERE p.id = 3", false)]
    [InlineData("SELECT weight FROM parcel WHERE depot = 3", "SELECT weight FROM parcel WHERE +depot = 3", false)]
    [InlineData("SELECT id FROM parcel WHERE depot = 3", "SELECT id FROM parcel WHERE depot > 3", false)]
    [InlineData("SELECT * FROM parcel a JOIN depot b ON b.id = a.depot", "SELECT * FROM depot b CROSS JOIN parcel a ON b.id = a.depot", false)]
    public void Another_alias_is_no_other_plan_and_another_table_is(string before, string after, bool alike) =>
        PlanLikeness.Alike(Side(before, "parcel_depot", Catalog), Side(after, "parcel_depot", Catalog)).ShouldBe(alike);

    [Fact]
    public void An_index_on_the_same_columns_under_another_name_is_the_same_plan()
    {
        const string sql = "SELECT weight FROM parcel WHERE depot = 3";
        PlanSide before = Side(sql, "parcel_depot", Catalog);
        PlanLikeness.Alike(before, Side(sql, "by_depot", Tables("by_depot"))).ShouldBeTrue();

        // Other columns, or an index of which nobody knows the columns, may be another.
        PlanLikeness.Alike(before, Side(sql, "by_depot", Tables("by_depot", "depot", "weight"))).ShouldBeFalse();
        PlanLikeness.Alike(before, Side(sql, "by_depot", null)).ShouldBeFalse();
        CatalogTable part = Tables("by_depot").Tables[0];
        PlanLikeness.Alike(before, Side(sql, "by_depot", new(4096, [part with { Indexes = [part.Indexes[0] with { Partial = true }] }]))).ShouldBeFalse();
    }

    private static Catalog Tables(string index, params string[] columns) => new(4096,
        [new("parcel", [], 10, null, null, [new(index, columns.Length > 0 ? columns : ["depot"], false, false, "c", null, [])])]);

    private static PlanSide Side(string sql, string index, Catalog? catalog)
    {
        using var connection = new SqliteConnection("Data Source=:memory:");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = $"CREATE TABLE depot(id INTEGER PRIMARY KEY); CREATE TABLE parcel(id INTEGER PRIMARY KEY, depot INT, weight INT); CREATE INDEX {index} ON parcel(depot)";
        command.ExecuteNonQuery();
        command.CommandText = "EXPLAIN QUERY PLAN " + sql;
        using SqliteDataReader reader = command.ExecuteReader();
        var rows = new List<(int, int, string)>();
        while (reader.Read())
        {
            rows.Add((reader.GetInt32(0), reader.GetInt32(1), reader.GetString(3)));
        }

        return new(PlanText.Build(rows), sql, Dialects.SqliteEngine.Plans!) { Catalog = catalog };
    }
}
