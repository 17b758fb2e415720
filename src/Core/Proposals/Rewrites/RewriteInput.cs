using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>A statement as the rules see it: its tree, what its names stand for, and how pieces of its text are moved.</summary>
/// <param name="Sql">The statement.</param>
/// <param name="Statement">Its tree.</param>
/// <param name="Dialect">Of its engine.</param>
/// <param name="Catalog">Of the subject.</param>
/// <param name="Scopes">Of its queries, outer ones first.</param>
/// <param name="Cases">Values of its parameters, as the workload has them.</param>
public sealed record RewriteInput(
    string Sql, Query Statement, SqlDialect Dialect, Catalog Catalog, IReadOnlyList<QueryScope> Scopes, IReadOnlyList<IReadOnlyDictionary<string, SqlValue>> Cases)
{
    /// <summary>Of its engine.</summary>
    public SqlGrammar Grammar => Dialect.Grammar!;

    /// <summary>The scope of a query within the statement.</summary>
    public QueryScope ScopeOf(Select select) => Scopes.First(s => ReferenceEquals(s.Select, select));

    /// <summary>The column that a name stands for where it stands; null where that is not known.</summary>
    public ResolvedColumn? Resolve(Name name) =>
        Scopes.LastOrDefault(s => (s.Query ?? (SyntaxNode)s.Select).Span!.Value is var span && span.Start <= name.Span!.Value.Start && name.Span.Value.End <= span.End)?.Resolve(name);

    /// <summary>A table as its query knows it; null where it is no source of one.</summary>
    public ScopeSource? SourceOf(TableSource table) => Scopes.SelectMany(s => s.Sources).FirstOrDefault(s => ReferenceEquals(s.Node, table));

    /// <summary>A piece of the statement's text, without its comments, in one line where no literal has several; some names written otherwise.</summary>
    /// <param name="part">Of the statement.</param>
    /// <param name="named">What a name becomes; null for what it is.</param>
    public string Text(SyntaxNode part, Func<Name, string?>? named = null) =>
        Text(part, named is null ? [] : [.. QueryScope.NamesIn(part).Select(n => (n.Span!.Value, named(n))).Where(e => e.Item2 is not null).Select(e => (e.Value, e.Item2!))]);

    /// <summary>The same with pieces in the place of others.</summary>
    /// <param name="part">Of the statement.</param>
    /// <param name="edits">None within another.</param>
    public string Text(SyntaxNode part, IReadOnlyList<(TextSpan Span, string Text)> edits)
    {
        string text = Edited(Sql, edits, part.Span!.Value);
        var plain = new System.Text.StringBuilder();
        bool gap = false;
        foreach (Token token in SqlLexer.Tokenize(text, Dialect))
        {
            if (token.IsTrivia)
            {
                gap = plain.Length > 0;
                continue;
            }

            plain.Append(gap ? " " : "").Append(token.Span.Of(text));
            gap = false;
        }

        return plain.ToString();
    }

    /// <summary>The same where AND stands beside it: in parentheses where it needs them.</summary>
    public string Term(Expression condition, Func<Name, string?>? named = null) => condition is Logical { Operator: "OR" } ? $"({Text(condition, named)})" : Text(condition, named);

    /// <summary>The whole statement with pieces in the place of others; null where the grammar does not take what comes of it.</summary>
    /// <param name="edits">None within another.</param>
    public string? With(params IReadOnlyList<(TextSpan Span, string Text)> edits)
    {
        string sql = Edited(Sql, edits, new(0, Sql.Length));
        return SyntaxTree.Read(sql, Dialect).Statement is Query ? sql : null;
    }

    /// <summary>What AND joins in a condition.</summary>
    public static IReadOnlyList<Expression> Terms(Expression? condition) => Bare(condition) switch
    {
        null => [],
        Logical { Operator: "AND" } and => [.. and.Terms.SelectMany(Terms)],
        var one => [one],
    };

    /// <summary>Without parentheses around it.</summary>
    public static Expression? Bare(Expression? expression)
    {
        while (expression is Enclosed enclosed)
        {
            expression = enclosed.Inner;
        }

        return expression;
    }

    /// <summary>The conditions of a query that all of its rows meet: WHERE, and ON of inner joins.</summary>
    public static IReadOnlyList<Expression> ConditionsOf(Select select) => [.. OnsOf(select.From).SelectMany(Terms), .. Terms(select.Where)];

    private static IEnumerable<Expression?> OnsOf(Source? source) => source switch
    {
        Join { IsOuter: false } join => [.. OnsOf(join.Left), .. OnsOf(join.Right), join.On],
        EnclosedSource enclosed => OnsOf(enclosed.Inner),
        _ => [],
    };

    /// <summary>Whether a query only selects: no groups, no order, no bounds, nothing folded.</summary>
    /// <param name="query">Within the statement.</param>
    /// <param name="select">Its body.</param>
    public static bool IsPlain(Query query, out Select select)
    {
        select = (query.Body as Select)!;
        return query is { With: null, OrderBy.Count: 0, Tail.Count: 0, Body: Select { DistinctOn.Count: 0, GroupBy.Count: 0, Having: null, Windows.Count: 0, From: not null } body }
            && !body.Items.Any(i => Folds(i.Value));
    }

    /// <summary>Whether rows are folded into one, or looked at through a window.</summary>
    public static bool Folds(SyntaxNode node) => node is Call call && (call.Over is not null || call.Filter is not null || call.Within.Count > 0 || Folding.Contains(call.Function.Last))
        || (node is not Query && node.Children.Any(Folds));

    /// <summary>An alias that no source of the statement has.</summary>
    public string FreeAlias(string like)
    {
        var taken = Scopes.SelectMany(s => s.Sources).Select(s => s.Alias).Concat(Catalog.Tables.Select(t => t.Name)).ToHashSet(StringComparer.OrdinalIgnoreCase);
        string alias = like;
        for (int i = 2; taken.Contains(alias); i++)
        {
            alias = $"{like}_{i}";
        }

        return alias;
    }

    private static readonly HashSet<string> Folding = new(StringComparer.OrdinalIgnoreCase)
    {
        "count", "sum", "total", "avg", "min", "max", "group_concat", "string_agg", "array_agg", "json_agg", "jsonb_agg", "json_group_array", "json_group_object", "bool_and", "bool_or", "every",
    };

    private static string Edited(string sql, IReadOnlyList<(TextSpan Span, string Text)> edits, TextSpan of)
    {
        var text = new System.Text.StringBuilder();
        int at = of.Start;
        foreach ((TextSpan span, string with) in edits.OrderBy(e => e.Span.Start))
        {
            text.Append(sql, at, span.Start - at).Append(with);
            at = span.End;
        }

        return text.Append(sql, at, of.End - at).ToString();
    }
}
