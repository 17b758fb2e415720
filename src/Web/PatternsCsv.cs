using System.Globalization;
using System.Text;

namespace SwiftLedger.Web;

/// <summary>Patterns as CSV (RFC 4180).</summary>
internal static class PatternsCsv
{
    public static string Write(IEnumerable<PatternRow> rows)
    {
        var csv = new StringBuilder("pattern,calls,errors,seconds,share,average_ms,p95_ms,worst_ms,rows_read,rows_returned,text\r\n");
        foreach (PatternRow r in rows)
        {
            csv.AppendJoin(',', r.Hash, Number(r.Calls), Number(r.Errors), Number(r.Seconds), Number(r.Share), Number(r.AverageMs), Number(r.P95Ms), Number(r.WorstMs),
                Number(r.RowsRead), Number(r.RowsReturned), Quoted(r.Text)).Append("\r\n");
        }

        return csv.ToString();
    }

    private static string Number(IFormattable? value) => value?.ToString(null, CultureInfo.InvariantCulture) ?? "";

    private static string Quoted(string text) => $"\"{text.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
}
