using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Engines;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public class OtlpTests
{
    // The shape of the example in the OTLP specification's JSON encoding; attribute names by the semantic conventions for database
    // client spans, the stable ones in the first span and those before them in the second.
    private const string Request = """
        {"resourceSpans":[{"resource":{"attributes":[{"key":"service.name","value":{"stringValue":"sorter"}},{"key":"service.instance.id","value":{"stringValue":"a1"}}]},
         "scopeSpans":[{"scope":{"name":"lib"},"spans":[
          {"traceId":"5b8efff798038103d269b633813fc60c","spanId":"EEE19B7EC3C1B174","name":"SELECT parcel","startTimeUnixNano":"1772446500000000000","endTimeUnixNano":"1772446500002500000",
           "attributes":[{"key":"db.query.text","value":{"stringValue":"SELECT * FROM parcel WHERE id = ? AND note = ?"}},{"key":"db.namespace","value":{"stringValue":"depot"}},
            {"key":"db.query.parameter.0","value":{"intValue":"7"}},{"key":"db.query.parameter.1","value":{"stringValue":"it's"}},{"key":"db.response.returned_rows","value":{"intValue":3}}]},
          {"traceId":"5b8efff798038103d269b633813fc60c","spanId":"EEE19B7EC3C1B175","name":"x","startTimeUnixNano":"1772446500003000000","endTimeUnixNano":"1772446500004000000",
           "attributes":[{"key":"db.statement","value":{"stringValue":"DELETE FROM parcel"}},{"key":"db.name","value":{"stringValue":"depot"}},{"key":"error.type","value":{"stringValue":"40001"}}],
           "status":{"code":2,"message":"deadlock"}},
          {"traceId":"00","spanId":"01","name":"GET /","startTimeUnixNano":"1","endTimeUnixNano":"2","attributes":[{"key":"http.route","value":{"stringValue":"/"}}]},
          {"traceId":"00","spanId":"02","name":"bad","startTimeUnixNano":"9","endTimeUnixNano":"2","attributes":[{"key":"db.statement","value":{"stringValue":"SELECT 1"}}]}
         ]}]}]}
        """;

    [Theory]
    [InlineData(int.MaxValue)]
    [InlineData(100)]
    public void Spans_of_statements_are_read_by_old_and_new_names(int piece)
    {
        Caught caught = Caught.By(new OtlpJson(), Request + "\n" + Request.ReplaceLineEndings("") + "\n{\"not\": \"one\"}\n", piece);
        caught.Statements.Count.ShouldBe(4);
        caught.Rejected.Count.ShouldBe(3, "two spans that end before they begin, and one object that is no export of traces");
        Seen first = caught.Statements[0], second = caught.Statements[1];
        (first.Sql, first.Ms, first.Binds, first.Rows, first.Database, first.Application).ShouldBe(("SELECT * FROM parcel WHERE id = ? AND note = ?", 2.5, "1=7, 2='it''s'", 3L, "depot", "sorter"));
        first.At.ShouldBe(DateTime.UnixEpoch.AddSeconds(1_772_446_500));
        first.Unit.ShouldBe("5b8efff798038103d269b633813fc60c");
        (second.Sql, second.Error, second.Message).ShouldBe(("DELETE FROM parcel", "40001", "deadlock"));
    }

    [Fact]
    public void Json_that_is_none_is_rejected_and_reading_goes_on()
    {
        Caught caught = Caught.By(new OtlpJson(), "{\"resourceSpans\": [}\n" + Request + "\n");
        caught.Statements.Count.ShouldBe(2);
        caught.Rejected[0].Line.ShouldBe(1);
    }

    // The wire format worked out by hand from "Encoding" of the Protocol Buffers documentation and the field numbers of opentelemetry-proto.
    [Fact]
    public void Protobuf_gives_the_same_statement()
    {
        byte[] attribute = Field(9, [.. Text(1, "db.query.text"), .. Field(2, Text(1, "SELECT 1"))]);
        byte[] span = [.. Field(1, [0x5B, 0x8E]), .. Fixed(7, 1_772_446_500_000_000_000), .. Fixed(8, 1_772_446_500_002_500_000), .. attribute, .. Field(15, [0x18, 0x02])];
        byte[] request = Field(1, [.. Field(1, Field(1, [.. Text(1, "service.name"), .. Field(2, Text(1, "sorter"))])), .. Field(2, Field(2, span))]);
        var caught = new Caught();
        OtlpProtobuf.Read(request, caught).ShouldBe(0);
        Seen seen = caught.Statements.ShouldHaveSingleItem();
        (seen.Sql, seen.Ms, seen.Unit, seen.Application, seen.Error).ShouldBe(("SELECT 1", 2.5, "5b8e", "sorter", Observation.WithoutCode));
        Should.Throw<FormatException>(() => OtlpProtobuf.Read(request.AsSpan(0, request.Length - 3), new Caught()));
        Should.Throw<FormatException>(() => OtlpProtobuf.Read([0x0F], new Caught()));
    }

    [Fact]
    public void A_file_of_traces_is_told_from_other_json() =>
        CaptureForms.Choose(System.Text.Encoding.UTF8.GetBytes(Request + "\n"), null, null).Form!.Name.ShouldBe("otlp-json");

    private static byte[] Field(int number, byte[] content) => [.. Varint((ulong)((number << 3) | 2)), .. Varint((ulong)content.Length), .. content];

    private static byte[] Text(int number, string text) => Field(number, System.Text.Encoding.UTF8.GetBytes(text));

    private static byte[] Fixed(int number, ulong value) => [.. Varint((ulong)((number << 3) | 1)), .. BitConverter.GetBytes(value)];

    private static byte[] Varint(ulong value) => value < 0x80 ? [(byte)value] : [(byte)(value | 0x80), .. Varint(value >> 7)];
}
