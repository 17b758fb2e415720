using System.Text.Json;
using Shouldly;
using SwiftLedger.Core.Likenesses;
using Xunit;

namespace SwiftLedger.Core.Tests.Likenesses;

public class LikenessFileTests
{
    private static readonly Likeness Parcels = new("sqlite", "3.50.4", new Dictionary<string, string> { ["page_size"] = "4096" }, ["CREATE TABLE parcel (id INTEGER PRIMARY KEY, \"a \"\"b\"\"\" TEXT)"], ["CREATE INDEX i ON parcel (id)"],
        [new("parcel", null, "5000"), new("parcel", "i", "5000 100")],
        [
            new("parcel", 5000,
            [
                new("id", ValueKind.Whole, 0, -1, 4.2, 1, [], ["1", "5000"]),
                new("a \"b\"", ValueKind.Text, 0.25, 12, 8, null, [new(0.5, "größer 'als'\n"), new(0.1, null)], []),
            ]),
            new("empty", 0, []),
        ], ["A note."]);

    [Fact]
    public void What_is_written_is_read_and_written_the_same_again()
    {
        string text = LikenessFile.Write(Parcels);
        LikenessFile.Write(LikenessFile.Read(text)).ShouldBe(text);
        LikenessFile.Read(text).Tables[0].Columns[1].Common.ShouldBe([new(0.5, "größer 'als'\n"), new(0.1, null)]);

        // For a diff: a column is a line, and so is a statement. What is written is JSON to others, too (System.Text.Json's own reader).
        text.Split('\n').Count(l => l.Contains("\"distinct\"", StringComparison.Ordinal)).ShouldBe(2);
        JsonDocument.Parse(text).RootElement.GetProperty("tables")[0].GetProperty("columns")[0].GetProperty("kind").GetString().ShouldBe("whole");
    }

    [Theory]
    [InlineData("", "", "it cannot be read as statistics")]
    [InlineData("\"format\": \"swift-ledger statistics 1\"", "\"format\": \"swift-ledger statistics 7\"", "this version reads 'swift-ledger statistics 1'")]
    [InlineData("\"format\": \"swift-ledger statistics 1\"", "\"format\": 7", "This is no file of 'swift-ledger export-statistics'.")]
    [InlineData("\"rows\": 5000", "\"rows\": -1", "Table parcel wants a name, rows of 0 or more, and columns.")]
    [InlineData("\"rows\": 5000", "\"rows\": \"many\"", "line 16, tables[0].rows: it cannot be read as statistics")]
    [InlineData("\"rows\": 5000", "\"rows\": 5000, \"rowz\": 1", "it cannot be read as statistics")]
    [InlineData("\"nulls\":0.25", "\"nulls\":1.5", "Column a \"b\" of parcel: nulls and shares lie between 0 and 1")]
    [InlineData("\"distinct\":12", "\"distinct\":-2", "distinct is a number of values or, negated, their share")]
    [InlineData("{\"share\":0.1}", "null", "Column a \"b\" of parcel")]
    [InlineData("\"kind\":\"text\"", "\"kind\":\"smell\"", "it cannot be read as statistics")]
    [InlineData("\"engine\": \"sqlite\"", "\"engine\": \"abacus\"", "'abacus' is no engine whose databases can be made")]
    [InlineData("\"name\": \"empty\"", "\"name\": \"parcel\"", "Table parcel stands there twice.")]
    [InlineData("\"name\":\"id\"", "\"name\":\"a \\\"b\\\"\"", "of parcel stands there twice.")]
    [InlineData("\"bounds\":[]", "\"bounds\":null", "line 18, tables[0].columns[1].bounds: it cannot be read as statistics")]
    [InlineData("\"columns\": []", "\"columns\": [null]", "Column ? of empty")]
    public void What_cannot_be_used_is_told_with_its_place(string part, string instead, string message)
    {
        string text = part.Length == 0 ? "{\n\"format\": " : LikenessFile.Write(Parcels).Replace(part, instead, StringComparison.Ordinal);
        Should.Throw<LikenessException>(() => LikenessFile.Read(text)).Message.ShouldContain(message);
    }

    [Theory]
    [InlineData("null")]
    [InlineData("[]")]
    [InlineData("{}")]
    [InlineData("\"text\"")]
    [InlineData("{\"format\": \"swift-ledger statistics 1\"}")]
    public void Other_json_is_no_likeness(string text) => Should.Throw<LikenessException>(() => LikenessFile.Read(text));
}
