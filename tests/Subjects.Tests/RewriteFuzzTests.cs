using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>Statements that nobody wrote: whatever the rules make of them is held against the engine on made databases.</summary>
public sealed class RewriteFuzzTests
{
    private const int Statements = 3_000, Databases = 40;

    private static readonly (string Table, string[] Columns)[] Tables =
    [
        ("courier", ["id", "name", "rank"]), ("depot", ["id", "region", "name"]), ("parcel", ["id", "depot_id", "courier_id", "state", "code", "tag"]), ("scan", ["id", "parcel_id", "place"]),
    ];

    private static readonly string[] Ties = ["p.depot_id = d.id", "p.courier_id = c.id", "s.parcel_id = p.id", "c.rank = d.region", "c.rank = p.courier_id", "d.region = p.depot_id", "c.name = d.name", "p.tag = s.place", "p.id = s.id"];

    private readonly HashSet<RewriteKind> _seen = [];

    [Fact]
    public void What_rules_make_of_any_statement_is_the_same_query()
    {
        Catalog catalog = RewriteExamples.Catalog("TEXT", false);
        string folder = Directory.CreateTempSubdirectory("swift-ledger-small-").FullName;
        using ISmallDatabase database = SubjectEngines.Of(Core.Engines.Sqlite.SqliteEngine.Engine).OpenSmall("", folder, RewriteExamples.Schema("TEXT"), [.. Tables.Select(t => t.Table)], TimeSpan.FromMinutes(10));
        var failures = new Dictionary<RewriteKind, string>();
        int rewrites = 0, withRows = 0;
        for (int i = 0; i < Statements; i++)
        {
            var random = new SplitMix((ulong)i);
            string sql = Query(ref random, top: true);
            foreach (RewriteCandidate rewrite in RewriteRules.Of(sql, Dialects.Sqlite, catalog, []).Where(r => !r.IsAnother))
            {
                rewrites++;
                _seen.Add(rewrite.Kind);
                SearchResult found = new CounterexampleSearch(sql, rewrite, Dialects.Sqlite, catalog, []).Run(database, null, Databases, (ulong)i, () => false);
                if (found.Found is { } counterexample)
                {
                    failures.TryAdd(rewrite.Kind, $"{i}: {rewrite.Kind}\n{counterexample.ToSql()}");
                }

                withRows += found.WithRows;
            }
        }

        Directory.Delete(folder, recursive: true);
        string.Join('\n', failures.Values).ShouldBeEmpty();
        rewrites.ShouldBeGreaterThan(Statements / 3);
        withRows.ShouldBeGreaterThan(rewrites * Databases / 10);
        _seen.Count.ShouldBeGreaterThan(13, string.Join(", ", _seen));
    }

    private static T One<T>(ref SplitMix random, params ReadOnlySpan<T> of) => of[random.Below(of.Length)];

    private static string Query(ref SplitMix random, bool top)
    {
        var aliases = new List<string>();
        if (top && random.Below(5) == 0)
        {
            return Layered(ref random);
        }

        string from = From(ref random, aliases);
        if (random.Below(8) == 0 && top)
        {
            string a = Column(ref random, aliases);
            return $"SELECT {a}, 'x' AS k FROM {from} UNION SELECT {a}, 'y' FROM {from} WHERE {Condition(ref random, aliases, 1)}";
        }

        if (random.Below(6) == 0 && top && aliases.Count > 1)
        {
            string group = aliases[random.Below(aliases.Count)], fold = Column(ref random, aliases), more = random.Below(3) == 0 ? "" : $" WHERE {Condition(ref random, aliases, 1)}";
            return $"SELECT {group}.id, {One(ref random, "count", "max", "min", "sum")}({One(ref random, fold, fold, $"DISTINCT {fold}")}), count({One(ref random, "*", Column(ref random, aliases))}) FROM {from}{more} GROUP BY {group}.id{One(ref random, "", $", {Column(ref random, aliases)}")}";
        }

        int items = 1 + random.Below(3);
        var list = new List<string>();
        for (int i = 0; i < items; i++)
        {
            list.Add(top && random.Below(5) == 0 ? Scalar(ref random, aliases) : Column(ref random, aliases));
        }

        string where = random.Below(5) == 0 ? "" : $" WHERE {Condition(ref random, aliases, 2)}";
        string order = random.Below(3) == 0 ? $" ORDER BY {list[0]}{One(ref random, "", " DESC")}" : "";
        return $"SELECT {One(ref random, "", "", "DISTINCT ")}{string.Join(", ", list)} FROM {from}{where}{(list[0].StartsWith('(') ? "" : order)}";
    }

    /// <summary>A query around a query: numbered rows, groups that are joined, a part by name; and pages.</summary>
    private static string Layered(ref SplitMix random)
    {
        (string table, string[] columns) = Tables[random.Below(Tables.Length)];
        List<string> alias = [table[..1]];
        string Any(ref SplitMix random) => One<string>(ref random, columns);
        string where = random.Below(2) == 0 ? "" : $" WHERE {Condition(ref random, alias, 1)}";
        string direction = One(ref random, "", " DESC");
        switch (random.Below(4))
        {
            case 0:
                string partition = random.Below(5) == 0 ? "" : $"PARTITION BY {Any(ref random)}{One(ref random, "", $", {Any(ref random)}")} ";
                string order = $"ORDER BY {Any(ref random)}{direction}{One(ref random, "", $", id{direction}")}";
                return $"SELECT x.id, x.{Any(ref random)} FROM (SELECT {alias[0]}.*, {One(ref random, "row_number", "row_number", "rank", "dense_rank")}() OVER ({partition}{order}) AS nth FROM {table} {alias[0]}{where}) AS x WHERE x.nth {One(ref random, "= 1", "= 1", "<= 1", "< 2", "= 2")}";
            case 1:
                string key = Any(ref random);
                (string other, string[] others) = Tables[random.Below(Tables.Length)];
                string on = $"o.{One<string>(ref random, others)} = g.k{One(ref random, "", " AND g.n > 1")}";
                return $"SELECT o.id, g.n FROM {other} o {One(ref random, "JOIN", "LEFT JOIN")} (SELECT {alias[0]}.{key} AS k, {One(ref random, "count(*)", $"max({alias[0]}.id)")} AS n FROM {table} {alias[0]}{where} GROUP BY {alias[0]}.{key}) AS g ON {on} WHERE o.{One<string>(ref random, others)} {One(ref random, "= 1", "= 'a'", "> 1", "IS NOT NULL", "IS NULL")}";
            case 2:
                return $"WITH part AS {One(ref random, "", "MATERIALIZED ", "NOT MATERIALIZED ")}(SELECT * FROM {table} {alias[0]}{where}) SELECT a.id, a.{Any(ref random)} FROM part a{One(ref random, "", $" JOIN part b ON b.id = a.{Any(ref random)}")}";
            default:
                return $"SELECT {alias[0]}.* FROM {table} {alias[0]}{where} ORDER BY {alias[0]}.{Any(ref random)}{direction}, {alias[0]}.{One(ref random, "id", Any(ref random))} LIMIT 2 OFFSET 1";
        }
    }

    private static string From(ref SplitMix random, List<string> aliases)
    {
        string[] order = [.. Tables.Select(t => t.Table)];
        for (int i = order.Length - 1; i > 0; i--)
        {
            int j = random.Below(i + 1);
            (order[i], order[j]) = (order[j], order[i]);
        }

        string from = $"{order[0]} {order[0][0]}";
        aliases.Add(order[0][..1]);
        for (int i = 1; i < 1 + random.Below(3); i++)
        {
            string alias = order[i][..1];
            string[] ties = [.. Ties.Where(t => t.Contains(alias + ".", StringComparison.Ordinal) && aliases.Exists(a => t.Contains(a + ".", StringComparison.Ordinal)))];
            aliases.Add(alias);
            string on = ties.Length > 0 ? One<string>(ref random, ties) : $"{alias}.id = {aliases[0]}.id";
            on = random.Below(4) == 0 ? $"{on} AND {Condition(ref random, [alias], 0)}" : on;
            from = random.Below(6) == 0 ? $"{from}, {order[i]} {alias}" : $"{from} {One(ref random, "JOIN", "JOIN", "INNER JOIN", "LEFT JOIN", "LEFT JOIN", "RIGHT JOIN", "FULL JOIN")} {order[i]} {alias} ON {on}";
        }

        return from;
    }

    private static string Column(ref SplitMix random, List<string> aliases)
    {
        string alias = aliases[random.Below(aliases.Count)];
        return $"{alias}.{One<string>(ref random, Tables.First(t => t.Table[..1] == alias[..1]).Columns)}";
    }

    private static string Condition(ref SplitMix random, List<string> aliases, int depth)
    {
        string column = Column(ref random, aliases);
        return random.Below(depth > 0 ? 15 : 6) switch
        {
            0 => $"{column} = {One(ref random, "1", "2", "'a'", "'b'")}",
            1 => $"{column} {One(ref random, "<", ">=", "<>")} {One(ref random, "1", "2", "'a'")}",
            2 => $"{column} IS {One(ref random, "", "NOT ")}NULL",
            3 => $"{column} IN ({One(ref random, "1, 2", "'a', 'b'", "1, NULL")})",
            4 => $"{column} = {Column(ref random, aliases)}",
            5 => $"{column} BETWEEN 1 AND 2",
            6 or 7 => $"({Condition(ref random, aliases, depth - 1)} OR {Condition(ref random, aliases, depth - 1)})",
            8 => $"{Condition(ref random, aliases, depth - 1)} AND {Condition(ref random, aliases, depth - 1)}",
            9 => $"NOT ({Condition(ref random, aliases, depth - 1)})",
            10 or 11 => $"{column} {One(ref random, "", "NOT ")}IN ({Inner(ref random, aliases, one: true)})",
            12 => $"{One(ref random, "", "NOT ")}EXISTS ({Inner(ref random, aliases, one: false)})",
            13 => $"{column} {One(ref random, "=", "<", ">=")} {Scalar(ref random, aliases)}",
            _ => $"(SELECT count({One(ref random, "*", "i.id")}) FROM {Within(ref random, aliases)}) {One(ref random, "> 0", "= 0", ">= 1", "< 1", "> 1")}",
        };
    }

    private static string Inner(ref SplitMix random, List<string> aliases, bool one)
    {
        string from = Within(ref random, aliases);
        string[] columns = Tables.First(t => from.StartsWith(t.Table, StringComparison.Ordinal)).Columns;
        return $"SELECT {(one ? $"i.{One<string>(ref random, columns)}" : "1")} FROM {from}";
    }

    private static string Within(ref SplitMix random, List<string> aliases)
    {
        (string table, string[] columns) = Tables[random.Below(Tables.Length)];
        string tie = $"i.{One<string>(ref random, columns)} = {Column(ref random, aliases)}";
        string own = $"i.{One<string>(ref random, columns)} = {One(ref random, "1", "2", "'a'")}";
        return random.Below(4) switch { 0 => $"{table} i", 1 => $"{table} i WHERE {own}", 2 => $"{table} i WHERE {tie}", _ => $"{table} i WHERE {tie} AND {own}" };
    }

    private static string Scalar(ref SplitMix random, List<string> aliases) => $"(SELECT {One(ref random, "count(*)", "max(i.id)", "sum(i.id)", "min(i.id)")} FROM {Within(ref random, aliases)})";
}
