using System.Text;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Plans.Comparing;

/// <summary>Whether two plans of other words are the same plan: an alias, an index's name or the case of a name is no part of what is done.</summary>
public static class PlanLikeness
{
    /// <summary>Whether both do the same on the same tables through indexes on the same columns, in the same order.</summary>
    /// <param name="before">With its statement and, where it is known, what its tables have.</param>
    /// <param name="after">Likewise.</param>
    public static bool Alike(PlanSide before, PlanSide after) =>
        before.Plan.Shape == after.Plan.Shape || (before.Plan.Roots.Count > 0 && Canonical(before) == Canonical(after));

    /// <summary>The plan's text with names that mean the same written the same.</summary>
    private static string Canonical(PlanSide side)
    {
        Dictionary<string, string> names = TablesByAlias(side);
        var text = new StringBuilder();
        foreach ((int depth, PlanOperator o) in side.Plan.Lines())
        {
            // An index that holds some rows only, or expressions, is the same under its own name alone: what it holds is not known here.
            if (o.Index is { } index && side.Catalog?.Index(index) is { } found && found.Index is { Partial: false, Valid: true } && !found.Index.Columns.Contains("(expression)"))
            {
                names[index] = $"{found.Table.Name}({string.Join(',', found.Index.Columns)}){(found.Index.Unique ? "!" : "")}";
            }

            text.Append(depth).Append(' ');
            Append(text, OperatorText.WithoutNumbers(o.Text), names);
            text.Append('\n');
        }

        return text.ToString().ToUpperInvariant();
    }

    /// <summary>What each alias stands for: the table, and which of its uses in the statement it is. An alias of several tables stands for itself.</summary>
    private static Dictionary<string, string> TablesByAlias(PlanSide side)
    {
        var names = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        var uses = new Dictionary<string, int>(StringComparer.OrdinalIgnoreCase);
        var several = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        foreach (SourceItem source in side.Outline.Blocks.SelectMany(b => b.Sources).Where(s => s.Name.Length > 0))
        {
            uses[source.Name] = uses.GetValueOrDefault(source.Name) + 1;
            if (!names.TryAdd(source.Alias, $"{source.Name}#{uses[source.Name]}"))
            {
                several.Add(source.Alias);
            }
        }

        foreach (string alias in several)
        {
            names.Remove(alias);
        }

        return names;
    }

    /// <summary>Appends a text word by word, each name in its common form.</summary>
    private static void Append(StringBuilder to, string text, Dictionary<string, string> names)
    {
        int at = 0;
        while (at < text.Length)
        {
            int end = at;
            while (end < text.Length && (char.IsLetterOrDigit(text[end]) || text[end] is '_' or '$'))
            {
                end++;
            }

            if (end == at)
            {
                to.Append(text[at++]);
                continue;
            }

            string word = text[at..end];
            to.Append(names.GetValueOrDefault(word, word));
            at = end;
        }
    }
}
