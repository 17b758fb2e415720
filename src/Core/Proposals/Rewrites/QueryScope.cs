using System.Runtime.CompilerServices;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>Something that a query reads.</summary>
/// <param name="Node">Where it stands.</param>
/// <param name="Alias">What the query calls it.</param>
/// <param name="Table">Null where it is no table of the catalogue: a view, a query, a function.</param>
/// <param name="MayBeMissing">Whether an outer join may leave all of its columns NULL.</param>
public sealed record ScopeSource(Source Node, string Alias, CatalogTable? Table, bool MayBeMissing)
{
    /// <summary>Two are the same where they stand at the same place, however alike.</summary>
    public bool Equals(ScopeSource? other) => ReferenceEquals(this, other);

    public override int GetHashCode() => RuntimeHelpers.GetHashCode(this);
}

/// <summary>A column that a name stands for.</summary>
/// <param name="Scope">Of the query whose source it is.</param>
/// <param name="Source">Of that query.</param>
/// <param name="Column">Of its table.</param>
public sealed record ResolvedColumn(QueryScope Scope, ScopeSource Source, CatalogColumn Column)
{
    /// <summary>Whether it can hold no NULL where the name stands.</summary>
    public bool IsNeverNull => !Source.MayBeMissing && Source.Table!.IsNeverNull(Column);

    /// <summary>Whether values of both are equal only where they are the same: between types, an engine may take several texts for one number.</summary>
    /// <param name="other">What it is held against.</param>
    public bool ComparesAlike(ResolvedColumn other)
    {
        static string Kind(string type) => type.Contains("int", StringComparison.OrdinalIgnoreCase) && !type.Contains("interval", StringComparison.OrdinalIgnoreCase) && !type.Contains("point", StringComparison.OrdinalIgnoreCase) ? "int" : type;
        return Kind(Column.Type).Equals(Kind(other.Column.Type), StringComparison.OrdinalIgnoreCase);
    }

    /// <summary>As a query around or within would have to write it.</summary>
    public string Qualified => $"{SqlName.Quoted(Source.Alias)}.{SqlName.Quoted(Column.Name)}";
}

/// <summary>What the names in a query stand for. Where a source is no table of the catalogue, a name without a qualifier might be its own: then it stands for nothing here.</summary>
/// <param name="Select">The query.</param>
/// <param name="Query">With its order; null where it is a member of a set operation.</param>
/// <param name="Outer">The scope around it; null at the top.</param>
/// <param name="Sources">In the order in which they stand.</param>
public sealed record QueryScope(Select Select, Query? Query, QueryScope? Outer, IReadOnlyList<ScopeSource> Sources)
{
    /// <summary>Two are the same where they stand at the same place, however alike.</summary>
    public bool Equals(QueryScope? other) => ReferenceEquals(this, other);

    public override int GetHashCode() => RuntimeHelpers.GetHashCode(this);

    /// <summary>Whether all that it reads is known.</summary>
    public bool IsKnown => Sources.Count > 0 && Sources.All(s => s.Table is not null);

    /// <summary>The column that a name stands for, also of a query around it; null where that is not known.</summary>
    public ResolvedColumn? Resolve(Name name)
    {
        if (name.Parts.Count > 2)
        {
            return null;
        }

        for (QueryScope? scope = this; scope is not null; scope = scope.Outer)
        {
            if (name.Qualifier.Length > 0)
            {
                if (scope.Sources.FirstOrDefault(s => s.Alias.Equals(name.Qualifier, StringComparison.OrdinalIgnoreCase)) is { } meant)
                {
                    return meant.Table?.Column(name.Last) is { } column ? new(scope, meant, column) : null;
                }

                continue;
            }

            List<ScopeSource> having = [.. scope.Sources.Where(s => s.Table?.Column(name.Last) is not null)];
            if (having.Count > 0 || scope.Sources.Any(s => s.Table is null))
            {
                return having.Count == 1 && scope.Sources.All(s => s.Table is not null) ? new(scope, having[0], having[0].Table!.Column(name.Last)!) : null;
            }
        }

        return null;
    }

    /// <summary>The names in a part of the query that may be columns: functions, collations, tables and the labels of results aside.</summary>
    /// <param name="part">Of the query.</param>
    public static IEnumerable<Name> NamesIn(SyntaxNode part)
    {
        var open = new Stack<SyntaxNode>([part]);
        while (open.TryPop(out SyntaxNode? next))
        {
            if (next is Name name)
            {
                yield return name;
                continue;
            }

            foreach (SyntaxNode child in next.Children)
            {
                bool none = child is Name && next switch
                {
                    Call call => ReferenceEquals(call.Function, child),
                    Collated collated => ReferenceEquals(collated.Collation, child),
                    TableSource table => ReferenceEquals(table.Table, child),
                    _ => false,
                };
                if (!none)
                {
                    open.Push(child);
                }
            }
        }
    }

    /// <summary>The scopes of all queries of a statement, outer ones first.</summary>
    /// <param name="statement">As it was read.</param>
    /// <param name="catalog">Of the subject.</param>
    public static IReadOnlyList<QueryScope> Of(Statement statement, Catalog catalog)
    {
        var named = statement.Descend().OfType<CommonTable>().Select(t => t.Name.Value).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var scopes = new List<QueryScope>();
        Visit(statement, null, null);
        return scopes;

        void Visit(SyntaxNode node, Query? query, QueryScope? outer)
        {
            if (node is Select select)
            {
                var sources = new List<ScopeSource>();
                Add(select.From, false, sources, catalog, named);
                outer = new(select, query, outer, sources);
                scopes.Add(outer);
            }

            if (node is Query { Body: Select body } whole)
            {
                Visit(body, whole, outer);
                QueryScope own = scopes.Last(s => ReferenceEquals(s.Select, body));
                foreach (SyntaxNode child in whole.Children.Where(c => !ReferenceEquals(c, body)))
                {
                    Visit(child, null, child is With ? outer : own);
                }

                return;
            }

            foreach (SyntaxNode child in node.Children)
            {
                Visit(child, null, outer);
            }
        }
    }

    private static void Add(Source? source, bool mayBeMissing, List<ScopeSource> sources, Catalog catalog, HashSet<string> named)
    {
        switch (source)
        {
            case TableSource table:
                bool plain = table is { Sample: null, Only: false, Inherited: false, Alias: not { Columns.Count: > 0 } } && !(table.Table.Parts.Count == 1 && named.Contains(table.Table.Last));
                sources.Add(new(table, table.Alias?.Name?.Value ?? table.Table.Last, plain ? catalog.Table(table.Table.Parts.Count > 1 ? table.Table.Qualifier : null, table.Table.Last) : null, mayBeMissing));
                break;
            case EnclosedSource { Alias: null } enclosed:
                Add(enclosed.Inner, mayBeMissing, sources, catalog, named);
                break;
            case Join join:
                bool full = join.Words.Contains("FULL", StringComparison.Ordinal);
                Add(join.Left, mayBeMissing || full || join.Words.Contains("RIGHT", StringComparison.Ordinal), sources, catalog, named);
                Add(join.Right, mayBeMissing || full || join.Words.Contains("LEFT", StringComparison.Ordinal), sources, catalog, named);
                break;
            case DerivedTable derived:
                sources.Add(new(derived, derived.Alias?.Name?.Value ?? "", null, mayBeMissing));
                break;
            case FunctionSource function:
                sources.Add(new(function, function.Alias?.Name?.Value ?? (function.Function as Call)?.Function.Last ?? "", null, mayBeMissing));
                break;
            case not null:
                sources.Add(new(source, "", null, mayBeMissing));
                break;
        }
    }
}
