using Shouldly;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Proposals;

/// <summary>What a search makes and hands on, with a database that only keeps an account of it.</summary>
public class RewriteProofTests
{
    private const string Sql = "SELECT p.id FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = :s ORDER BY p.id LIMIT 3";

    private static readonly RewriteCandidate Alike = new(RewriteKind.UnusedJoin, "SELECT p.id FROM parcel p WHERE p.state = :s ORDER BY p.id LIMIT 3", "", []);

    [Fact]
    public void Rows_keep_the_references_that_the_schema_asks_for_also_where_the_engine_refuses_some()
    {
        using var refusing = new Account { Takes = r => r.Table != "depot" || !r.Values[0].Equals(SqlValue.Of(1)) };
        Search(refusing).Found.ShouldBeNull();
        refusing.Ran.ShouldNotBeEmpty();
        foreach (IReadOnlyList<MadeRow> rows in refusing.Ran)
        {
            rows.Where(r => r.Table == "parcel").ShouldAllBe(p => rows.Any(d => d.Table == "depot" && d.Values[0].Equals(p.Values[1])));
        }
    }

    [Fact]
    public void Values_are_those_that_the_statement_asks_for_beside_others_and_ties_are_left_out_with_the_bound()
    {
        using var account = new Account();
        Search(account).ShouldBe(new SearchResult(200, 0, null));
        account.Ran.SelectMany(r => r).Count(r => r.Table == "parcel" && r.Values[3].Equals(SqlValue.Of("lost"))).ShouldBeInRange(20, 400);
        account.Ran.SelectMany(r => r).ShouldContain(r => r.Table == "parcel" && r.Values[2].Kind == SqlValueKind.Null);
        account.Ran.SelectMany(r => r).ShouldNotContain(r => r.Values[0].Kind == SqlValueKind.Null);
        account.Asked.ShouldNotContain(s => s.Contains("LIMIT", StringComparison.Ordinal));
        account.Asked.ShouldAllBe(s => s.Contains("ORDER BY p.id", StringComparison.Ordinal));
    }

    [Fact]
    public void What_differs_is_made_as_small_as_it_still_differs()
    {
        using var account = new Account { Gives = (rows, sql) => rows.Any(r => r.Table == "parcel") && sql.Contains("JOIN", StringComparison.Ordinal) ? ["1"] : [] };
        Counterexample found = Search(account).Found.ShouldNotBeNull();
        found.Inserts.Count(i => i.StartsWith("INSERT INTO parcel", StringComparison.Ordinal)).ShouldBe(1);
        found.Inserts.Count(i => i.StartsWith("INSERT INTO depot", StringComparison.Ordinal)).ShouldBe(1);
        found.Inserts.Count(i => i.StartsWith("INSERT INTO scan", StringComparison.Ordinal)).ShouldBe(0);
        found.ToSql().ShouldContain("-- The statement gives 1 row:\n--   1\nSELECT p.id FROM parcel p JOIN depot d ON d.id = p.depot_id WHERE p.state = ");
        found.ToSql().ShouldContain("-- The rewrite gives no row.\n");
        found.ToSql().ShouldNotContain(":s");
    }

    [Theory]
    [InlineData(null, null, HeldBy.Schema, false)]
    [InlineData(true, null, HeldBy.Rows, false)]
    [InlineData(false, null, HeldBy.Schema, true)]
    [InlineData(true, "SELECT 1", HeldBy.Schema, true)]
    [InlineData(true, null, HeldBy.Nobody, true)]
    public void Other_rows_a_counterexample_and_a_condition_that_does_not_hold_each_speak_against_it(bool? sameRows, string? script, HeldBy by, bool refuted)
    {
        var proof = new RewriteProof([new("It holds.", by, "SELECT 2")], sameRows, 2, 500, 40, 1, script, null);
        proof.IsRefuted.ShouldBe(refuted);
        proof.Script.ShouldBe(script ?? (by == HeldBy.Nobody ? "SELECT 2" : null));
        proof.Words().ShouldContain(by switch { HeldBy.Rows => "Only as the rows are now: It holds.", HeldBy.Nobody => "Not so: It holds.", _ => "It holds." });
        proof.Words().ShouldContain(script is null ? "tell no difference, 40 of them with rows" : "A small database tells both apart.");
    }

    private static SearchResult Search(Account account) =>
        new CounterexampleSearch(Sql, Alike, Dialects.Sqlite, RewriteExamples.Catalog("TEXT", false), [BindLine.Pairs("s='lost'")]).Run(account, null, 200, 1, () => false);

    private sealed class Account : ISmallDatabase
    {
        private IReadOnlyList<MadeRow> _rows = [];

        public Func<MadeRow, bool> Takes { get; init; } = _ => true;

        public Func<IReadOnlyList<MadeRow>, string, IReadOnlyList<string>> Gives { get; init; } = (_, _) => [];

        public List<IReadOnlyList<MadeRow>> Ran { get; } = [];

        public HashSet<string> Asked { get; } = [];

        public IReadOnlyList<string> Definitions => ["CREATE TABLE parcel (id)"];

        public IReadOnlyList<MadeRow> Fill(IReadOnlyList<MadeRow> rows) => _rows = [.. rows.Where(Takes)];

        public SmallResult Run(string sql, IReadOnlyList<Binding> values)
        {
            Ran.Add(_rows);
            Asked.Add(sql);
            return new(Gives(_rows, sql), null);
        }

        public void Dispose()
        {
        }
    }
}
