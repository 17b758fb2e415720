using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Tests.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>The engines themselves say whether two texts are one query: what the rules make is held against many small databases, and so are pairs that only look alike.</summary>
[Collection(PostgresFixture.Contents)]
public sealed class CounterexampleTests(PostgresFixture postgres) : IDisposable
{
    private const int Databases = 500;

    private static readonly IReadOnlyList<Binding>[] Cases = [BindLine.Pairs("s='lost', i=1, c='a', day='2026-07-18'"), BindLine.Pairs("s='a', i=2, c='b', day='2026-07-19'")];

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-small-").FullName;

    private readonly string _database = $"t{Guid.NewGuid():n}";

    public static TheoryData<bool> Engines => [false, true];

    public void Dispose()
    {
        postgres.Sql("postgres", $"DROP DATABASE IF EXISTS {_database} WITH (FORCE)");
        Directory.Delete(_folder, recursive: true);
    }

    [Theory]
    [MemberData(nameof(Engines))]
    public void What_the_rules_make_is_told_apart_by_no_database_while_its_conditions_hold_and_by_one_where_they_do_not(bool server)
    {
        using ISmallDatabase database = Open(server, out SqlDialect dialect, out Catalog catalog);
        // Fewer on a server, where each takes longer.
        int databases = server ? 150 : Databases;
        foreach ((RewriteKind kind, string sql, _) in RewriteExamples.Known)
        {
            foreach (RewriteCandidate rewrite in RewriteRules.Of(sql, dialect, catalog, [.. Cases.Select(c => c.ToDictionary(b => b.Key, b => b.Value))]))
            {
                var search = new CounterexampleSearch(sql, rewrite, dialect, catalog, Cases);
                SearchResult held = search.Run(database, null, databases, 1, () => false);
                held.Found?.ToSql().ShouldBeNull($"{kind}\n{rewrite.Sql}");
                held.Databases.ShouldBe(databases);
                held.WithRows.ShouldBeGreaterThan(databases / 50, sql);
                foreach (RewriteCondition condition in rewrite.Conditions.Where(c => !c.IsMet))
                {
                    search.Run(database, condition, Databases, 1, () => false).Found.ShouldNotBeNull($"{condition.Sentence}\n{rewrite.Sql}");
                }
            }
        }
    }

    [Theory]
    [MemberData(nameof(Engines))]
    public void One_statement_for_a_unit_is_told_apart_by_no_database_and_one_that_loses_rows_is(bool server)
    {
        using ISmallDatabase database = Open(server, out SqlDialect dialect, out Catalog catalog);
        foreach ((RewriteKind kind, string sql) in RewriteExamples.Units)
        {
            RewriteCandidate rewrite = UnitRules.Of(WorkUnit.Of(sql, dialect)!, dialect, catalog).ShouldHaveSingleItem();
            SearchResult held = new CounterexampleSearch(sql, rewrite, dialect, catalog, Cases).Run(database, null, server ? 100 : Databases, 1, () => false);
            held.Problem.ShouldBeNull();
            held.Found?.ToSql().ShouldBeNull($"{kind}\n{rewrite.Sql}");
            held.WithRows.ShouldBeGreaterThan((server ? 100 : Databases) / 50, sql);
            // A reference that is never NULL always finds its row: there both are the same.
            if (kind == RewriteKind.LoopToJoin && !sql.Contains("DISTINCT depot_id", StringComparison.Ordinal))
            {
                // An inner join, as many a developer would write it, loses the rows for which nothing is found.
                Counterexample lost = new CounterexampleSearch(sql, rewrite with { Sql = rewrite.Sql.Replace("\nLEFT JOIN", "\nJOIN", StringComparison.Ordinal) }, dialect, catalog, Cases)
                    .Run(database, null, Databases, 1, () => false).Found.ShouldNotBeNull(rewrite.Sql);
                lost.ToSql().ShouldContain("-- each row");
                lost.GivesBefore.Rows!.Count.ShouldBeGreaterThan(lost.GivesAfter.Rows!.Count);
            }
        }
    }

    [Theory]
    [MemberData(nameof(Engines))]
    public void Textbook_pairs_that_only_look_alike_are_told_apart(bool server)
    {
        using ISmallDatabase database = Open(server, out SqlDialect dialect, out Catalog catalog);
        foreach ((string what, string sql, string other) in RewriteExamples.OnlyAlike)
        {
            Counterexample found = new CounterexampleSearch(sql, new(RewriteKind.InToExists, other, "", []), dialect, catalog, Cases).Run(database, null, Databases, 1, () => false).Found.ShouldNotBeNull(what);
            found.Inserts.Count.ShouldBeLessThan(8, what);
        }
    }

    // Common practice, no source: a column that may be NULL is no key, a joined row may come several times, and a name is one of the list first.
    [Theory]
    [MemberData(nameof(Engines))]
    public void An_order_that_decides_too_little_gives_the_same_rows_in_other_places(bool server)
    {
        using ISmallDatabase database = Open(server, out SqlDialect dialect, out Catalog catalog);
        foreach ((string sql, string other) in new[]
        {
            ("SELECT id FROM parcel ORDER BY tag, id DESC", "SELECT id FROM parcel ORDER BY tag"),
            ("SELECT id, state FROM parcel ORDER BY state DESC, id DESC", "SELECT id, state FROM parcel ORDER BY id DESC"),
            ("SELECT p.id, s.id FROM parcel p JOIN scan s ON s.parcel_id = p.id ORDER BY p.id, s.id DESC", "SELECT p.id, s.id FROM parcel p JOIN scan s ON s.parcel_id = p.id ORDER BY p.id"),
            ("SELECT tag AS id, code FROM parcel ORDER BY id, code", "SELECT tag AS id, code FROM parcel ORDER BY parcel.id, code"),
            ("SELECT code FROM parcel WHERE depot_id = :i OR depot_id = 1 ORDER BY depot_id, code", "SELECT code FROM parcel WHERE depot_id = :i OR depot_id = 1 ORDER BY code"),
        })
        {
            var alike = new RewriteCandidate(RewriteKind.OrderNeedless, other, "", []);
            new CounterexampleSearch(sql, alike, dialect, catalog, Cases).Run(database, null, Databases, 1, () => false).Found.ShouldBeNull(sql);
            Counterexample found = new CounterexampleSearch(sql, alike with { ComparesOrder = true }, dialect, catalog, Cases).Run(database, null, Databases, 1, () => false).Found.ShouldNotBeNull(sql);
            found.GivesBefore.Rows!.Order().ShouldBe(found.GivesAfter.Rows!.Order());
            found.GivesBefore.Rows!.ShouldNotBe(found.GivesAfter.Rows!);
        }
    }

    [Theory]
    [MemberData(nameof(Engines))]
    public void A_tie_that_was_missing_makes_another_query_and_a_small_script_shows_it(bool server)
    {
        using ISmallDatabase database = Open(server, out SqlDialect dialect, out Catalog catalog);
        foreach (string sql in new[] { "SELECT p.id, d.name FROM parcel p, depot d WHERE d.region = 1", "SELECT count(*) FROM scan s JOIN parcel p ON p.id = s.parcel_id, courier c" })
        {
            RewriteCandidate rewrite = RewriteRules.Of(sql, dialect, catalog, []).Single(r => r.IsAnother);
            Counterexample found = new CounterexampleSearch(sql, rewrite, dialect, catalog, Cases).Run(database, null, Databases, 1, () => false).Found.ShouldNotBeNull(rewrite.Sql);
            found.GivesBefore.Rows!.ShouldNotBe(found.GivesAfter.Rows!);
            found.Inserts.Count.ShouldBeLessThan(6);
        }
    }

    [Fact]
    public void What_begins_with_a_text_as_a_range_is_the_same_for_texts()
    {
        using ISmallDatabase database = Open(false, out SqlDialect dialect, out Catalog catalog);
        foreach (string sql in new[] { "SELECT id FROM parcel WHERE sent_at LIKE '2026-07-%'", "SELECT id FROM parcel WHERE sent_at LIKE '2026-07-18%' AND (state LIKE '1%' OR depot_id > 0)", "SELECT id FROM parcel WHERE code LIKE '1%' AND tag LIKE '01%'" })
        {
            RewriteCandidate rewrite = RewriteRules.Of(sql, dialect, catalog, []).Single(r => r.Kind == RewriteKind.PrefixToRange);
            SearchResult held = new CounterexampleSearch(sql, rewrite, dialect, catalog, Cases).Run(database, null, Databases, 1, () => false);
            held.Found?.ToSql().ShouldBeNull(rewrite.Sql);
            held.WithRows.ShouldBeGreaterThan(Databases / 50, sql);
        }
    }

    [Fact]
    public void On_a_server_the_first_of_each_group_by_distinct_on_is_the_same()
    {
        using ISmallDatabase database = Open(true, out SqlDialect dialect, out Catalog catalog);
        foreach (string sql in new[]
        {
            "SELECT DISTINCT ON (depot_id) depot_id, id, state FROM parcel WHERE state <> 'lost' ORDER BY depot_id, code DESC", "SELECT DISTINCT ON (p.depot_id, p.state) p.id FROM parcel AS p ORDER BY p.state, p.depot_id DESC, p.id",
            "SELECT DISTINCT ON (courier_id) id FROM parcel ORDER BY courier_id, state, id",
        })
        {
            RewriteCandidate rewrite = RewriteRules.Of(sql, dialect, catalog, []).ShouldHaveSingleItem();
            rewrite.Kind.ShouldBe(RewriteKind.FirstOfGroup);
            var search = new CounterexampleSearch(sql, rewrite, dialect, catalog, Cases);
            SearchResult held = search.Run(database, null, 200, 1, () => false);
            held.Found?.ToSql().ShouldBeNull(rewrite.Sql);
            held.WithRows.ShouldBeGreaterThan(20);
            foreach (RewriteCondition condition in rewrite.Conditions.Where(c => !c.IsMet))
            {
                search.Run(database, condition, Databases, 1, () => false).Found.ShouldNotBeNull(rewrite.Sql);
            }
        }
    }

    [Fact]
    public void A_day_as_a_range_is_the_same_for_texts_that_begin_with_their_day_and_for_no_others()
    {
        using ISmallDatabase database = Open(false, out SqlDialect dialect, out Catalog catalog);
        foreach (string sql in new[] { "SELECT id FROM parcel WHERE date(sent_at) = :day", "SELECT id FROM parcel WHERE date(sent_at) BETWEEN '2026-07-17' AND :day", "SELECT id FROM parcel WHERE date(sent_at) > :day OR id = 0 AND state = 'a'", "SELECT id FROM parcel WHERE :day >= date(sent_at)" })
        {
            foreach (RewriteCandidate rewrite in RewriteRules.Of(sql, dialect, catalog, [.. Cases.Select(c => c.ToDictionary(b => b.Key, b => b.Value))]).Where(r => r.Kind == RewriteKind.DayToRange))
            {
                var search = new CounterexampleSearch(sql, rewrite, dialect, catalog, Cases);
                search.Run(database, null, Databases, 1, () => false).Found.ShouldBeNull(sql);
                search.Run(database, rewrite.Conditions[0], Databases, 1, () => false).Found.ShouldNotBeNull(sql);
            }
        }
    }

    [Fact]
    public void On_a_server_a_day_as_a_range_is_the_same_for_points_in_time()
    {
        using ISmallDatabase database = Open(true, out SqlDialect dialect, out Catalog catalog);
        foreach (string sql in new[] { "SELECT id FROM parcel WHERE sent_at::date = :day", "SELECT id FROM parcel WHERE date(sent_at) BETWEEN '2026-07-17' AND :day::date", "SELECT id FROM parcel WHERE CAST(sent_at AS date) > :day", "SELECT id FROM parcel WHERE sent_at::date < :day::date" })
        {
            RewriteCandidate rewrite = RewriteRules.Of(sql, dialect, catalog, []).ShouldHaveSingleItem();
            SearchResult held = new CounterexampleSearch(sql, rewrite, dialect, catalog, Cases).Run(database, null, Databases, 1, () => false);
            held.Found?.ToSql().ShouldBeNull();
            held.WithRows.ShouldBeGreaterThan(Databases / 20);
        }
    }

    [Theory]
    [MemberData(nameof(Engines))]
    public void A_counterexample_is_a_script_that_gives_what_it_says(bool server)
    {
        using ISmallDatabase database = Open(server, out SqlDialect dialect, out Catalog catalog);
        (_, string sql, string other) = RewriteExamples.OnlyAlike[0];
        Counterexample found = new CounterexampleSearch(sql, new(RewriteKind.NotInToNotExists, other, "", []), dialect, catalog, Cases).Run(database, null, Databases, 1, () => false).Found!;
        found.Inserts.ShouldContain(i => i.Contains("null", StringComparison.OrdinalIgnoreCase));
        found.GivesBefore.Rows.ShouldBeEmpty();
        found.GivesAfter.Rows!.ShouldNotBeEmpty();

        // The script alone, in a database that has nothing.
        string script = found.ToSql();
        if (server)
        {
            string lone = $"{_database}_lone";
            postgres.Sql("postgres", $"CREATE DATABASE {lone}");
            try
            {
                postgres.Sql(lone, script).Split('\n', StringSplitOptions.RemoveEmptyEntries).ShouldBe([.. found.GivesAfter.Rows!.Select(r => r.Trim('\''))]);
            }
            finally
            {
                postgres.Sql("postgres", $"DROP DATABASE {lone} WITH (FORCE)");
            }
        }
        else
        {
            using var lone = new Microsoft.Data.Sqlite.SqliteConnection("Data Source=:memory:");
            lone.Open();
            using var command = lone.CreateCommand();
            command.CommandText = script;
            using var reader = command.ExecuteReader();
            var rows = new List<string>();
            do
            {
                while (reader.Read())
                {
                    rows.Add(reader.GetValue(0).ToString()!);
                }
            }
            while (reader.NextResult());
            rows.ShouldBe(found.GivesAfter.Rows!);
        }
    }

    [Fact]
    public void A_table_of_the_subjects_own_types_is_not_searched_and_nothing_is_left_behind()
    {
        postgres.Sql("postgres", $"CREATE DATABASE {_database}");
        postgres.Sql(_database, "CREATE TYPE mood AS ENUM ('low', 'high'); CREATE TABLE parcel (id int PRIMARY KEY, mood mood)");
        ISubjectEngine engine = SubjectEngines.Of(Core.Engines.Postgres.PostgresEngine.Engine);
        string folder = Directory.CreateDirectory(Path.Combine(_folder, Guid.NewGuid().ToString("n"))).FullName;
        Should.Throw<EngineException>(() => engine.OpenSmall(Address, folder, engine.ReadSchema(Address), ["parcel"], TimeSpan.FromSeconds(20))).Message.ShouldContain("mood");
        postgres.Sql("postgres", $"SELECT count(*) FROM pg_database WHERE datname LIKE 'swift_ledger_{Path.GetFileName(folder)}%'").Trim().ShouldBe("0");
    }

    private string Address => $"postgresql://postgres@127.0.0.1:{postgres.Server.Port.ToString(System.Globalization.CultureInfo.InvariantCulture)}/{_database}";

    private ISmallDatabase Open(bool server, out SqlDialect dialect, out Catalog catalog)
    {
        string moment = server ? "timestamp without time zone" : "TEXT";
        dialect = server ? Dialects.PostgreSql : Dialects.Sqlite;
        catalog = RewriteExamples.Catalog(moment, server);
        IReadOnlyList<SchemaObject> schema = RewriteExamples.Schema(moment);
        string[] tables = ["courier", "depot", "parcel", "scan"];
        if (!server)
        {
            return SubjectEngines.Of(Core.Engines.Sqlite.SqliteEngine.Engine).OpenSmall("", _folder, schema, tables, TimeSpan.FromMinutes(5));
        }

        postgres.Sql("postgres", $"CREATE DATABASE {_database}");
        postgres.Sql(_database, string.Join(";\n", schema.Select(o => o.Definition)));
        ISubjectEngine engine = SubjectEngines.Of(Core.Engines.Postgres.PostgresEngine.Engine);
        string folder = Directory.CreateDirectory(Path.Combine(_folder, Guid.NewGuid().ToString("n"))).FullName;
        return engine.OpenSmall(Address, folder, engine.ReadSchema(Address), tables, TimeSpan.FromMinutes(5));
    }
}
