using System.Text;
using HdrHistogram;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;

namespace SwiftLedger.Core.Reports;

/// <summary>The latencies of a rehearsal in the log format of HdrHistogram, an interval for each stint, tagged with its side and statement; values are nanoseconds.</summary>
public static class HistogramLog
{
    /// <param name="stints">In the order they ran.</param>
    /// <param name="began">When the first one did, in UTC.</param>
    public static string Write(IReadOnlyList<Stint> stints, DateTime began)
    {
        long epoch = new DateTimeOffset(began, TimeSpan.Zero).ToUnixTimeMilliseconds();
        var histograms = new List<HistogramBase>();
        foreach (Stint stint in stints)
        {
            foreach (StatementStint statement in stint.Statements.Where(s => s.Executions > 0))
            {
                HistogramBase one = Of(LatencyHistogram.Decode(statement.LatencyHistogram));
                one.Tag = Tag($"{stint.Side.ToString().ToLowerInvariant()}:{statement.Statement ?? "all"}");
                one.StartTimeStamp = epoch + (long)(stint.At * 1_000);
                one.EndTimeStamp = one.StartTimeStamp + (long)(stint.Seconds * 1_000);
                histograms.Add(one);
            }
        }

        using var stream = new MemoryStream();
        HistogramLogWriter.Write(stream, began, [.. histograms]);

        // The package writes UTF-16; every other reader of the format wants ASCII.
        using var text = new StreamReader(new MemoryStream(stream.ToArray()), Encoding.Unicode, detectEncodingFromByteOrderMarks: true);
        return text.ReadToEnd();
    }

    /// <summary>The same durations in the package's own histogram, in nanoseconds.</summary>
    internal static HistogramBase Of(LatencyHistogram histogram)
    {
        const int nanosecondsATick = 100, digits = 3;
        ReadOnlySpan<long> pairs = histogram.Content();
        long highest = pairs.IsEmpty ? 2 : Math.Max(2, LatencyHistogram.RangeOf(LatencyHistogram.BucketIn(pairs[^1])).High * nanosecondsATick);
        var made = new LongHistogram(1, highest, digits);
        foreach (long pair in pairs)
        {
            made.RecordValueWithCount(LatencyHistogram.RangeOf(LatencyHistogram.BucketIn(pair)).High * nanosecondsATick, LatencyHistogram.CountIn(pair));
        }

        return made;
    }

    /// <summary>A tag holds no comma, blank or line break: the format parts its fields by those.</summary>
    private static string Tag(string name) => string.Concat(name.Select(c => c is ',' || char.IsWhiteSpace(c) || char.IsControl(c) ? '_' : c));
}
