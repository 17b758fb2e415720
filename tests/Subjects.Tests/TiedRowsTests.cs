using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>Rows in another order: only what an ORDER BY leaves tied may change places.</summary>
public sealed class TiedRowsTests : OnSqliteCopy
{
    /// <summary>Before, after, and whether the rows agree up to ties; null where that cannot be told.</summary>
    public static TheoryData<string, string, bool?> Pairs { get; } = new()
    {
        { "SELECT id, depot FROM parcel ORDER BY depot", "SELECT id, depot FROM parcel ORDER BY depot, id DESC", true },
        { "SELECT id, depot FROM parcel ORDER BY depot", "SELECT id, depot FROM parcel ORDER BY depot DESC", false },
        { "SELECT id, depot FROM parcel ORDER BY depot", "SELECT id, depot FROM parcel ORDER BY id", false },
        { "SELECT id, depot FROM parcel ORDER BY depot, id", "SELECT id, depot FROM parcel ORDER BY depot, id DESC", false },
        { "SELECT id, depot FROM parcel ORDER BY 2", "SELECT id, depot FROM parcel ORDER BY depot, id DESC", true },
        { "SELECT id, depot FROM parcel ORDER BY 2 DESC", "SELECT id, depot FROM parcel ORDER BY depot, id", false },
        { "SELECT id, -depot AS d FROM parcel ORDER BY d", "SELECT id, -depot AS d FROM parcel ORDER BY 2, id DESC", true },
        { "SELECT id, -depot AS depot FROM parcel ORDER BY depot", "SELECT id, -depot AS d FROM parcel ORDER BY depot", false },
        { "SELECT id, -depot AS depot FROM parcel ORDER BY depot", "SELECT id, -depot AS d FROM parcel ORDER BY -depot, id DESC", true },
        { "SELECT id FROM parcel ORDER BY depot % 5, depot", "SELECT id FROM parcel ORDER BY depot % 5, depot, id DESC", true },
        { "SELECT id FROM parcel ORDER BY depot % 5, depot", "SELECT id FROM parcel ORDER BY depot % 5, id", false },
        { "SELECT * FROM parcel ORDER BY depot", "SELECT * FROM parcel ORDER BY depot, id DESC", true },
        { "SELECT * FROM parcel ORDER BY 2", "SELECT * FROM parcel ORDER BY depot, id DESC", null },
        { "SELECT DISTINCT depot % 7 AS d, depot % 2 AS e FROM parcel ORDER BY d", "SELECT DISTINCT depot % 7 AS d, depot % 2 AS e FROM parcel ORDER BY d, e DESC", true },
        { "SELECT DISTINCT depot % 7 AS d, depot % 2 AS e FROM parcel ORDER BY d", "SELECT DISTINCT depot % 7 AS d, depot % 2 AS e FROM parcel ORDER BY e, d", false },
        { "SELECT depot, count(*) AS n FROM parcel GROUP BY depot ORDER BY count(*)", "SELECT depot, count(*) AS n FROM parcel GROUP BY depot ORDER BY n, depot DESC", true },
        { "SELECT depot % 7 AS d, count(*) FROM parcel GROUP BY depot % 7 ORDER BY count(*) DESC, 1", "SELECT depot % 7 AS d, count(*) FROM parcel GROUP BY depot % 7 ORDER BY count(*), 1", false },
        { "SELECT id AS a, depot AS b FROM parcel WHERE id < 9 UNION ALL SELECT id, 0 FROM parcel WHERE id < 9 ORDER BY b", "SELECT id AS a, depot AS b FROM parcel WHERE id < 9 UNION ALL SELECT id, 0 FROM parcel WHERE id < 9 ORDER BY b, a DESC", true },
        { "SELECT id AS a, depot AS b FROM parcel WHERE id < 9 UNION ALL SELECT id, 0 FROM parcel WHERE id < 9 ORDER BY 2", "SELECT id AS a, depot AS b FROM parcel WHERE id < 9 UNION ALL SELECT id, 0 FROM parcel WHERE id < 9 ORDER BY b DESC", false },
        { "WITH p AS (SELECT id, depot FROM parcel ORDER BY id DESC) SELECT id, depot FROM p ORDER BY depot -- by 1", "SELECT id, depot FROM parcel ORDER BY depot, id DESC", true },
        { "SELECT id, (SELECT max(q.id) FROM parcel q WHERE q.depot = p.depot ORDER BY 1) AS m FROM parcel p WHERE id < 99 ORDER BY m;", "SELECT id, (SELECT max(q.id) FROM parcel q WHERE q.depot = p.depot) AS m FROM parcel p WHERE id < 99 ORDER BY m, id DESC", true },
        { "SELECT id, depot FROM parcel WHERE id <= :last ORDER BY depot = :first DESC", "SELECT id, depot FROM parcel WHERE id <= :last ORDER BY depot = :first DESC, id DESC", true },
        { "SELECT id, depot FROM parcel WHERE id <= :last ORDER BY depot = :first DESC", "SELECT id, depot FROM parcel WHERE id <= :last ORDER BY depot = :first, id DESC", false },
        { "SELECT id, CASE WHEN depot < 9 THEN NULL ELSE depot END AS d FROM parcel ORDER BY d NULLS FIRST", "SELECT id, CASE WHEN depot < 9 THEN NULL ELSE depot END AS d FROM parcel ORDER BY d NULLS LAST", false },
        { "SELECT id, CASE WHEN depot < 9 THEN NULL ELSE depot END AS d FROM parcel ORDER BY d NULLS FIRST", "SELECT id, CASE WHEN depot < 9 THEN NULL ELSE depot END AS d FROM parcel ORDER BY d NULLS FIRST, id DESC", true },
    };

    [Theory]
    [MemberData(nameof(Pairs))]
    public void Sqlites_rows_agree_up_to_ties(string before, string after, bool? agree) => WithinTies(_copy, before, after, SqliteEngine.Engine.Dialect).ShouldBe(agree);

    [Fact]
    public void Equal_by_a_collation_is_tied()
    {
        WithinTies(_copy, "SELECT id, CASE id % 2 WHEN 0 THEN 'a' ELSE 'A' END AS c FROM parcel ORDER BY c COLLATE NOCASE", "SELECT id, CASE id % 2 WHEN 0 THEN 'a' ELSE 'A' END AS c FROM parcel ORDER BY c, id", SqliteEngine.Engine.Dialect).ShouldBe(true);
        WithinTies(_copy, "SELECT id, CASE id % 2 WHEN 0 THEN 'a' ELSE 'A' END AS c FROM parcel ORDER BY c", "SELECT id, CASE id % 2 WHEN 0 THEN 'a' ELSE 'A' END AS c FROM parcel ORDER BY c COLLATE NOCASE, id", SqliteEngine.Engine.Dialect).ShouldBe(false);
    }

    // A parameter that is a number by its place would be another one if it stood twice.
    [Fact]
    public void A_term_with_a_parameter_without_a_name_is_not_said_again() => RankedRows.Of("SELECT id FROM parcel ORDER BY depot = ?", SqliteEngine.Engine.Dialect).ShouldBeNull();

    // Sorted by the engine with the terms in any order and direction: whether the keys come in the order that was asked for is checked one by one.
    [Fact]
    public void Drawn_orders_agree_where_their_keys_do()
    {
        var random = new SplitMix(18);
        string[] keys = ["id % 3", "depot % 2", "weight > 300", "id % 5"];
        int agreed = 0;
        for (int round = 0; round < 120; round++)
        {
            int wanted = 1 + random.Below(2);
            string[] first = [.. keys.OrderBy(_ => random.Next()).Take(wanted)], second = [.. (random.Below(2) == 0 ? first.Concat(keys) : keys.OrderBy(_ => random.Next())).Distinct().Take(3)];
            string columns = string.Join(", ", first.Select((k, i) => $"{k} AS k{i}")) + ", id";
            bool? told = WithinTies(_copy, $"SELECT {columns} FROM parcel ORDER BY {string.Join(", ", first)}", $"SELECT {columns} FROM parcel ORDER BY {string.Join(", ", second)}", SqliteEngine.Engine.Dialect);
            bool sorted = _copy.Rows(new($"SELECT count(*) FROM (SELECT ({Row(first, "k")}) < lag(({Row(first, "k")})) OVER (ORDER BY {string.Join(", ", second)}) AS falls FROM (SELECT {columns}, depot, weight FROM parcel)) WHERE falls", []), Limit, _ => true).Rows[0][0] == "0";
            told.ShouldBe(sorted, $"{string.Join(", ", first)} against {string.Join(", ", second)}");
            agreed += sorted ? 1 : 0;
        }

        agreed.ShouldBeInRange(10, 110);
    }

    // Keys are small: as digits of one number they compare as one after the other.
    private static string Row(string[] keys, string name) => string.Join(" * 10 + ", keys.Select((_, i) => $"{name}{i}")) is var digits && keys.Length == 2 ? $"{name}0 * 10 + {name}1" : digits;

    internal static bool? WithinTies(ISubjectCopy copy, string before, string after, SqlDialect dialect)
    {
        IReadOnlyList<Binding> values = BindLine.Pairs("last=500, first=7");
        if (RankedRows.Of(before, dialect) is not { } ranked)
        {
            return null;
        }

        try
        {
            return TiedRows.Compare(row => copy.EachRow(new(ranked, values), Limit, ranked: true, row), row => copy.EachRow(new(after, values), Limit, ranked: false, row));
        }
        catch (EngineException)
        {
            return null;
        }
    }
}
