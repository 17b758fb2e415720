using System.IO.Compression;
using System.Text;
using Dapper;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Store.Captures;
using Xunit;

namespace SwiftLedger.Store.Tests;

/// <summary>Which file it is, and in which form: nothing counts twice, nothing that was not understood counts as read.</summary>
public sealed class CaptureFilesTests : ReadsCaptures
{
    [Fact]
    public void The_same_file_counts_once_under_whatever_name()
    {
        byte[] file = Log(200);
        Read(file, "a.jsonl").Statements.ShouldBe(200);
        CaptureReport again = Read(file, "b.jsonl");
        (again.Statements, again.SkippedBytes).ShouldBe((0, file.Length));
        Calls().ShouldBe(200);
    }

    [Fact]
    public void A_file_that_grew_is_read_on_from_where_it_ended()
    {
        byte[] file = Log(300);
        int cut = file.AsSpan(0, file.Length / 2).LastIndexOf((byte)'\n') + 20;
        CaptureReport first = Read(file[..cut], "log");
        first.UnreadBytes.ShouldBe(19);
        CaptureReport second = Read(file, "log");
        (first.Statements + second.Statements).ShouldBe(300);
        Calls().ShouldBe(300);
        _captures.Files(_book).ShouldHaveSingleItem().Statements.ShouldBe(300);
    }

    [Fact]
    public void Gzip_is_unpacked_and_one_that_ends_early_counts_up_to_there()
    {
        byte[] packed = Packed(Log(5_000));
        Read(packed[..(packed.Length / 2)], "half.gz").Problem!.ShouldContain("ends early");
        long half = Calls();
        half.ShouldBeInRange(1, 4_999);
        Read(packed, "whole.gz").Problem.ShouldBeNull();
        Calls().ShouldBe(5_000);
    }

    [Fact]
    public void A_packed_stream_that_cannot_be_rewound_is_read_too()
    {
        new CaptureImport(_captures).Read(_book, new OnlyForward(Packed(Log(300))), "standard input", new("server")).Statements.ShouldBe(300);
        new CaptureImport(_captures).Read(_book, new OnlyForward(Log(40)), "standard input", new("other")).Statements.ShouldBe(40);
        new CaptureImport(_captures).Read(_book, new OnlyForward([]), "standard input", new("other")).Problem.ShouldBe("There is nothing in it yet.");
    }

    [Fact]
    public void A_file_that_shrank_is_said_to_and_counts_nothing()
    {
        byte[] file = Log(20_000);
        Read(file, "log").Statements.ShouldBe(20_000);
        CaptureReport shorter = Read(file[..(file.Length / 2)], "log");
        shorter.Problem!.ShouldContain("shorter than it was");
        Calls().ShouldBe(20_000);
    }

    // Each form against each other: a file that is read by the wrong name is none, and is read in full once its own is named.
    public static TheoryData<string, string> WrongForms()
    {
        var data = new TheoryData<string, string>();
        foreach (string form in CaptureForms.Names)
        {
            foreach (string other in CaptureForms.Names.Where(o => o != form))
            {
                data.Add(form, other);
            }
        }

        return data;
    }

    [Theory]
    [MemberData(nameof(WrongForms))]
    public void A_file_that_is_read_by_a_wrong_form_is_not_marked_as_read(string form, string wrong)
    {
        byte[] file = Encoding.UTF8.GetBytes(Example(form));
        CaptureReport none = new CaptureImport(_captures).Read(_book, new MemoryStream(file), "log", new("server", wrong));
        none.Problem.ShouldNotBeNull();
        (none.Statements, _captures.Files(_book).Count).ShouldBe((0, 0), none.Problem);
        CaptureReport right = new CaptureImport(_captures).Read(_book, new MemoryStream(file), "log", new("server", form));
        (right.Problem, right.Statements).ShouldBe((null, form == "workload" ? 24 : 3));
        new CaptureImport(_captures).Read(_book, new MemoryStream(file), "log", new("server")).Statements.ShouldBe(0, "its form is found out as well");
    }

    [Theory]
    [InlineData("json-lines")]
    [InlineData("pg-stderr")]
    [InlineData("pg-csv")]
    [InlineData("pg-json")]
    [InlineData("mysql-slow")]
    [InlineData("otlp-json")]
    [InlineData("csv")]
    [InlineData("workload")]
    public void A_mark_of_the_byte_order_or_sixteen_bits_a_character_cost_nothing(string form)
    {
        string text = Example(form);
        int statements = form == "workload" ? 24 : 3;
        (string Name, byte[] Bytes)[] written =
        [
            ("UTF-8 with a mark", [0xEF, 0xBB, 0xBF, .. Encoding.UTF8.GetBytes(text)]),
            ("UTF-16", [0xFF, 0xFE, .. Encoding.Unicode.GetBytes(text)]),
            ("UTF-16, big end first", [0xFE, 0xFF, .. Encoding.BigEndianUnicode.GetBytes(text)]),
            ("UTF-16 without a mark", Encoding.Unicode.GetBytes(text)),
            ("UTF-16, packed", Packed([0xFF, 0xFE, .. Encoding.Unicode.GetBytes(text)])),
        ];
        foreach ((string name, byte[] bytes) in written)
        {
            CaptureReport report = Read(bytes, name, name);
            (report.Problem, report.Statements, report.Rejections.Count).ShouldBe((null, statements, 0), name);
            new CaptureImport(_captures).Read(_book, new OnlyForward(bytes), name, new(name + ", through a pipe")).Statements.ShouldBe(statements, name);
            Read(bytes, name, name).Statements.ShouldBe(0, name);
        }
    }

    // Traces and logs may begin alike for any length.
    [Fact]
    public void Files_that_begin_alike_are_told_apart_by_what_they_hold()
    {
        byte[] log = Log(4_000);
        byte[] other = [.. log];
        int digit = other.Length / 3;
        digit += other.AsSpan(digit).IndexOf("id = "u8) + 5;
        other[digit] = (byte)(other[digit] == '9' ? '8' : '9');
        Read(log, "a").Statements.ShouldBe(4_000);
        Read(other, "b").Statements.ShouldBe(4_000, "one byte in its middle is another one");
        Read(log, "c").Statements.ShouldBe(0);
        Read(other, "d").Statements.ShouldBe(0);
        byte[] end = [.. log[..^1], (byte)' ', (byte)'\n'];
        Read(end, "e").Statements.ShouldBe(4_000, "one byte more at its end");

        // What begins like one and is shorter, and holds something else from half of its length on.
        byte[] half = [.. log[..(log.Length / 4)]];
        half.AsSpan(half.Length / 3).Reverse();
        Read(half, "f").Problem.ShouldBeNull();
        byte[] grown = [.. other, .. Encoding.UTF8.GetBytes(Line(Start.AddDays(1), 1, "SELECT 1"))];
        Read(grown, "g").Statements.ShouldBe(1);
        new CaptureImport(_captures).Read(_book, new OnlyForward(Packed(grown)), "h", new("server")).Statements.ShouldBe(0, "packed, and through a pipe");
        _captures.Files(_book).Count.ShouldBe(4);
    }

    // Ledgers of before digests were kept know a file by its beginning alone; from then on by all of it.
    [Fact]
    public void A_file_that_was_read_before_digests_were_kept_is_read_on_and_known_by_them_afterwards()
    {
        byte[] log = Log(600);
        int half = log.AsSpan(0, log.Length / 2).LastIndexOf((byte)'\n') + 1;
        long first = Read(log[..half], "log").Statements;
        using (SqliteConnection connection = _ledger.Open())
        {
            connection.Execute("UPDATE capture_file SET digests = x''");
        }

        Read(log[..(half - 400)], "log").Problem!.ShouldContain("shorter than it was");
        Read(log, "log").Statements.ShouldBe(600 - first);
        Read(log, "log").Statements.ShouldBe(0);
        byte[] other = [.. log];
        other.AsSpan(other.Length - 200, 100).Reverse();
        Read(other, "other").SkippedBytes.ShouldBe(0);
    }

    /// <summary>Three statements, or one for each hour of a day, in a form.</summary>
    private static string Example(string form) => form switch
    {
        "json-lines" => Line(Start, 1, "SELECT 1") + Line(Start, 2, "SELECT 2") + Line(Start, 3, "SELECT a FROM t"),
        "pg-stderr" => string.Concat(Enumerable.Range(1, 3).Select(i => $"2026-03-02 10:15:0{i}.000 UTC [{i}] LOG:  duration: {i}.5 ms  statement: SELECT {i}\n")),
        "pg-csv" => string.Concat(Enumerable.Range(1, 3).Select(i => $"2026-03-02 10:15:0{i}.000 UTC,\"u\",\"d\",1,\"h\",s,{i},\"SELECT\",2026-03-02 10:15:00 UTC,3/0,0,LOG,00000,\"duration: {i}.5 ms  statement: SELECT {i}\",,,,,,,,,\"app\",\"client backend\",,0\n")),
        "pg-json" => string.Concat(Enumerable.Range(1, 3).Select(i => $$"""{"timestamp":"2026-03-02 10:15:0{{i}}.000 UTC","pid":1,"session_id":"s","error_severity":"LOG","message":"duration: {{i}}.5 ms  statement: SELECT {{i}}"}""" + "\n")),
        "mysql-slow" => string.Concat(Enumerable.Range(1, 3).Select(i => $"# Time: 2026-03-02T10:15:0{i}.000000Z\n# User@Host: u[u] @ h [1.1.1.1]  Id: 7\n# Query_time: 0.5  Lock_time: 0 Rows_sent: 1  Rows_examined: 1\nSET timestamp=1772446500;\nSELECT {i};\n")),
        "otlp-json" => string.Concat(Enumerable.Range(1, 3).Select(i => $$$"""{"resourceSpans":[{"scopeSpans":[{"spans":[{"traceId":"0{{{i}}}","startTimeUnixNano":"1772446500000000000","endTimeUnixNano":"1772446500002500000","attributes":[{"key":"db.query.text","value":{"stringValue":"SELECT {{{i}}}"}}]}]}]}]}""" + "\n")),
        "csv" => "at,ms,sql\n" + string.Concat(Enumerable.Range(1, 3).Select(i => $"2026-03-02T10:15:0{i}Z,{i}.5,\"SELECT a, {i}\"\n")),
        _ => "-- name: hourly\n-- calls: 24/day\nSELECT a FROM t;\n",
    };

    /// <summary>A stream like a pipe: it comes in small pieces and cannot be rewound.</summary>
    private sealed class OnlyForward(byte[] bytes) : MemoryStream(bytes)
    {
        public override bool CanSeek => false;

        public override int Read(Span<byte> buffer) => base.Read(buffer[..Math.Min(buffer.Length, 700)]);

        public override int Read(byte[] buffer, int offset, int count) => base.Read(buffer, offset, Math.Min(count, 700));
    }

    private static byte[] Packed(byte[] plain)
    {
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.NoCompression))
        {
            gzip.Write(plain);
        }

        return packed.ToArray();
    }
}
