using System.Text.Json;

namespace SwiftLedger.Core.Plans;

/// <summary>Reads PostgreSQL's plans, in the text and the JSON form of EXPLAIN and auto_explain, to the same operators.</summary>
/// <remarks>PostgreSQL manual, 14.1 "Using EXPLAIN", and F.3 "auto_explain". The words for each node are those of the text form.</remarks>
public static class PostgresPlanText
{
    /// <summary>Levels of JSON: an operator takes two.</summary>
    internal const int DeepestJson = 2_000;

    private static readonly string[] Measures = ["  (cost=", "  (actual ", "  (never executed)"];

    /// <returns>Null where it is no plan of PostgreSQL.</returns>
    public static Plan? Read(string text)
    {
        string trimmed = text.TrimStart();
        return trimmed.StartsWith('{') || trimmed.StartsWith('[') ? ReadJson(trimmed) : ReadText(text);
    }

    private static Plan? ReadText(string text)
    {
        // Children are known only once the next operator stands further left: built from the last line up.
        List<(int Column, string Words, PostgresMeasures Measures)> lines = OperatorLines(text);
        if (lines.Count == 0)
        {
            return null;
        }

        var measures = new Dictionary<PlanOperator, PostgresMeasures>(ReferenceEqualityComparer.Instance);
        var open = new Stack<(int Column, PlanOperator Operator)>();
        for (int i = lines.Count - 1; i >= 0; i--)
        {
            var children = new List<PlanOperator>();
            while (open.TryPeek(out (int Column, PlanOperator Operator) below) && below.Column > lines[i].Column)
            {
                children.Add(open.Pop().Operator);
            }

            PlanOperator o = OperatorOf(lines[i].Words, children);
            measures[o] = lines[i].Measures;
            open.Push((lines[i].Column, o));
        }

        return PostgresMeasures.Onto(new(open.Select(o => o.Operator).ToList()), measures);
    }

    private static List<(int Column, string Words, PostgresMeasures Measures)> OperatorLines(string text)
    {
        var lines = new List<(int, string, PostgresMeasures Measures)>();
        foreach (string line in text.Split('\n'))
        {
            int measures = Measures.Select(m => line.IndexOf(m, StringComparison.Ordinal)).Where(m => m >= 0).DefaultIfEmpty(-1).Min();
            int arrow = line.IndexOf("->  ", StringComparison.Ordinal);
            if (arrow >= 0 && string.IsNullOrWhiteSpace(line[..arrow]))
            {
                lines.Add((arrow, (measures < 0 ? line : line[..measures])[(arrow + 4)..].Trim(), PostgresMeasures.OfText(line)));
            }
            else if (measures > 0 && lines.Count == 0)
            {
                lines.Add((-1, line[..measures].Trim(), PostgresMeasures.OfText(line)));
            }
            else if (lines.Count > 0)
            {
                lines[^1].Measures.Read(line);
            }
        }

        return lines;
    }

    private static Plan? ReadJson(string text)
    {
        try
        {
            using JsonDocument document = JsonDocument.Parse(text, new JsonDocumentOptions { MaxDepth = DeepestJson });
            JsonElement root = document.RootElement.ValueKind == JsonValueKind.Array && document.RootElement.GetArrayLength() > 0
                ? document.RootElement[0] : document.RootElement;
            return root.ValueKind == JsonValueKind.Object && root.TryGetProperty("Plan", out JsonElement plan) && plan.ValueKind == JsonValueKind.Object
                ? OfJson(plan)
                : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private static Plan OfJson(JsonElement root)
    {
        var measures = new Dictionary<PlanOperator, PostgresMeasures>(ReferenceEqualityComparer.Instance);
        return PostgresMeasures.Onto(new([OfJson(root, measures)]), measures);
    }

    private static PlanOperator OfJson(JsonElement node, Dictionary<PlanOperator, PostgresMeasures> measures)
    {
        var children = new List<PlanOperator>();
        if (node.TryGetProperty("Plans", out JsonElement plans) && plans.ValueKind == JsonValueKind.Array)
        {
            children.AddRange(plans.EnumerateArray().Where(p => p.ValueKind == JsonValueKind.Object).Select(p => OfJson(p, measures)));
        }

        PlanOperator o = OperatorOf(WordsOf(node), children);
        measures[o] = PostgresMeasures.OfJson(node);
        return o;
    }

    /// <summary>A node in the words of the text form: src/backend/commands/explain.c, ExplainNode.</summary>
    private static string WordsOf(JsonElement node)
    {
        string Field(string name) => node.TryGetProperty(name, out JsonElement value) && value.ValueKind == JsonValueKind.String ? value.GetString()! : "";
        string type = Field("Node Type");
        string join = Field("Join Type");
        string words = type switch
        {
            "Nested Loop" => "Nested Loop" + (join is "" or "Inner" ? "" : $" {join} Join"),
            "Hash Join" => join is "" or "Inner" ? "Hash Join" : $"Hash {join} Join",
            "Merge Join" => join is "" or "Inner" ? "Merge Join" : $"Merge {join} Join",
            "Aggregate" => Field("Strategy") switch { "Hashed" => "HashAggregate", "Sorted" => "GroupAggregate", "Mixed" => "MixedAggregate", _ => "Aggregate" },
            "SetOp" => (Field("Strategy") == "Hashed" ? "HashSetOp" : "SetOp") + (Field("Command") is { Length: > 0 } command ? $" {command}" : ""),
            "ModifyTable" => Field("Operation"),
            _ => type,
        };
        string partial = Field("Partial Mode");
        words = (partial is "Partial" or "Finalize" ? partial + " " : "") + words;
        words = node.TryGetProperty("Parallel Aware", out JsonElement parallel) && parallel.ValueKind == JsonValueKind.True ? "Parallel " + words : words;
        words += Field("Scan Direction") == "Backward" ? " Backward" : "";

        string index = Field("Index Name"), relation = Field("Relation Name"), alias = Field("Alias");
        string target = relation.Length > 0 ? relation : Field("CTE Name") is { Length: > 0 } cte ? cte : Field("Function Name");
        if (type == "Bitmap Index Scan")
        {
            return $"{words} on {index}";
        }

        words += index.Length > 0 ? $" using {index}" : "";
        target = target.Length > 0 ? target + (alias.Length > 0 && alias != target ? " " + alias : "") : alias;
        return target.Length > 0 ? $"{words} on {target}" : words;
    }

    private static PlanOperator OperatorOf(string words, IReadOnlyList<PlanOperator> children)
    {
        string? Behind(string mark)
        {
            int at = words.IndexOf(mark, StringComparison.Ordinal);
            return at < 0 ? null : words[(at + mark.Length)..].Split(' ')[0];
        }

        bool bitmapIndex = words.Contains("Bitmap Index Scan", StringComparison.Ordinal);
        string? on = Behind(" on ");
        string? index = bitmapIndex ? on : Behind(" using ");
        OperatorKind kind = words.Contains("Scan", StringComparison.Ordinal)
                ? words.Contains("Subquery Scan", StringComparison.Ordinal) ? OperatorKind.Subquery
                : index is not null || words.Contains("Bitmap Heap", StringComparison.Ordinal) ? OperatorKind.Search : OperatorKind.Scan
            : words.Contains("Sort", StringComparison.Ordinal) ? OperatorKind.Sort
            : words.Contains("Aggregate", StringComparison.Ordinal) || words == "Group" ? OperatorKind.Group
            : words is "Append" or "Merge Append" or "Recursive Union" || words.Contains("SetOp", StringComparison.Ordinal) ? OperatorKind.Compound
            : OperatorKind.Other;
        return new(kind, words, bitmapIndex ? null : on, index, null, words.Contains("Index Only", StringComparison.Ordinal), children);
    }
}
