using System.Globalization;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Migrations;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>A rule that all statements, tables and steps have to keep.</summary>
/// <param name="Rule">Which one.</param>
/// <param name="Limit">What is allowed, in the rule's unit; 0 where it has none.</param>
/// <param name="Place">Where it stands.</param>
public sealed record HouseRule(CheckRule Rule, double Limit, SourcePlace Place)
{
    /// <summary>As a file has it.</summary>
    public string Words => Rule.Unit!.Length == 0 ? $"{Rule.Title}: on" : string.Create(CultureInfo.InvariantCulture, $"{Rule.Title}: over {Limit:0.######} {Rule.Unit}");
}

/// <summary>A file of house rules: one a line, on or off with its limit, and exceptions from them.</summary>
/// <param name="Rules">Those that are on, in the order of the file.</param>
/// <param name="Exceptions">From them.</param>
public sealed partial record HouseRules(IReadOnlyList<HouseRule> Rules, IReadOnlyList<CheckException> Exceptions)
{
    public static readonly HouseRules None = new([], []);

    private const string ExceptionKey = "exception", Milliseconds = "ms";

    private static string Known => string.Join(", ", CheckRules.All.Where(r => r.IsHouseRule).Select(r => $"'{r.Title}'"));

    /// <summary>Reads a file.</summary>
    /// <param name="text">A line for each rule: <c>tables read whole: over 10000 rows</c>; <c>#</c> begins a comment line.</param>
    /// <param name="path">As its reader calls it.</param>
    /// <returns>The rules, and what cannot be read.</returns>
    public static (HouseRules Rules, IReadOnlyList<(SourcePlace Place, string Message)> Problems) Read(string text, string path)
    {
        var rules = new List<HouseRule>();
        var exceptions = new List<CheckException>();
        var said = new Dictionary<CheckRule, SourcePlace>();
        var problems = new List<(SourcePlace, string)>();
        string[] lines = text.TrimStart('\uFEFF').ReplaceLineEndings("\n").Split('\n');
        for (int i = 0; i < lines.Length; i++)
        {
            string line = lines[i].Trim();
            var place = new SourcePlace(path, new TextPlace(i + 1, lines[i].Length - lines[i].TrimStart().Length + 1));
            if (line.Length == 0 || line[0] == '#')
            {
                continue;
            }

            int colon = line.IndexOf(':', StringComparison.Ordinal);
            string head = colon < 0 ? line : line[..colon].TrimEnd(), value = colon < 0 ? "" : line[(colon + 1)..].Trim();
            if (colon > 0 && head.Equals(ExceptionKey, StringComparison.OrdinalIgnoreCase))
            {
                (LimitException? exception, string? problem) = LimitException.Read(value, place.Place!.Value, named: true);
                CheckRule? from = exception is null ? null : CheckRules.Named(exception.Limit);
                if (from is not null)
                {
                    exceptions.Add(new(from, exception!.About, exception.Until, exception.Reason, place));
                }
                else
                {
                    problems.Add((place, problem ?? $"'{exception!.Limit}' is no limit that an exception can be from: {CheckException.Known}."));
                }
            }
            else if (CheckRules.Named(head) is not { IsHouseRule: true } rule)
            {
                problems.Add((place, $"'{head}' is no rule of the house: {Known}."));
            }
            else if (said.TryGetValue(rule, out SourcePlace? first))
            {
                problems.Add((place, $"'{rule.Title}' is said already, at {first.Place}."));
            }
            else if (LimitOf(value, rule) is var (on, limit))
            {
                said.Add(rule, place);
                if (on)
                {
                    rules.Add(new(rule, limit, place));
                }
            }
            else
            {
                problems.Add((place, $"'{value}' says neither 'on' nor 'off'{(rule.Unit!.Length > 0 ? $" nor a limit in {rule.Unit}: write '{new HouseRule(rule, rule.Usual, place).Words}'" : $": write '{rule.Title}: on'")}."));
            }
        }

        return (new(rules, exceptions), problems);
    }

    private static (bool On, double Limit)? LimitOf(string value, CheckRule rule)
    {
        if (value.Equals("off", StringComparison.OrdinalIgnoreCase))
        {
            return (false, 0);
        }

        if (value.Equals("on", StringComparison.OrdinalIgnoreCase))
        {
            return (true, rule.Usual);
        }

        Match match = OverForm().Match(value);
        if (!match.Success || rule.Unit!.Length == 0 || WrittenNumber.Read(match.Groups["limit"].Value) is not { } limit)
        {
            return null;
        }

        string unit = match.Groups["unit"].Value;
        return unit.Equals(rule.Unit, StringComparison.OrdinalIgnoreCase) || (rule.Unit != Milliseconds && unit.Equals(rule.Unit.TrimEnd('s'), StringComparison.OrdinalIgnoreCase) && limit == 1) ? (true, limit) : null;
    }

    [GeneratedRegex(@"^over\s+(?<limit>\d[\d_]*(\.\d+)?)\s*(?<unit>[A-Za-z]+)$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex OverForm();
}
