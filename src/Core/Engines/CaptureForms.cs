using System.Text;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;

namespace SwiftLedger.Core.Engines;

/// <summary>The form of a capture, or why none fits.</summary>
/// <param name="Form">Null where none fits.</param>
/// <param name="Problem">What was expected and what was found; empty where a form fits.</param>
/// <param name="Engine">Whose statements it holds; the default one where the form does not say.</param>
/// <param name="Prefix">The prefix of its lines that is in use, where the form has one.</param>
public sealed record FormChoice(ICaptureForm? Form, string Problem, Engine Engine, string? Prefix = null);

/// <summary>Names of the forms, and which one a file has.</summary>
public static class CaptureForms
{
    /// <summary>How much of a capture is looked at before reading begins.</summary>
    public const int HeadBytes = 256 * 1024;

    private const int LinesLookedAt = 100;

    public static IReadOnlyList<string> Names { get; } = ["json-lines", .. Logs.SelectMany(l => l.Logs.Names), "otlp-json", "csv", "workload"];

    private static IEnumerable<(Engine Engine, ILogForms Logs)> Logs => KnownEngines.All.Where(e => e.Logs is not null).Select(e => (e, e.Logs!));

    /// <summary>Chooses by name, or by what the capture begins with.</summary>
    /// <param name="head">Its first bytes, at most <see cref="HeadBytes"/>.</param>
    /// <param name="name">One of <see cref="Names"/>; null to find out.</param>
    /// <param name="prefix">The server's prefix of lines; null to try the usual ones.</param>
    /// <param name="columns">What the columns of a CSV file hold, see <see cref="CsvColumns.Parse"/>; null where they are named as our own fields.</param>
    /// <param name="engine">Whose statements they are where the capture does not say; null for the default one.</param>
    /// <param name="readAt">What a workload file's day of calls ends with, UTC.</param>
    public static FormChoice Choose(ReadOnlySpan<byte> head, string? name, string? prefix, string? columns = null, DateTime readAt = default, Engine? engine = null)
    {
        List<string> lines = FirstLines(head);
        if (lines.Count == 0)
        {
            return new(null, "There is nothing in it yet.", KnownEngines.Default);
        }

        Engine whose = engine ?? KnownEngines.Default;

        name ??= prefix is not null ? Logs.Select(l => l.Logs.OfPrefix).First(p => p is not null)! : columns is not null ? "csv" : Guess(head, lines);
        if (Logs.FirstOrDefault(l => l.Logs.Names.Contains(name)) is { Logs: not null } found)
        {
            LogForm log = found.Logs.Open(name, lines, prefix);
            return new(log.Form, log.Problem, found.Engine, log.Prefix);
        }

        (ICaptureForm? form, string problem) = name switch
        {
            "json-lines" => (new JsonLinesForm(), ""),
            "otlp-json" => (new OtlpJson(), ""),
            "csv" => CsvColumns.Parse(head, columns, out string wrong) is { } read ? (new CsvForm(read), "") : ((ICaptureForm?)null, wrong),
            "workload" => OfWorkload(lines, readAt, ref whose),
            _ => (null, $"'{name}' is no form of capture; there are {string.Join(", ", Names)}."),
        };
        return new(form, problem, whose);
    }

    /// <summary>A workload file may say whose statements it holds, in a comment of its own: <c>-- engine: PostgreSQL</c>.</summary>
    private static (ICaptureForm? Form, string Problem) OfWorkload(List<string> lines, DateTime readAt, ref Engine engine)
    {
        const string names = "-- engine:";
        if (lines.FirstOrDefault(l => l.StartsWith(names, StringComparison.Ordinal)) is { } line)
        {
            if (KnownEngines.Named(line[names.Length..]) is not { } named)
            {
                return (null, $"'{line[names.Length..].Trim()}' is no engine whose statements are known; there are {string.Join(", ", KnownEngines.All)}.");
            }

            engine = named;
        }

        return (new WorkloadForm(readAt, engine.Dialect), "");
    }

    /// <summary>Whether a server may write one log in both forms at once.</summary>
    public static bool AreOneLog(string form, string other) => Logs.Any(l => l.Logs.OneLog.Contains(form) && l.Logs.OneLog.Contains(other));

    /// <summary>Where a form stands among those of one log, from 0: what tells most is read first. 0 for any other form.</summary>
    public static int RankInOneLog(string form) => Logs.Select(l => l.Logs.OneLog.ToList().IndexOf(form)).Where(i => i >= 0).FirstOrDefault();

    private static string Guess(ReadOnlySpan<byte> head, List<string> lines)
    {
        foreach ((Engine _, ILogForms logs) in Logs)
        {
            if (logs.Recognise(head, lines) is { } sure)
            {
                return sure;
            }
        }

        if (lines[0].TrimStart('\uFEFF', ' ').StartsWith('{'))
        {
            return head.IndexOf("\"resourceSpans\""u8) >= 0 ? "otlp-json" : "json-lines";
        }

        if (lines.Any(l => l.StartsWith("-- name:", StringComparison.Ordinal) || l.StartsWith("-- calls:", StringComparison.Ordinal)))
        {
            return "workload";
        }

        if (CsvColumns.Parse(head, null, out _) is not null)
        {
            return "csv";
        }

        foreach ((Engine _, ILogForms logs) in Logs)
        {
            if (logs.Suppose(head) is { } supposed)
            {
                return supposed;
            }
        }

        return "json-lines";
    }

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
