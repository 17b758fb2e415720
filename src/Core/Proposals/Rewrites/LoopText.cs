using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>A query that runs for each row of a list, as a part of one statement with it: the row's values in the place of parameters, its own names apart from the list's.</summary>
internal sealed class LoopText
{
    private readonly RewriteInput _input;
    private readonly UnitStatement _loop;
    private readonly UnitList _list;
    private readonly Dictionary<ScopeSource, string> _renamed = [];

    private LoopText(RewriteInput input, UnitStatement loop, UnitList list) => (_input, _loop, _list) = (input, loop, list);

    /// <param name="input">The query.</param>
    /// <param name="loop">Where it stands in its unit.</param>
    /// <param name="list">Of whose rows.</param>
    /// <param name="taken">Aliases that are not free; its own are added.</param>
    /// <returns>Null where what it reads is not all known.</returns>
    public static LoopText? Of(RewriteInput input, UnitStatement loop, UnitList list, HashSet<string> taken)
    {
        if (input.Statement is not { With: null, Body: Select select } || select.DistinctOn.Count > 0 || !input.Scopes.All(s => s.IsKnown)
            || !QueryScope.NamesIn(input.Statement).All(n => n.Parts.Count < 3 && (input.Resolve(n) is not null || IsLabel(input, n))))
        {
            return null;
        }

        var text = new LoopText(input, loop, list);
        foreach (ScopeSource source in input.Scopes.SelectMany(s => s.Sources))
        {
            string alias = source.Alias;
            for (int i = 2; taken.Contains(alias); i++)
            {
                alias = $"{source.Alias}_{i}";
            }

            taken.Add(alias);
            text._renamed[source] = alias;
        }

        return text;
    }

    /// <summary>As a left join with the columns that it gives; null where it folds, orders or bounds rows.</summary>
    public (string Join, IReadOnlyList<string> Items)? AsJoin()
    {
        if (_input.Statement is not { OrderBy.Count: 0, Tail.Count: 0, Body: Select { Quantifier: "", GroupBy.Count: 0, Having: null, Windows.Count: 0, From: { } from, Where: { } where } select }
            || select.Items.Any(i => RewriteInput.Folds(i.Value)) || from.Descend().OfType<Join>().Any(j => j.IsComma) || ItemsOf(select) is not { } items)
        {
            return null;
        }

        string source = Text(from);
        return ($"LEFT JOIN {(from is Join ? $"({source})" : source)} ON {Text(where)}", items);
    }

    /// <summary>As a subquery for each of its columns; null where it may give several rows, or has too many columns.</summary>
    public IReadOnlyList<string>? AsSubqueries(int most)
    {
        if (_input.Statement.Body is not Select { Quantifier: "" } select || select.Items.Count > most || select.Items.Any(i => i.Value is AllColumns) || !GivesOneRow(select))
        {
            return null;
        }

        var columns = new List<string>();
        foreach (SelectItem item in select.Items)
        {
            string order = _input.Statement.OrderBy.Count > 0 ? $" ORDER BY {string.Join(", ", _input.Statement.OrderBy.Select(Text))}" : "";
            string tail = string.Concat(_input.Statement.Tail.Select(t => $" {Text(t)}"));
            string where = select.Where is { } condition ? $" WHERE {Text(condition)}" : "";
            columns.Add($"(SELECT {Text(item.Value)} FROM {Text(select.From!)}{where}{order}{tail}){(LabelOf(item) is { } label ? $" AS {label}" : "")}");
        }

        return columns;
    }

    /// <summary>As a query that runs for each row, where the engine has such; null where it has not.</summary>
    public (string Join, string Items)? AsLateral(HashSet<string> taken)
    {
        if (!_input.Grammar.Has(GrammarRules.WideQueries))
        {
            return null;
        }

        string alias = "found";
        for (int i = 2; !taken.Add(alias); i++)
        {
            alias = $"found_{i}";
        }

        return ($"LEFT JOIN LATERAL ({Text(_input.Statement)}) AS {alias} ON TRUE", $"{alias}.*");
    }

    /// <summary>That columns which were held against a value, and now against a column, compare alike.</summary>
    public IEnumerable<RewriteCondition> Types()
    {
        foreach ((Expression one, Expression two) in _input.Statement.Descend().SelectMany(HeldAgainst))
        {
            foreach ((Expression side, Expression other) in new[] { (one, two), (two, one) })
            {
                if (RewriteInput.Bare(side) is Parameter parameter && _list.ColumnFor(_loop, parameter.Key) is { } column && RewriteInput.Bare(other) is Name name && _input.Resolve(name) is { } own)
                {
                    foreach (RewriteCondition condition in _list.TypeCondition(column, own.Source.Table!, own.Column))
                    {
                        yield return condition;
                    }
                }
            }
        }
    }

    /// <summary>What a comparison holds against each other.</summary>
    private static IEnumerable<(Expression One, Expression Two)> HeldAgainst(SyntaxNode node) => node switch
    {
        Binary binary => [(binary.Left, binary.Right)],
        Between between => [(between.Operand, between.Low), (between.Operand, between.High)],
        In { Among: Row row } among => row.Items.Select(i => (among.Operand, i)),
        In among => [(among.Operand, among.Among)],
        _ => [],
    };

    /// <summary>Rows are folded without groups, or all but one are cut off.</summary>
    private bool GivesOneRow(Select select) => select.From is not null && !select.From.Descend().OfType<Join>().Any(j => j.IsComma && select.Where is null)
        && ((select is { GroupBy.Count: 0, Having: null, Windows.Count: 0 } && select.Items.Count > 0 && select.Items.All(i => RewriteInput.Folds(i.Value)) && _input.Statement.Tail.Count == 0 && !select.Items.Any(i => i.Value.Descend().OfType<Call>().Any(c => c.Over is not null)))
            || (select.Items.Count == 1 && _input.Statement.Tail is [Bound { Words: "LIMIT", Skipped: null, Count: Literal { Text: "1" } }]));

    private List<string>? ItemsOf(Select select)
    {
        var items = new List<string>();
        foreach (SelectItem item in select.Items)
        {
            if (item.Value is AllColumns all)
            {
                items.AddRange(_input.ScopeOf(select).Sources.Where(s => all.Of is not Name of || s.Alias.Equals(of.Last, StringComparison.OrdinalIgnoreCase)).Select(s => $"{SqlName.Quoted(_renamed[s])}.*"));
                continue;
            }

            // What is no column is something even for a row that is not there.
            if (item.Value is not Name)
            {
                return null;
            }

            items.Add($"{Text(item.Value)}{(item.Alias is { } alias ? $" AS {alias.Text}" : "")}");
        }

        return items;
    }

    private static string? LabelOf(SelectItem item) => item.Alias?.Text ?? (item.Value as Name)?.Parts[^1].Text ?? (item.Value is Call { Function.Parts: [var function] } ? function.Text : null);

    /// <summary>Whether a name is what the query calls one of its own columns.</summary>
    private static bool IsLabel(RewriteInput input, Name name) =>
        name.Parts.Count == 1 && input.Statement.Body is Select select && select.Items.Any(i => i.Alias?.Value.Equals(name.Last, StringComparison.OrdinalIgnoreCase) == true);

    /// <summary>A piece of the query, in one line.</summary>
    private string Text(SyntaxNode part)
    {
        var edits = new List<(TextSpan Span, string Text)>();
        foreach (SyntaxNode node in part.Descend().Append(part).Distinct())
        {
            if (node is Parameter parameter && _list.ColumnFor(_loop, parameter.Key) is { } column)
            {
                edits.Add((node.Span!.Value, _list.Expression(column)));
            }
            else if (node is TableSource table && _input.SourceOf(table) is { } source && _renamed[source] is var alias && alias != source.Alias)
            {
                edits.Add(table.Alias?.Name is { } name ? (name.Span!.Value, alias) : (new(table.Table.Span!.Value.End, 0), $" AS {SqlName.Quoted(alias)}"));
            }
        }

        foreach (Name name in QueryScope.NamesIn(part))
        {
            if (_input.Resolve(name) is { } resolved && _renamed.TryGetValue(resolved.Source, out string? alias))
            {
                edits.Add((name.Span!.Value, $"{SqlName.Quoted(alias)}.{name.Parts[^1].Text}"));
            }
        }

        return _input.Text(part, edits);
    }
}
