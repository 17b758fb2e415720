using System.Text;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Captures.Postgres;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Captures;

/// <summary>The form of a capture, or why none fits.</summary>
/// <param name="Form">Null where none fits.</param>
/// <param name="Problem">What was expected and what was found; empty where a form fits.</param>
/// <param name="Prefix">The log_line_prefix in use, where the form has one.</param>
public sealed record FormChoice(ICaptureForm? Form, string Problem, string? Prefix = null)
{
    public SqlDialect Dialect => Form?.Name.StartsWith("pg-", StringComparison.Ordinal) == true ? SqlDialect.PostgreSql
        : Form is MySqlSlowLog ? SqlDialect.MySql
        : SqlDialect.Sqlite;
}

/// <summary>Names of the forms, and which one a file has.</summary>
public static class CaptureForms
{
    /// <summary>How much of a capture is looked at before reading begins.</summary>
    public const int HeadBytes = 256 * 1024;

    private const int LinesLookedAt = 100;

    private static readonly string[] Severities =
    [
        "LOG:  ", "ERROR:  ", "FATAL:  ", "PANIC:  ", "WARNING:  ", "NOTICE:  ", "INFO:  ", "DEBUG", "DETAIL:  ", "STATEMENT:  ", "HINT:  ", "CONTEXT:  ",
        "QUERY:  ",
    ];

    public static IReadOnlyList<string> Names { get; } = ["json-lines", "pg-stderr", "pg-csv", "pg-json", "mysql-slow", "otlp-json", "csv", "workload"];

    /// <summary>Chooses by name, or by what the capture begins with.</summary>
    /// <param name="head">Its first bytes, at most <see cref="HeadBytes"/>.</param>
    /// <param name="name">One of <see cref="Names"/>; null to find out.</param>
    /// <param name="prefix">The server's log_line_prefix; null to try the usual ones.</param>
    /// <param name="columns">What the columns of a CSV file hold, see <see cref="CsvColumns.Parse"/>; null where they are named as our own fields.</param>
    /// <param name="readAt">What a workload file's day of calls ends with, UTC.</param>
    public static FormChoice Choose(ReadOnlySpan<byte> head, string? name, string? prefix, string? columns = null, DateTime readAt = default)
    {
        List<string> lines = FirstLines(head);
        if (lines.Count == 0)
        {
            return new(null, "There is nothing in it yet.");
        }

        name ??= prefix is not null ? "pg-stderr" : columns is not null ? "csv" : Guess(head, lines);
        return name switch
        {
            "json-lines" => new(new JsonLinesForm(), ""),
            "pg-csv" => new(new CsvLog(), ""),
            "pg-json" => new(new JsonLog(), ""),
            "otlp-json" => new(new OtlpJson(), ""),
            "mysql-slow" => new(new MySqlSlowLog(), ""),
            "pg-stderr" => ChoosePrefix(lines, prefix),
            "csv" => CsvColumns.Parse(head, columns, out string problem) is { } found ? new(new CsvForm(found), "") : new(null, problem),
            "workload" => new(new WorkloadForm(readAt), ""),
            _ => new(null, $"'{name}' is no form of capture; there are {string.Join(", ", Names)}."),
        };
    }

    private static string Guess(ReadOnlySpan<byte> head, List<string> lines)
    {
        string first = lines[0].TrimStart('\uFEFF', ' ');
        if (first.StartsWith('{'))
        {
            return first.Contains("\"error_severity\"", StringComparison.Ordinal) ? "pg-json"
                : head.IndexOf("\"resourceSpans\""u8) >= 0 ? "otlp-json"
                : "json-lines";
        }

        if (lines.Any(l => l.StartsWith("# Query_time: ", StringComparison.Ordinal) || l.StartsWith("# User@Host: ", StringComparison.Ordinal)))
        {
            return "mysql-slow";
        }

        if (lines.Any(l => l.StartsWith("-- name:", StringComparison.Ordinal) || l.StartsWith("-- calls:", StringComparison.Ordinal)))
        {
            return "workload";
        }

        if (CsvColumns.Parse(head, null, out _) is not null)
        {
            return "csv";
        }

        var fields = new CsvField[26];
        return CsvRecord.Read(head, 0, fields, out int count, out _) == CsvEnd.Record && count >= 23 ? "pg-csv" : "pg-stderr";
    }

    private static FormChoice ChoosePrefix(List<string> lines, string? given)
    {
        LinePrefix? best = null;
        int most = 0;
        List<string> heads = lines.Where(l => l.Length > 0 && l[0] != '\t').ToList();
        try
        {
            foreach (string text in given is null ? LinePrefix.Usual : [given])
            {
                var prefix = new LinePrefix(text);
                int fitting = heads.Count(l => Fits(prefix, l));
                if (fitting > most)
                {
                    (best, most) = (prefix, fitting);
                }
            }
        }
        catch (FormatException e)
        {
            return new(null, e.Message);
        }

        if (best is null || most < heads.Count / 10.0)
        {
            string found = lines[0].Length > 120 ? lines[0][..120] + "..." : lines[0];
            return new(null, given is null
                ? $"None of the known forms fits the first {lines.Count} lines. They begin with: {found}"
                : $"The prefix '{given}' fits {most} of the first {lines.Count} lines. They begin with: {found}");
        }

        return new(new StderrLog(best), "", best.Text);
    }

    private static bool Fits(LinePrefix prefix, string line)
    {
        byte[] bytes = Encoding.UTF8.GetBytes(line);
        var fields = default(PrefixFields);
        return prefix.TryRead(bytes, new(), ref fields, out int length) && IsSeverity(line[Math.Min(line.Length, Encoding.UTF8.GetCharCount(bytes, 0, length))..]);
    }

    private static bool IsSeverity(string rest) =>
        Severities.Any(s => rest.StartsWith(s, StringComparison.Ordinal));

    private static List<string> FirstLines(ReadOnlySpan<byte> head)
    {
        var lines = new List<string>();
        int at = 0;
        while (lines.Count < LinesLookedAt && at < head.Length && Lines.TryRead(head, at, out ReadOnlySpan<byte> line, out int next))
        {
            if (!line.IsEmpty)
            {
                lines.Add(Encoding.UTF8.GetString(line));
            }

            at = next;
        }

        // One entry may be longer than all that is looked at.
        if (lines.Count == 0 && at < head.Length)
        {
            lines.Add(Encoding.UTF8.GetString(head[at..]));
        }

        return lines;
    }
}
