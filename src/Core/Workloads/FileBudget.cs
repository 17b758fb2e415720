using System.Globalization;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>What a budget of a whole file limits.</summary>
public enum FileBudgetKind
{
    /// <summary>Work x calls of all statements.</summary>
    Bill,

    /// <summary>Work x calls of those that write.</summary>
    Writes,

    /// <summary>Room that all indexes take.</summary>
    Indexes,
}

/// <summary>A limit for all statements of a workload together.</summary>
/// <param name="Kind">What it limits.</param>
/// <param name="Limit">Of bill and writes, by how much they may become dearer, as a fraction; of indexes, MB of 1,000,000 bytes.</param>
/// <param name="Place">Where it stands in the workload file.</param>
public sealed partial record FileBudget(FileBudgetKind Kind, double Limit, TextPlace Place)
{
    private const string Forms = "'bill at most 5 % dearer', 'writes at most 10 % dearer' or 'indexes <= 200 MB'";

    /// <summary>As a file has it.</summary>
    public string Words => string.Create(CultureInfo.InvariantCulture, $"{Kind switch { FileBudgetKind.Bill => "bill at most", FileBudgetKind.Writes => "writes at most", _ => "indexes <=" }} {(Kind == FileBudgetKind.Indexes ? Limit : Limit * 100):0.######} {(Kind == FileBudgetKind.Indexes ? "MB" : "% dearer")}");

    /// <summary>The budgets of a file, wherever they stand.</summary>
    /// <param name="text">The whole file.</param>
    /// <param name="directives">Of all of it.</param>
    /// <param name="problems">Gets what cannot be read, or is said twice.</param>
    internal static IReadOnlyList<FileBudget> Read(string text, IEnumerable<Directive> directives, List<InputProblem> problems)
    {
        var found = new List<FileBudget>();
        foreach (Directive directive in directives)
        {
            TextSpan where = directive.ValueSpan.Length > 0 ? directive.ValueSpan : directive.Span;
            Match match = DearerForm().Match(directive.Value);
            match = match.Success ? match : RoomForm().Match(directive.Value);
            if (!match.Success || WrittenNumber.Read(match.Groups["limit"].Value) is not { } limit)
            {
                problems.Add(InputProblem.At(InputPart.Workload, text, where, $"'{directive.Value}' is no budget for all statements: write {Forms}."));
                continue;
            }

            var budget = match.Groups["what"].Value.ToLowerInvariant() switch
            {
                "bill" => new FileBudget(FileBudgetKind.Bill, limit / 100, TextPlace.At(text, where.Start)),
                "writes" => new FileBudget(FileBudgetKind.Writes, limit / 100, TextPlace.At(text, where.Start)),
                _ => new FileBudget(FileBudgetKind.Indexes, limit * (match.Groups["unit"].Value.Equals("GB", StringComparison.OrdinalIgnoreCase) ? 1_000 : 1), TextPlace.At(text, where.Start)),
            };
            if (found.Find(b => b.Kind == budget.Kind) is { } other)
            {
                problems.Add(InputProblem.At(InputPart.Workload, text, where, $"This file has this budget already, at {other.Place}: '{other.Words}'."));
            }
            else
            {
                found.Add(budget);
            }
        }

        return found;
    }

    [GeneratedRegex(@"^(?<what>bill|writes)\s+at\s+most\s+(?<limit>\d[\d_]*(\.\d+)?)\s*%\s+dearer$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex DearerForm();

    [GeneratedRegex(@"^(?<what>indexes)\s*<=\s*(?<limit>\d[\d_]*(\.\d+)?)\s*(?<unit>MB|GB)$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex RoomForm();
}
