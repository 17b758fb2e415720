using System.Text;
using SwiftLedger.Core.Reports;

namespace SwiftLedger.Web;

/// <summary>A column of a CSV file.</summary>
internal sealed record CsvColumn<T>(string Name, Func<T, object?> Of);

/// <summary>Lists as files: CSV (RFC 4180) or JSON.</summary>
internal static class Csv
{
    public static readonly IReadOnlyList<CsvColumn<PatternRow>> Patterns =
    [
        new("pattern", r => r.Hash), new("calls", r => r.Calls), new("errors", r => r.Errors), new("seconds", r => r.Seconds), new("share", r => r.Share),
        new("average_ms", r => r.AverageMs), new("p95_ms", r => r.P95Ms), new("worst_ms", r => r.WorstMs), new("rows_read", r => r.RowsRead),
        new("rows_returned", r => r.RowsReturned), new("text", r => r.Text),
    ];

    public static readonly IReadOnlyList<CsvColumn<CoursePoint>> Course =
    [
        new("at", p => p.At), new("calls", p => p.Calls), new("errors", p => p.Errors), new("seconds", p => p.Seconds), new("p50_ms", p => p.P50Ms), new("p95_ms", p => p.P95Ms),
        new("p99_ms", p => p.P99Ms), new("p999_ms", p => p.P999Ms), new("worst_ms", p => p.WorstMs), new("rows_returned", p => p.RowsReturned), new("rows_read", p => p.RowsRead),
        new("rows_written", p => p.RowsWritten),
    ];

    public static readonly IReadOnlyList<CsvColumn<EffectRow>> Effects =
    [
        new("pattern", e => e.Hash), new("verdict", e => e.Movement), new("before_seconds_a_day", e => e.BeforeSecondsPerDay), new("after_seconds_a_day", e => e.AfterSecondsPerDay),
        new("before_calls_a_day", e => e.CallsBeforePerDay), new("after_calls_a_day", e => e.CallsAfterPerDay), new("ratio", e => e.Ratio), new("low", e => e.Low),
        new("high", e => e.High), new("message", e => e.Message), new("text", e => e.Text),
    ];

    public static readonly IReadOnlyList<CsvColumn<SampleView>> Samples =
    [
        new("at", s => s.At), new("ms", s => s.Ms), new("source", s => s.Source), new("why", s => s.Why), new("binds", s => s.Binds), new("rows_returned", s => s.RowsReturned),
        new("rows_read", s => s.RowsRead), new("error", s => s.Error), new("message", s => s.Message), new("session", s => s.Session), new("application", s => s.Application),
        new("user", s => s.User), new("sql", s => s.Sql), new("plan", s => s.Plan),
    ];

    /// <summary>The rows as a file of the format that the address asks for.</summary>
    public static IResult File<T>(string name, string format, IReadOnlyList<T> rows, IReadOnlyList<CsvColumn<T>> columns) => format switch
    {
        "json" => TypedResults.Ok(rows),
        "csv" => TypedResults.File(Encoding.UTF8.GetBytes(Write(rows, columns)), "text/csv", name + ".csv"),
        _ => DaybookApi.Nothing("list; it comes as csv and json"),
    };

    private static string Write<T>(IEnumerable<T> rows, IReadOnlyList<CsvColumn<T>> columns)
    {
        var csv = new StringBuilder().AppendJoin(',', columns.Select(c => c.Name)).Append("\r\n");
        foreach (T row in rows)
        {
            csv.AppendJoin(',', columns.Select(c => CsvCell.Of(c.Of(row), quoteTexts: true))).Append("\r\n");
        }

        return csv.ToString();
    }
}
