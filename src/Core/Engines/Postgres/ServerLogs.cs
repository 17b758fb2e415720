using System.Text;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>The three forms of a server's log.</summary>
/// <remarks>PostgreSQL manual, 19.8 "Error Reporting and Logging".</remarks>
internal sealed class ServerLogs : ILogForms
{
    public IReadOnlyList<string> Names { get; } = ["pg-stderr", "pg-csv", "pg-json"];

    public IReadOnlyList<string> OneLog { get; } = ["pg-json", "pg-csv", "pg-stderr"];

    public string? OfPrefix => "pg-stderr";

    public string? Recognise(ReadOnlySpan<byte> head, IReadOnlyList<string> lines) =>
        lines[0].TrimStart('\uFEFF', ' ') is ['{', ..] first && first.Contains("\"error_severity\"", StringComparison.Ordinal) ? "pg-json" : null;

    public string? Suppose(ReadOnlySpan<byte> head)
    {
        var fields = new CsvField[26];
        return CsvRecord.Read(head, 0, fields, out int count, out _) == CsvEnd.Record && count >= 23 ? "pg-csv" : "pg-stderr";
    }

    public LogForm Open(string name, IReadOnlyList<string> lines, string? prefix) => name switch
    {
        "pg-csv" => new(new CsvLog(), ""),
        "pg-json" => new(new JsonLog(), ""),
        _ => ChoosePrefix(lines, prefix),
    };

    private static LogForm ChoosePrefix(IReadOnlyList<string> lines, string? given)
    {
        LinePrefix? best = null;
        int most = 0;
        List<string> heads = lines.Where(l => l.Length > 0 && l[0] != '\t').ToList();
        try
        {
            foreach (string text in given is null ? LinePrefix.Usual : [given])
            {
                var prefix = new LinePrefix(text, supposed: given is null);
                int fitting = heads.Count(l => Fits(prefix, l));
                if (fitting > most || (fitting == most && fitting > 0 && prefix.Telling > best!.Telling))
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
        var fields = default(PrefixFields);
        return prefix.TryRead(Encoding.UTF8.GetBytes(line), new(), ref fields, out _);
    }
}
