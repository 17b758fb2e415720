using System.Text.RegularExpressions;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>Reads the text form of EXPLAIN and auto_explain into the fields that the other forms have.</summary>
/// <remarks>PostgreSQL manual, 14.1 "Using EXPLAIN", and src/backend/commands/explain.c, which writes both.</remarks>
internal static partial class PostgresText
{
    private static readonly string[] Measures = ["  (cost=", "  (actual ", "  (never executed)"];

    private static readonly Dictionary<string, (string Hash, string Aggregate, string Memoize)> Renamed = new(StringComparer.Ordinal)
    {
        ["Buckets"] = ("Hash Buckets", "Hash Buckets", "Buckets"),
        ["Batches"] = ("Hash Batches", "HashAgg Batches", "Batches"),
        ["Memory Usage"] = ("Peak Memory Usage", "Peak Memory Usage", "Peak Memory Usage"),
        ["Hits"] = ("Hits", "Hits", "Cache Hits"),
        ["Misses"] = ("Misses", "Misses", "Cache Misses"),
        ["Evictions"] = ("Evictions", "Evictions", "Cache Evictions"),
        ["Overflows"] = ("Overflows", "Overflows", "Cache Overflows"),
    };

    /// <returns>Null where no line is an operator.</returns>
    public static PostgresNode? Read(string text)
    {
        var statement = new PostgresNode();
        var above = new Stack<(int Column, PostgresNode Node)>();
        PostgresNode? last = null;
        string subplan = "", section = "";
        int margin = 0, worker = int.MaxValue;
        foreach (string line in Whole(text.Split('\n')))
        {
            string trimmed = line.Trim();
            int measures = MeasuresIn(line);
            int arrow = line.IndexOf("->  ", StringComparison.Ordinal);
            bool below = arrow >= 0 && string.IsNullOrWhiteSpace(line[..arrow]);
            if (below || (measures > 0 && last is null))
            {
                int column = below ? arrow : -1;
                var node = new PostgresNode { Words = (measures < 0 ? line : line[..measures])[(below ? arrow + 4 : 0)..].Trim() };
                ReadMeasures(line, node);
                while (above.TryPeek(out (int Column, PostgresNode Node) top) && top.Column >= column)
                {
                    above.Pop();
                }

                if (above.TryPeek(out (int Column, PostgresNode Node) parent))
                {
                    parent.Node.Add("Plans", node);
                }
                else
                {
                    statement.Add("Plan", node);
                }

                if (subplan.Length > 0)
                {
                    node.Set("Subplan Name", subplan);
                    node.Set("Parent Relationship", subplan.StartsWith("SubPlan", StringComparison.Ordinal) ? "SubPlan" : "InitPlan");
                    subplan = "";
                }

                above.Push((column, node));
                worker = int.MaxValue;
                margin = last is null ? line.Length - line.TrimStart().Length : margin;
                last = node;
            }
            else if (last is not null && SubplanName().IsMatch(trimmed))
            {
                subplan = trimmed;
            }
            else if (last is not null && line.Length - line.TrimStart().Length is var column && (column > worker || WorkerOf().IsMatch(trimmed)))
            {
                // What one parallel process did is in its operator's own numbers already.
                worker = Math.Min(worker, column);
            }
            else if (last is not null)
            {
                worker = int.MaxValue;

                // What stands as far left as the outermost operator is about the statement, and so is what stands in below it.
                bool whole = line.Length - line.TrimStart().Length <= margin;
                section = whole ? (trimmed.EndsWith(':') ? trimmed : "") : section;
                ReadField(trimmed, whole || section.Length > 0 ? statement : last, section);
            }
        }

        return last is null ? null : statement;
    }

    /// <summary>Lines as they were before a line break within quotes parted them: a literal or a name may hold one, and whatever else looks like a plan.</summary>
    private static IEnumerable<string> Whole(string[] lines)
    {
        bool plan = false;
        for (int i = 0; i < lines.Length; i++)
        {
            string line = lines[i];
            plan |= MeasuresIn(line) > 0;
            int next = i;
            while (plan && EndsWithinQuotes(line) && next + 1 < lines.Length)
            {
                line += "\n" + lines[++next];
            }

            // What is never closed is no quote.
            bool closed = !EndsWithinQuotes(line);
            i = closed ? next : i;
            yield return closed ? line : lines[i];
        }
    }

    private static bool EndsWithinQuotes(string line)
    {
        char open = '\0';
        foreach (char c in line)
        {
            open = open == '\0' && c is '\'' or '"' ? c : c == open ? '\0' : open;
        }

        return open != '\0';
    }

    /// <summary>Where the measures of an operator begin, outside of all quotes; -1 where there are none.</summary>
    private static int MeasuresIn(string line)
    {
        foreach (int at in Measures.Select(m => line.LastIndexOf(m, StringComparison.Ordinal)).Where(m => m >= 0).Order())
        {
            if (!EndsWithinQuotes(line[..at]))
            {
                return at;
            }
        }

        return -1;
    }

    private static void ReadMeasures(string line, PostgresNode node)
    {
        line = line[Math.Max(0, MeasuresIn(line))..];
        if (Estimated().Match(line) is { Success: true } estimated)
        {
            node.Set("Startup Cost", estimated.Groups[1].Value);
            node.Set("Total Cost", estimated.Groups[2].Value);
            node.Set("Plan Rows", estimated.Groups[3].Value);
            node.Set("Plan Width", estimated.Groups[4].Value);
        }

        if (Actual().Match(line) is { Success: true } actual)
        {
            node.Set("Actual Total Time", actual.Groups[1].Value);
            node.Set("Actual Rows", actual.Groups[2].Value);
            node.Set("Actual Loops", actual.Groups[3].Value);
        }
        else if (line.Contains("(never executed)", StringComparison.Ordinal))
        {
            node.Set("Actual Total Time", "0");
            node.Set("Actual Rows", "0");
            node.Set("Actual Loops", "0");
        }
    }

    private static void ReadField(string line, PostgresNode node, string section)
    {
        if (Trigger().Match(line) is { Success: true } trigger)
        {
            var called = new PostgresNode();
            called.Set("Trigger Name", trigger.Groups[1].Value);
            called.Set("Time", trigger.Groups[2].Value);
            called.Set("Calls", trigger.Groups[3].Value);
            node.Add("Triggers", called);
        }
        else if (line.StartsWith("Buffers: ", StringComparison.Ordinal))
        {
            if (section.Length == 0)
            {
                ReadBuffers(line, node);
            }
        }
        else if (line.StartsWith("WAL: ", StringComparison.Ordinal))
        {
            foreach (Match m in Pair().Matches(line))
            {
                node.Set(m.Groups[1].Value switch { "records" => "WAL Records", "fpi" => "WAL FPI", _ => "WAL Bytes" }, m.Groups[2].Value);
            }
        }
        else if (line.StartsWith("Heap Blocks: ", StringComparison.Ordinal))
        {
            foreach (Match m in Pair().Matches(line))
            {
                node.Set(m.Groups[1].Value == "exact" ? "Exact Heap Blocks" : "Lossy Heap Blocks", m.Groups[2].Value);
            }
        }
        else if (SortMethod().Match(line) is { Success: true } sort)
        {
            node.Set("Sort Method", sort.Groups[1].Value);
            node.Set("Sort Space Type", sort.Groups[2].Value);
            node.Set("Sort Space Used", sort.Groups[3].Value);
        }
        else if (section == "JIT:" && line.StartsWith("Timing: ", StringComparison.Ordinal))
        {
            if (Total().Match(line) is { Success: true } total)
            {
                node.Set("JIT Time", total.Groups[1].Value);
            }
        }
        else if (CountsOfMemory().IsMatch(line))
        {
            foreach (Match m in Counted().Matches(line))
            {
                node.Set(FullName(m.Groups[1].Value, node.Words ?? ""), m.Groups[2].Value);
                if (m.Groups[3].Success && m.Groups[1].Value == "Batches")
                {
                    node.Set("Original Hash Batches", m.Groups[3].Value);
                }
            }
        }
        else if (Named().Match(line) is { Success: true } named)
        {
            string name = named.Groups[1].Value, value = named.Groups[2].Value;
            node.Set(section == "JIT:" ? $"JIT {name}" : name, name is "Planning Time" or "Execution Time" ? value.Replace(" ms", "", StringComparison.Ordinal) : value);
        }
    }

    private static string FullName(string name, string words)
    {
        if (!Renamed.TryGetValue(name, out (string Hash, string Aggregate, string Memoize) full))
        {
            return name;
        }

        return words.Contains("Aggregate", StringComparison.Ordinal) || words.Contains("SetOp", StringComparison.Ordinal) ? full.Aggregate
            : words.StartsWith("Memoize", StringComparison.Ordinal) ? full.Memoize : full.Hash;
    }

    private static void ReadBuffers(string line, PostgresNode node)
    {
        foreach (string part in line["Buffers: ".Length..].Split(", "))
        {
            string where = part.Split(' ')[0];
            string name = where switch { "shared" => "Shared", "local" => "Local", "temp" => "Temp", _ => "" };
            foreach (Match m in Pair().Matches(name.Length > 0 ? part : ""))
            {
                string what = m.Groups[1].Value switch { "hit" => "Hit", "read" => "Read", "dirtied" => "Dirtied", _ => "Written" };
                node.Set($"{name} {what} Blocks", m.Groups[2].Value);
            }
        }
    }

    [GeneratedRegex(@"^Worker \d+:", RegexOptions.CultureInvariant)]
    private static partial Regex WorkerOf();

    [GeneratedRegex(@"^(?:InitPlan|SubPlan|CTE) \S.*$", RegexOptions.CultureInvariant)]
    private static partial Regex SubplanName();

    [GeneratedRegex(@"\(cost=(\d+(?:\.\d+)?)\.\.(\d+(?:\.\d+)?) rows=(\d+) width=(\d+)", RegexOptions.CultureInvariant)]
    private static partial Regex Estimated();

    [GeneratedRegex(@"\(actual (?:time=[\d.]+?\.\.([\d.]+) )?rows=([\d.]+) loops=(\d+)", RegexOptions.CultureInvariant)]
    private static partial Regex Actual();

    [GeneratedRegex(@"^Trigger (.+): time=([\d.]+) calls=(\d+)", RegexOptions.CultureInvariant)]
    private static partial Regex Trigger();

    [GeneratedRegex(@"(\w+)=(\d+)", RegexOptions.CultureInvariant)]
    private static partial Regex Pair();

    [GeneratedRegex(@"^Sort Method: (.+?)  (Memory|Disk): (\d+)kB", RegexOptions.CultureInvariant)]
    private static partial Regex SortMethod();

    [GeneratedRegex(@"Total ([\d.]+) ms", RegexOptions.CultureInvariant)]
    private static partial Regex Total();

    [GeneratedRegex(@"^(?:Buckets|Batches|Hits): \d+", RegexOptions.CultureInvariant)]
    private static partial Regex CountsOfMemory();

    [GeneratedRegex(@"([A-Z][A-Za-z]*(?: [A-Z][a-z]+)?): (\d+)(?: \(originally (\d+)\))?", RegexOptions.CultureInvariant)]
    private static partial Regex Counted();

    [GeneratedRegex(@"^([A-Z][\w/-]*(?: [\w/-]+){0,5}): (.*)$", RegexOptions.CultureInvariant | RegexOptions.Singleline)]
    private static partial Regex Named();
}
