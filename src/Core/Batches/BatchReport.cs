using System.Globalization;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Batches;

/// <summary>A batch as text and as JSON (<c>swift-ledger/batch/1</c>).</summary>
public static class BatchReport
{
    public const string Schema = "swift-ledger/batch/1";

    private const int StatementsShown = 30, BlocksShown = 40;

    private static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
    };

    public static string Json(BatchRun run) => JsonSerializer.Serialize(new
    {
        Schema,
        run.Executions,
        run.Milliseconds,
        run.Uncounted,
        run.Failure,
        Statements = run.Statements.Select(s => new
        {
            s.Number,
            s.Pattern,
            s.Sql,
            s.Line,
            s.Calls,
            s.Milliseconds,
            s.Uncounted,
            s.Share,
            s.Slowest,
            s.RowsVisited,
            s.Rows,
            Plans = s.Plans.Select(p => new { p.Shape, Text = PlanReport.Text(p.Plan), p.Calls, p.Milliseconds }),
        }),
        run.Blocks,
    }, Options);

    /// <summary>In one sentence: which statement cost the most.</summary>
    public static string Headline(BatchRun run) => run.Statements.Count == 0 ? "Nothing was executed."
        : $"{Figures.Percent(run.Statements[0].Share)} of {Figures.Duration(run.Milliseconds * 1000)}{(run.Uncounted is { } plain ? $" ({Figures.Duration(plain * 1000)} where nothing was counted)" : "")} went to statement {run.Statements[0].Number} (line {run.Statements[0].Line}), "
            + $"executed {Figures.Count(run.Statements[0].Calls)} time{(run.Statements[0].Calls == 1 ? "" : "s")}.";

    /// <summary>Where a script is, in one line.</summary>
    public static string Reached(BatchProgress p) =>
        $"{(p.Counted ? "" : "again, without counting: ")}statement {Figures.Count(p.Statement)} of {Figures.Count(p.Of)} (line {Figures.Count(p.Line)}), {Figures.Duration(p.CurrentMilliseconds * 1000)}; "
        + $"{Figures.Count(p.Executions)} executed in {Figures.Duration(p.Milliseconds * 1000)}";

    public static string Text(BatchRun run)
    {
        var text = new StringBuilder();
        if (run.Failure is { } failure)
        {
            text.Append(CultureInfo.InvariantCulture, $"Ended at statement {failure.Statement} of the script, line {failure.Line}: {failure.Message}\n\n");
        }

        List<string[]> rows = [["share", "total", "calls", "each", "visited", "rows", "plans", "no.", "line", "statement"]];
        rows.AddRange(run.Statements.Take(StatementsShown).Select(s => new[]
        {
            Figures.Percent(s.Share), Figures.Duration(s.Milliseconds * 1000), Figures.Count(s.Calls), Figures.Duration(s.Milliseconds * 1000 / s.Calls), Figures.Count(s.RowsVisited),
            Figures.Count(s.Rows), s.Plans.Count == 0 ? "" : Figures.Count(s.Plans.Count), $"{s.Number}", $"{s.Line}", Figures.Shortened(s.Sql),
        }));
        int[] widths = [.. Enumerable.Range(0, rows[0].Length - 1).Select(c => rows.Max(r => r[c].Length))];
        foreach (string[] row in rows)
        {
            text.AppendJoin("  ", row.Take(widths.Length).Select((cell, c) => cell.PadLeft(widths[c]))).Append("  ").Append(row[^1]).Append('\n');
        }

        if (run.Statements.Count > StatementsShown)
        {
            text.Append(CultureInfo.InvariantCulture, $"and {run.Statements.Count - StatementsShown} cheaper ones\n");
        }

        if (run.Blocks.Any(b => b.Statement is null))
        {
            text.Append("\nIn this order:\n");
            int left = BlocksShown;
            foreach (BatchBlock block in run.Blocks)
            {
                Write(block, 1, run.Milliseconds, text, ref left);
            }

            text.Append(left < 0 ? "  ...\n" : "");
        }

        return text.Append('\n').Append(Headline(run)).Append('\n').ToString();
    }

    private static void Write(BatchBlock block, int depth, double whole, StringBuilder text, ref int left)
    {
        if (--left < 0)
        {
            return;
        }

        string share = Figures.Percent(whole > 0 ? block.Milliseconds / whole : 0);
        text.Append(' ', 2 * depth).Append(block.Statement is { } number
            ? $"statement {number}{(block.Times > 1 ? $", {Figures.Count(block.Times)} times" : "")}: {share}"
            : $"loop, {Figures.Count(block.Times)} times: {share}").Append('\n');
        foreach (BatchBlock inner in block.Body)
        {
            Write(inner, depth + 1, whole, text, ref left);
        }
    }
}
