using System.Text;
using CsCheck;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Engines;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

/// <summary>An execution of which a capture has several spans. That mappers and drivers both make one is common practice, no source.</summary>
public class OneExecutionTests
{
    private static readonly DateTime Start = new(2026, 12, 1, 8, 0, 0, DateTimeKind.Utc);
    private readonly Seen _seen = new();
    private readonly OneExecution _once;

    public OneExecutionTests() => _once = new(_seen, KnownEngines.Default.Dialect, name => KnownEngines.Named(name)?.Dialect);

    /// <summary>A mapper's text has its own marks, and the driver's the engine's.</summary>
    [Theory]
    [InlineData("SELECT name FROM hut WHERE id = ?", "SELECT name FROM hut WHERE id = $1", 1)]
    [InlineData("SELECT name FROM hut WHERE id = ?", "SELECT name FROM hut WHERE id = 7 -- page=board", 1)]
    [InlineData("SELECT name FROM hut", "SELECT note FROM hut", 2)]
    public void A_span_around_another_of_the_same_statement_is_left_out(string mapper, string driver, int counted)
    {
        Send(2, 1, driver);
        Send(1, 9, mapper);
        _seen.Statements.Count.ShouldBe(counted);
        _seen.Statements[0].ShouldBe(driver);
        _once.LeftOut.ShouldBe(2 - counted);
    }

    [Theory]
    [InlineData(new[] { 3, 2, 1 }, "in the order in which they end")]
    [InlineData(new[] { 2, 3, 1 }, "what is between comes first")]
    [InlineData(new[] { 1, 2, 3 }, "in the order in which they begin")]
    [InlineData(new[] { 2, 1, 3 }, "around first")]
    public void Something_between_the_two_changes_nothing(int[] order, string why)
    {
        foreach (int span in order)
        {
            if (span == 2)
            {
                _once.SeeSpan(new() { Unit = "t"u8, Span = 2, ParentSpan = 1 });
            }
            else
            {
                Send(span, span - 1, "SELECT 1");
            }
        }

        _seen.Statements.Count.ShouldBe(1, why);
    }

    /// <summary>A mapper that tries again, or reads its lists in pieces, makes one span around all.</summary>
    [Fact]
    public void All_of_several_within_one_count()
    {
        Send(2, 1, "SELECT 1");
        Send(3, 1, "SELECT 1");
        Send(4, 1, "SELECT 1");
        Send(1, 9, "SELECT 1");
        (_seen.Statements.Count, _once.LeftOut).ShouldBe((3, 1));
    }

    [Fact]
    public void Three_layers_are_one_execution()
    {
        Send(3, 2, "SELECT 1");
        Send(2, 1, "SELECT 1");
        Send(1, 9, "SELECT 1");
        _seen.Statements.Count.ShouldBe(1);
    }

    [Fact]
    public void What_another_statement_or_a_request_parts_is_two_executions()
    {
        Send(3, 2, "SELECT 1");
        Send(2, 1, "SELECT name FROM hut");
        Send(1, 9, "SELECT 1");
        _seen.Statements.Count.ShouldBe(3);
        _once.SeeSpan(new() { Unit = "t"u8, Span = 12, ParentSpan = 11, Page = "GET /board" });
        Send(13, 12, "SELECT 1");
        Send(11, 9, "SELECT 1");
        _seen.Statements.Count.ShouldBe(5);
    }

    /// <summary>An exporter that saw no answer sends again (OpenTelemetry Protocol specification, "Retryable Response Codes").</summary>
    [Fact]
    public void A_span_that_comes_twice_counts_once_and_a_number_that_several_have_is_of_none()
    {
        Send(1, 9, "SELECT 1");
        Send(1, 9, "SELECT 1");
        _seen.Statements.Count.ShouldBe(1);
        Send(1, 9, "SELECT 1", second: 5);
        _seen.Statements.Count.ShouldBe(2);
    }

    [Fact]
    public void Spans_without_a_number_or_of_other_traces_are_executions_of_their_own()
    {
        Send(0, 0, "SELECT 1");
        Send(0, 0, "SELECT 1");
        Send(2, 1, "SELECT 1");
        Send(1, 9, "SELECT 1", unit: "another");
        _seen.Statements.Count.ShouldBe(4);
    }

    /// <summary>More spans than are remembered: those of a trace that is not long gone are.</summary>
    [Fact]
    public void What_is_forgotten_is_long_gone() => Gen.Int[1, 50].Sample(most =>
    {
        var spans = new SpanNesting(most);
        for (ulong i = 1; i < 500; i++)
        {
            spans.IsAgain(1, 2 * i, (2 * i) + 1, 7, 0).ShouldBeFalse();
            spans.IsAgain(1, (2 * i) + 1, 1_001, 7, 0).ShouldBe(true);
        }
    });

    /// <summary>Both notations of the protocol, in one request and in two.</summary>
    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Requests_tell_what_is_within_what(bool together)
    {
        string Span(string id, string parent, int end, string rest) =>
            $$"""{"traceId":"0af7651916cd43dd8448eb211c80319c","spanId":"{{id}}","parentSpanId":"{{parent}}","name":"n","startTimeUnixNano":"1790000000000000000","endTimeUnixNano":"17900000000{{end}}","attributes":[{{rest}}]}""";
        const string statement = """{"key":"db.query.text","value":{"stringValue":"SELECT 1"}}""";
        string[] spans = [Span("00F067AA0BA902B7", "00f067aa0ba902b6", 10000000, statement), Span("00f067aa0ba902b6", "00f067aa0ba902b5", 20000000, ""), Span("00f067aa0ba902b5", "00f067aa0ba902b4", 30000000, statement)];
        string[] requests = together ? [string.Join(',', spans.Reverse())] : spans;
        foreach (string request in requests)
        {
            OtlpJson.Read(Encoding.UTF8.GetBytes($$"""{"resourceSpans":[{"scopeSpans":[{"spans":[{{request}}]}]}]}"""), 1, _once).ShouldBe(0);
        }

        (_seen.Statements.Count, _once.LeftOut).ShouldBe((1, 1));
        _seen.Milliseconds.ShouldBe(10);
    }

    private void Send(int span, int parent, string sql, int second = 0, string unit = "t") =>
        _once.Observe(new() { At = Start.AddSeconds(second), Duration = TimeSpan.FromMilliseconds(1), Sql = sql, Unit = Encoding.UTF8.GetBytes(unit), Span = (ulong)span, ParentSpan = (ulong)parent });

    private sealed class Seen : ICaptureSink
    {
        public List<string> Statements { get; } = [];

        public double Milliseconds { get; private set; }

        public void Observe(in Observation observation)
        {
            Statements.Add(observation.Sql.ToString());
            Milliseconds += observation.Duration?.TotalMilliseconds ?? 0;
        }

        public void Reject(long line, string reason) => throw new InvalidOperationException(reason);
    }
}
