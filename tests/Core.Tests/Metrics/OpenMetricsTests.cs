using Shouldly;
using SwiftLedger.Core.Metrics;
using Xunit;

namespace SwiftLedger.Core.Tests.Metrics;

/// <summary>OpenMetrics 1.0.0, section 4 (draft-richih-opsawg-openmetrics-00): the text format; the rules are written down from memory.</summary>
public sealed class OpenMetricsTests
{
    [Fact]
    public void Families_are_written_one_behind_the_other_with_what_their_kind_asks_for() => OpenMetrics.Text([
        new("books", MetricKind.Gauge, "Books in the \"ledger\".", [new(3)]),
        new("read", MetricKind.Counter, "A back\\slash\nand a line.", [new(0.25, ("book", "1"), ("name", "north \"huts\"\\\n")), new(1e21, ("book", "2"), ("name", ""))]),
        new("size_bytes", MetricKind.Gauge, "Size.", [new(4096)], "bytes"),
        new("nothing", MetricKind.Gauge, "Without a value.", []),
        new("build", MetricKind.Info, "The program.", [new(1, ("version", "1.2"))]),
    ]).ShouldBe("""
        # TYPE books gauge
        # HELP books Books in the \"ledger\".
        books 3
        # TYPE read counter
        # HELP read A back\\slash\nand a line.
        read_total{book="1",name="north \"huts\"\\\n"} 0.25
        read_total{book="2",name=""} 1E+21
        # TYPE size_bytes gauge
        # UNIT size_bytes bytes
        # HELP size_bytes Size.
        size_bytes 4096
        # TYPE build info
        # HELP build The program.
        build_info{version="1.2"} 1
        # EOF

        """.ReplaceLineEndings("\n"));

    [Fact]
    public void Without_families_there_is_still_an_end() => OpenMetrics.Text([]).ShouldBe("# EOF\n");
}
