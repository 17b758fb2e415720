using CsCheck;
using Shouldly;
using SwiftLedger.Core.Migrations;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Migrations;

public class WorkloadSinceTests
{
    private const string Then = "-- name: a\n-- budget: work <= 5\n-- bind: x=1\nSELECT 1 WHERE :x = 1;\n-- name: b\nSELECT 2;\n-- unit: u\nSELECT 3 AS id;\n-- each row\nSELECT 4 WHERE :id = 3;\n-- name: gone\n-- budget: plan stays\nSELECT 5;";

    [Fact]
    public void A_changed_statement_is_a_rewrite_of_what_it_was_and_a_new_one_has_no_before()
    {
        const string now = "-- name: a\n-- budget: work <= 9\n-- bind: x=1\nSELECT\n  10 WHERE :x = 1;\n-- name: b\nselect /* the same */ 2;\n-- unit: u\nSELECT 3 AS id;\n-- each row\nSELECT 40 WHERE :id = 3;\n-- name: fresh\nSELECT 6;";
        WorkloadSince since = Since(now, Then);
        since.New.ShouldBe(["fresh"]);
        since.Changed.ShouldBe(["a", "b", "u"]); // a keyword in another case is another text to an engine's cache of plans
        since.Notes.ShouldBe(["The budget 'work <= 5' of 'a' became 'work <= 9'.", "'gone' is gone from the workload, with its budgets."]);

        Parsed<TrialBrief> brief = TrialBrief.Read(since.Before.Text, since.Rewrites.Text, new());
        brief.Problems.ShouldBeEmpty();
        brief.Value.Lines.Select(l => (l.Statement, l.Rewritten)).ShouldBe([("a", true), ("b", true), ("u", true), ("fresh", false)]);
        brief.Value.Lines[0].BeforeSql.ShouldBe("SELECT 1 WHERE :x = 1");
        brief.Value.Lines[0].AfterSql.ShouldBe("SELECT\n  10 WHERE :x = 1");
        brief.Value.Lines[2].AfterUnit!.Statements[1].Sql.ShouldBe("SELECT 40 WHERE :id = 3");

        // What is told of a rewrite stands in the workload, where its author wrote it.
        since.Rewrites.OriginOf(brief.Value.Lines[0].AfterPlace).ToString().ShouldBe("w.sql:4:1");
        since.Before.OriginOf(brief.Value.Lines[3].BeforePlace).ToString().ShouldBe("w.sql:13:1");
    }

    [Fact]
    public void With_other_parameters_a_statement_is_a_new_one()
    {
        WorkloadSince since = Since("-- name: a\n-- bind: y=1\nSELECT 1 WHERE :y = 1;", Then);
        (string.Join(' ', since.New), since.Changed.Count).ShouldBe(("a", 0));
        since.Notes.ShouldContain("'a' has other parameters than in the base: it is taken as a new statement.");
    }

    [Fact]
    public void The_same_text_is_no_change()
    {
        WorkloadSince since = Since(Then, Then);
        (since.New.Count, since.Changed.Count, since.Notes.Count, since.Rewrites.Text, since.Before.Text).ShouldBe((0, 0, 0, "", Then));
    }

    /// <summary>Whatever pieces a text is made of, each place of it leads back to the piece that it was taken from.</summary>
    [Fact]
    public void Each_place_of_a_composed_text_leads_back() => Gen.Select(Gen.String[Gen.Char["ab\n\r;"], 0, 12], Gen.Int[0, 12], Gen.Int[0, 12]).Array[1, 6].Sample(pieces =>
    {
        var text = new ComposedText();
        var expected = new List<(string Path, TextPlace Place)>();
        foreach (((string whole, int from, int length), int i) in pieces.Select((p, i) => (p, i)))
        {
            int start = Math.Min(from, whole.Length), size = Math.Min(length, whole.Length - start);
            var file = new SourceFile($"{i}.sql", whole);
            text.Add(file, new TextSpan(start, size)).Add(file, "=", start + size);
            expected.AddRange(Enumerable.Range(start, size).Select(o => (file.Path, TextPlace.At(whole, o))));
            expected.Add((file.Path, TextPlace.At(whole, start + size)));
        }

        for (int offset = 0; offset < text.Text.Length; offset++)
        {
            // Where a CR of one piece meets an LF of the next, one line ends where two did: no place of the text is between them.
            if (offset > 0 && text.Text[offset] == '\n' && text.Text[offset - 1] == '\r')
            {
                continue;
            }

            SourcePlace origin = text.OriginOf(TextPlace.At(text.Text, offset));
            (origin.Path, origin.Place!.Value).ShouldBe(expected[offset], $"{offset} of '{text.Text.ReplaceLineEnds()}'");
        }
    }, iter: 3_000);

    private static WorkloadSince Since(string now, string then) => WorkloadSince.Of(new("w.sql", now), Read(now), Read(then), Dialects.Sqlite);

    private static Workload Read(string text)
    {
        Parsed<Workload> read = WorkloadFile.Parse(text, Dialects.Sqlite);
        read.Problems.ShouldBeEmpty();
        return read.Value;
    }
}

internal static class Shown
{
    public static string ReplaceLineEnds(this string text) => text.Replace("\r", "\\r", StringComparison.Ordinal).Replace("\n", "\\n", StringComparison.Ordinal);
}
