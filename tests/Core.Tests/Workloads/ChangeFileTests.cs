using Shouldly;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Workloads;

public class ChangeFileTests
{
    private static readonly Workload Huts = WorkloadFile.Parse("-- name: huts\n-- bind: s=1\n-- bind: s=2\nSELECT * FROM hut WHERE section = :s").Value;

    [Fact]
    public void Migration_statements_and_rewrites_are_told_apart()
    {
        Parsed<Change> read = ChangeFile.Parse("BEGIN; CREATE INDEX i ON hut(section); COMMIT;\n-- rewrite: huts\nSELECT * FROM hut h WHERE h.section = :s", Huts);
        read.Problems.ShouldBeEmpty();
        read.Value.Steps.Select(s => s.Sql).ShouldBe(["BEGIN", "CREATE INDEX i ON hut(section)", "COMMIT"]);
        read.Value.Rewrites.ShouldHaveSingleItem().Number.ShouldBe(4);
    }

    [Fact]
    public void A_rewrite_may_bring_its_own_values_for_each_case()
    {
        Rewrite rewrite = ChangeFile.Parse("-- rewrite: huts\n-- bind: low=1\n-- bind: low=2\nSELECT * FROM hut WHERE section >= :low", Huts).Value.Rewrites[0];
        rewrite.BindingsFor(Huts.Statements[0], 1)[0].Value.Integer.ShouldBe(2);
    }

    [Theory]
    [InlineData("-- rewrite: shelters\nSELECT 1", "no statement named 'shelters'")]
    [InlineData("-- rewrite: huts\nSELECT :other", "no value for parameter other")]
    [InlineData("-- rewrite: huts\n-- bind: s=1\nSELECT :s", "give one for each")]
    [InlineData("-- only words", "holds no statement")]
    [InlineData("VACUUM INTO 'x.db'", "VACUUM INTO is refused")]
    [InlineData("EXPLAIN ATTACH 'x' AS y", "ATTACH is refused")]
    [InlineData("PRAGMA temp_store_directory = '/x'", "is refused")]
    [InlineData("DELETE FROM hut WHERE id = :id", "without values")]
    public void A_mistake_is_told(string text, string says) =>
        ChangeFile.Parse(text, Huts).Problems.ShouldContain(p => p.Message.Contains(says, StringComparison.Ordinal));
}
