using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>Units that nobody wrote: the one statement that the rules make of a list and its loops is held against the loops themselves, on made databases.</summary>
public sealed class UnitFuzzTests
{
    private const int Units = 2_000, Databases = 25;

    private static readonly (string Table, string[] Columns)[] Tables =
    [
        ("courier", ["id", "name", "rank"]), ("depot", ["id", "region", "name"]), ("parcel", ["id", "depot_id", "courier_id", "state", "tag"]), ("scan", ["id", "parcel_id", "place"]),
    ];

    [Fact]
    public void One_statement_for_any_unit_gives_what_the_unit_gives()
    {
        Catalog catalog = RewriteExamples.Catalog("TEXT", false);
        string folder = Directory.CreateTempSubdirectory("swift-ledger-small-").FullName;
        using ISmallDatabase database = SubjectEngines.Of(Core.Engines.Sqlite.SqliteEngine.Engine).OpenSmall("", folder, RewriteExamples.Schema("TEXT"), [.. Tables.Select(t => t.Table)], TimeSpan.FromMinutes(10));
        var failures = new Dictionary<RewriteKind, string>();
        var kinds = new Dictionary<RewriteKind, int>();
        int withRows = 0;
        for (int i = 0; i < Units; i++)
        {
            var random = new SplitMix((ulong)i);
            string text = Unit(ref random);
            WorkUnit unit = WorkUnit.Of(text, Dialects.Sqlite)!;
            foreach (RewriteCandidate rewrite in UnitRules.Of(unit, Dialects.Sqlite, catalog).Where(r => r.IsMet))
            {
                kinds[rewrite.Kind] = kinds.GetValueOrDefault(rewrite.Kind) + 1;
                SearchResult found = new CounterexampleSearch(text, rewrite, Dialects.Sqlite, catalog, []).Run(database, null, Databases, (ulong)i, () => false);
                withRows += found.WithRows;
                if (found.Found is { } counterexample)
                {
                    failures.TryAdd(rewrite.Kind, $"{i}: {rewrite.Kind}\n{counterexample.ToSql()}");
                }
            }
        }

        Directory.Delete(folder, recursive: true);
        string.Join('\n', failures.Values).ShouldBeEmpty();
        kinds.GetValueOrDefault(RewriteKind.LoopToJoin).ShouldBeGreaterThan(Units / 10);
        kinds.GetValueOrDefault(RewriteKind.LoopToSubquery).ShouldBeGreaterThan(Units / 20);
        withRows.ShouldBeGreaterThan(kinds.Values.Sum() * Databases / 5);
    }

    private static T One<T>(ref SplitMix random, params ReadOnlySpan<T> of) => of[random.Below(of.Length)];

    /// <summary>A list with aliases, joins, groups or DISTINCT, names with and without their table, and one or two loops that call their tables the same.</summary>
    private static string Unit(ref SplitMix random)
    {
        (string table, string[] columns) = One(ref random, Tables);
        (string other, string[] others) = One(ref random, Tables);
        string a = One(ref random, "a", table), b = One(ref random, "b", "listed");
        string Aliased(string name, string alias) => alias == name ? name : $"{name} AS {alias}";
        string key = One<string>(ref random, columns), more = One<string>(ref random, columns), second = One<string>(ref random, others);
        string list = random.Below(6) switch
        {
            0 => $"SELECT {a}.{key}, {b}.{second} AS s FROM {Aliased(table, a)} {One(ref random, "JOIN", "LEFT JOIN", "INNER JOIN")} {other} AS {b} ON {b}.{One<string>(ref random, others)} = {a}.{key}",
            1 => $"SELECT DISTINCT {key} FROM {table} WHERE {more} IS NOT NULL",
            2 => $"SELECT {key}, count(*) AS n FROM {table} GROUP BY {key}",
            3 => $"SELECT * FROM {Aliased(table, a)} WHERE {more} {One(ref random, "= 1", "< 3", "IN ('a', 1)")}",
            4 => $"SELECT {key}, {more} || 'x' AS x FROM {Aliased(table, a)}",
            _ => $"SELECT {a}.{key}, {key} AS again FROM {Aliased(table, a)} ORDER BY {key}",
        };
        string unit = list;
        for (int loops = One(ref random, 1, 1, 2); loops > 0; loops--)
        {
            (string of, string[] own) = One(ref random, Tables);
            string alias = One(ref random, of, a, b, "i", "listed");
            string tie = $"{One(ref random, $"{alias}.", "")}{One<string>(ref random, own)} {One(ref random, "=", "=", "=", "<", "<>")} :{key}";
            string condition = random.Below(3) switch
            {
                0 => $"{tie} AND {alias}.{One<string>(ref random, own)} {One(ref random, "= 1", "IS NULL", "<> 'a'")}",
                1 => $"({tie} OR {alias}.{One<string>(ref random, own)} = 2)",
                _ => tie,
            };
            string from = random.Below(4) == 0 ? $"{Aliased(of, alias)} JOIN scan AS k ON k.{One(ref random, "id", "parcel_id")} = {alias}.id" : Aliased(of, alias);
            string give = random.Below(4) switch { 0 => $"count({One(ref random, "*", $"{alias}.id")})", 1 => $"max({alias}.{One<string>(ref random, own)}) AS m", _ => $"{alias}.{One<string>(ref random, own)}{One(ref random, "", ", " + alias + ".id", " AS named")}" };
            unit += $";\n-- each row\nSELECT {give} FROM {from} WHERE {condition}";
        }

        return unit;
    }
}
