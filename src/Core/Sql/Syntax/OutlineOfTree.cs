namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>Takes the query blocks out of a statement's tree.</summary>
internal static class OutlineOfTree
{
    private static readonly HashSet<string> Aggregates = new(StringComparer.OrdinalIgnoreCase)
    {
        "count", "sum", "total", "avg", "min", "max", "group_concat", "string_agg", "array_agg", "bool_and", "bool_or",
    };

    public static IReadOnlyList<QueryBlock> Read(SyntaxTree tree)
    {
        if (tree.Statement is null)
        {
            return [];
        }

        var blocks = new List<QueryBlock>();
        var alone = new HashSet<SyntaxNode>(ReferenceEqualityComparer.Instance);
        foreach (SyntaxNode node in tree.Statement.Descend())
        {
            switch (node)
            {
                case Query { Body: Select select } query:
                    alone.Add(select);
                    blocks.Add(OfSelect(tree.Sql, select, query));
                    break;
                case Select select when !alone.Contains(select):
                    blocks.Add(OfSelect(tree.Sql, select, null));
                    break;
                case Update update:
                    blocks.Add(OfWrite(update, update.With, [update.Table, .. update.From is { } from ? [from] : Array.Empty<Source>()], update.Where));
                    break;
                case Delete delete:
                    blocks.Add(OfWrite(delete, delete.With, [delete.Table, .. delete.Using is { } read ? [read] : Array.Empty<Source>()], delete.Where));
                    break;
            }
        }

        return [.. blocks.OrderBy(b => b.Span.Start)];
    }

    private static QueryBlock OfSelect(string sql, Select select, Query? query)
    {
        var sources = new List<SourceItem>();
        var conditions = new List<SqlCondition>();
        AddSource(select.From, sources, conditions);
        AddConditions(select.Where, conditions);
        IReadOnlyList<OrderTerm> order = query?.OrderBy ?? [];
        List<Bound> bounds = [.. query?.Tail.OfType<Bound>() ?? []];
        Expression? skipped = bounds.Select(b => b.Words == "OFFSET" ? b.Count : b.Skipped).FirstOrDefault(e => e is not null);
        bool aggregates = select.GroupBy.Count > 0 || select.Having is not null || select.Items.Any(FoldsRows);
        var span = TextSpan.Between(select.Span!.Value.Start, (query ?? (SyntaxNode)select).Span!.Value.End);
        return new(
            span, sources, conditions, select.Quantifier == "DISTINCT", aggregates, order.Count == 0 ? null : WithWords(sql, select, order),
            skipped is Literal or Parameter ? TextOf(skipped) : "", bounds.Any(b => b.Words is not ("OFFSET" or "LIMIT ALL")))
        {
            PlainList = select.DistinctOn.Count > 0 ? [] : [.. select.Items.Select(i => i.Value).OfType<Name>().Select(UseOf)],
            PlainOrder = order.All(t => t.Value is Name) ? [.. order.Select(t => ((Name)t.Value).Last)] : null,
            Syntax = select,
            Query = query,
        };
    }

    private static QueryBlock OfWrite(Statement statement, With? with, IReadOnlyList<Source> read, Expression? where)
    {
        var sources = new List<SourceItem>();
        var conditions = new List<SqlCondition>();
        foreach (Source source in read)
        {
            AddSource(source, sources, conditions);
        }

        AddConditions(where, conditions);
        int start = with is null ? statement.Span!.Value.Start : Behind(statement.ReadFrom!, with.Span!.Value.End);
        return new(TextSpan.Between(start, statement.Span!.Value.End), sources, conditions, false, false, null, "", false);
    }

    /// <summary>Where the next word begins.</summary>
    private static int Behind(string text, int at)
    {
        while (at < text.Length && char.IsWhiteSpace(text[at]))
        {
            at++;
        }

        return at;
    }

    /// <summary>The terms of an ORDER BY with its words, which stand behind all of the query.</summary>
    private static TextSpan WithWords(string sql, Select select, IReadOnlyList<OrderTerm> order)
    {
        int first = order[0].Span!.Value.Start;
        int words = sql.LastIndexOf("ORDER", first - 1, first - select.Span!.Value.End, StringComparison.OrdinalIgnoreCase);
        return TextSpan.Between(words < 0 ? first : words, order[^1].Span!.Value.End);
    }

    /// <summary>Whether an aggregate stands in it; one over a window folds nothing.</summary>
    internal static bool FoldsRows(SyntaxNode node) =>
        node is Call { Over: null } call && (Aggregates.Contains(call.Function.Last) || call.Filter is not null || call.Within.Count > 0)
        || (node is not Query && node.Children.Any(FoldsRows));

    private static void AddSource(Source? source, List<SourceItem> sources, List<SqlCondition> conditions)
    {
        switch (source)
        {
            case TableSource table:
                sources.Add(Item(table, table.Table.Last, table.Alias, table.Alias ?? (SyntaxNode)table.Table) with { Schema = table.Table.Parts.Count > 1 ? table.Table.Qualifier : null });
                break;
            case FunctionSource { Function: Call call } function:
                sources.Add(Item(function, call.Function.Last, function.Alias, function));
                break;
            case FunctionSource { Function: Opaque opaque } function:
                sources.Add(Item(function, opaque.Construct, function.Alias, function));
                break;
            case FunctionSource function:
                sources.Add(Item(function, "", function.Alias, function));
                break;
            case DerivedTable derived:
                sources.Add(Item(derived, "", derived.Alias, derived));
                break;
            case EnclosedSource enclosed:
                AddSource(enclosed.Inner, sources, conditions);
                break;
            case Join join:
                AddSource(join.Left, sources, conditions);
                AddSource(join.Right, sources, conditions);
                AddConditions(join.On, conditions);
                break;
        }
    }

    private static SourceItem Item(Source source, string name, Alias? alias, SyntaxNode last) =>
        new(name, alias?.Name?.Value ?? name, TextSpan.Between(source.Span!.Value.Start, last.Span!.Value.End));

    private static void AddConditions(Expression? condition, List<SqlCondition> conditions)
    {
        condition = Inner(condition);
        if (condition is Logical { Operator: "AND" } and)
        {
            foreach (Expression term in and.Terms)
            {
                AddConditions(term, conditions);
            }
        }
        else if (condition is not null)
        {
            conditions.Add(Condition(condition));
        }
    }

    private static Expression? Inner(Expression? expression)
    {
        while (expression is Enclosed enclosed)
        {
            expression = enclosed.Inner;
        }

        return expression;
    }

    private static SqlCondition Condition(Expression condition)
    {
        List<ColumnUse> columns = Columns(condition);
        bool subquery = condition.Descend().Any(n => n is Query);
        string collation = condition.Descend().OfType<Collated>().FirstOrDefault()?.Collation.Parts[^1].Text ?? "";
        (string sign, Expression? left, Expression? right) = condition switch
        {
            Binary { Operator: "=" or "==" or "<" or ">" or "<=" or ">=" or "<>" or "!=" } b => (b.Operator, b.Left, b.Right),
            Binary b when b.Operator.StartsWith("IS", StringComparison.Ordinal) => ("IS", b.Left, b.Right),
            Quantified q => (q.Operator, q.Left, q.Among),
            Test t when t.Words.StartsWith("IS ", StringComparison.Ordinal) => ("IS", t.Operand, null),
            Match m => (m.Not ? "NOT " + m.Operator : m.Operator, m.Operand, m.Pattern),
            In i => (i.Not ? "NOT IN" : "IN", i.Operand, i.Among),
            Between b => (b.Not ? "NOT BETWEEN" : "BETWEEN", b.Operand, null),
            Logical => ("OR", null, null),
            _ => ("", condition, null),
        };
        ConditionSide rightSide = condition is Between between ? new([.. Columns(between.Low), .. Columns(between.High)], "", "") : Side(right);
        IReadOnlyList<IReadOnlyList<ColumnUse>> alternatives = condition is Logical or ? [.. or.Terms.Select(t => (IReadOnlyList<ColumnUse>)Columns(t))] : [];
        return new(condition.Span!.Value, sign, columns, Side(left), rightSide, subquery, collation, alternatives) { Syntax = condition };
    }

    private static ConditionSide Side(Expression? side)
    {
        side = Inner(side);
        if (side is null)
        {
            return new([], "", "");
        }

        List<ColumnUse> columns = Columns(side);
        return columns.Count > 0 ? new(columns, Wrapping(side), "")
            : new(columns, "", side is Literal or Parameter ? TextOf(side) : side is Row { Items: [Literal or Parameter] } row ? TextOf(row.Items[0]) : "");
    }

    /// <summary>What keeps a column from standing alone: the function or operator that is written first.</summary>
    private static string Wrapping(Expression side)
    {
        (int At, string What) first = (int.MaxValue, "");
        foreach (SyntaxNode node in Within(side))
        {
            (int, string) found = node switch
            {
                Call call when Columns(call).Count > 0 => (call.Function.Span!.Value.End, call.Function.Parts[^1].Text),
                WordedCall call when Columns(call).Count > 0 => (call.Function.Span!.Value.End, call.Function.Text),
                Cast { Short: false } cast when Columns(cast).Count > 0 => (cast.Span!.Value.Start, "CAST"),
                Binary { Operator: "+" or "-" or "*" or "/" or "%" or "||" or "&" or "|" } b => (b.Left.Span!.Value.End, b.Operator),
                Unary { Operator: "-" or "+" } u => (u.Span!.Value.Start, u.Operator),
                _ => (int.MaxValue, ""),
            };
            first = found.Item1 < first.At ? found : first;
        }

        return first.What;
    }

    /// <summary>A node and what it consists of, queries within it aside.</summary>
    private static IEnumerable<SyntaxNode> Within(SyntaxNode node)
    {
        var open = new Stack<SyntaxNode>([node]);
        while (open.TryPop(out SyntaxNode? next))
        {
            yield return next;
            IReadOnlyList<SyntaxNode> parts = next.Children;
            for (int i = parts.Count - 1; i >= 0; i--)
            {
                if (parts[i] is not Query && !IsNoColumn(next, parts[i]))
                {
                    open.Push(parts[i]);
                }
            }
        }
    }

    /// <summary>Whether a name is that of a function, a collation or a table.</summary>
    private static bool IsNoColumn(SyntaxNode of, SyntaxNode part) => part is Name && (of switch
    {
        Call call => ReferenceEquals(call.Function, part),
        Collated collated => ReferenceEquals(collated.Collation, part),
        In among => ReferenceEquals(among.Among, part),
        AllColumns => true,
        _ => false,
    });

    private static List<ColumnUse> Columns(SyntaxNode node) => [.. Within(node).OfType<Name>().Select(UseOf)];

    private static ColumnUse UseOf(Name name) => new(name.Qualifier, name.Last, name.Span!.Value);

    private static string TextOf(SyntaxNode node) => node is Literal literal ? literal.Text : ((Parameter)node).Text;
}
