using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Plans.Picturing;

/// <summary>Which conditions of a query block are about one of its sources alone, and which tie several.</summary>
internal sealed class BlockTies
{
    private readonly QueryBlock _block;
    private readonly Catalog? _catalog;
    private readonly List<(IReadOnlyList<SourceItem> Sources, TextSpan Place)> _ties = [];
    private readonly Dictionary<SourceItem, List<SqlCondition>> _own = new(ReferenceEqualityComparer.Instance);
    private readonly HashSet<SourceItem> _optional = new(ReferenceEqualityComparer.Instance);

    public BlockTies(QueryBlock block, Catalog? catalog)
    {
        (_block, _catalog) = (block, catalog);
        var outer = new List<(TextSpan On, HashSet<SourceItem> Optional)>();
        foreach (Source root in Roots(block))
        {
            Walk(root, outer);
        }

        foreach (SqlCondition condition in block.Conditions)
        {
            List<SourceItem> about = [.. condition.Columns.Select(SourceOf).OfType<SourceItem>().Distinct()];
            HashSet<SourceItem>? optional = outer.Where(o => o.On.Start <= condition.Span.Start && condition.Span.End <= o.On.End).OrderBy(o => o.On.End - o.On.Start).Select(o => o.Optional).FirstOrDefault();

            // What an outer join's ON says of the side that is kept takes no row of it away: it says when there is a match.
            if (about.Count == 1 && optional is not null && !optional.Contains(about[0]))
            {
                about.AddRange(optional.Take(1));
            }

            if (about.Count > 1)
            {
                _ties.Add((about, condition.Span));
            }
            else if (about.Count == 1)
            {
                if (!_own.TryGetValue(about[0], out List<SqlCondition>? own))
                {
                    _own[about[0]] = own = [];
                }

                own.Add(condition);
            }
        }
    }

    /// <summary>In the statement's order.</summary>
    public IReadOnlyList<(IReadOnlyList<SourceItem> Sources, TextSpan Place)> Ties => [.. _ties.OrderBy(t => t.Place.Start)];

    public IReadOnlyList<SqlCondition> Own(SourceItem source) => _own.GetValueOrDefault(source) ?? [];

    /// <summary>Whether a condition speaks of what is not in this block: of the query around it, or of a query within it.</summary>
    public bool ReachesOut(SqlCondition condition) => condition.HasSubquery || condition.Columns.Any(u => SourceOf(u) is null);

    public bool IsOptional(SourceItem source) => _optional.Contains(source);

    /// <summary>The columns of a source that own conditions and ties name, as the catalogue has them.</summary>
    public IReadOnlyList<string> ColumnsOf(SourceItem source, CatalogTable table) =>
        [.. _block.Conditions.SelectMany(c => c.Columns).Where(u => SourceOf(u) == source).Select(u => table.Column(u.Name)?.Name).OfType<string>().Distinct()];

    /// <summary>Sources that hang together, without those that most of them are: nothing ties any of these to those.</summary>
    public IReadOnlyList<IReadOnlySet<SourceItem>> Apart()
    {
        var parts = new List<HashSet<SourceItem>>(_block.Sources.Select(s => new HashSet<SourceItem>(ReferenceEqualityComparer.Instance) { s }));
        foreach ((IReadOnlyList<SourceItem> tied, TextSpan _) in _ties)
        {
            List<HashSet<SourceItem>> touched = [.. parts.Where(p => tied.Any(p.Contains))];
            foreach (HashSet<SourceItem> other in touched.Skip(1))
            {
                touched[0].UnionWith(other);
                parts.Remove(other);
            }
        }

        HashSet<SourceItem>? main = parts.MaxBy(p => p.Count);
        return [.. parts.Where(p => p != main)];
    }

    /// <summary>The source of this block that a column is of; null where it is none of it, or cannot be told.</summary>
    private SourceItem? SourceOf(ColumnUse use)
    {
        if (use.Qualifier.Length > 0)
        {
            return _block.Source(use.Qualifier);
        }

        List<SourceItem> having = [.. _block.Sources.Where(s => _catalog?.Table(s.Schema, s.Name)?.Column(use.Name) is not null)];
        return having.Count == 1 ? having[0] : having.Count == 0 && _block.Sources.Count == 1 && _catalog?.Table(_block.Sources[0].Schema, _block.Sources[0].Name) is null ? _block.Sources[0] : null;
    }

    private static IEnumerable<Source> Roots(QueryBlock block) => block.Syntax?.From is { } from ? [from] : [];

    /// <returns>The sources below.</returns>
    private List<SourceItem> Walk(Source source, List<(TextSpan, HashSet<SourceItem>)> outer)
    {
        switch (source)
        {
            case EnclosedSource enclosed:
                return Walk(enclosed.Inner, outer);
            case Join join:
                List<SourceItem> left = Walk(join.Left, outer), right = Walk(join.Right, outer);
                bool full = join.Words.Contains("FULL", StringComparison.Ordinal);
                List<SourceItem> optional = !join.IsOuter ? [] : full ? [.. left, .. right] : join.Words.Contains("RIGHT", StringComparison.Ordinal) ? left : right;
                _optional.UnionWith(optional);
                if (join.On is { Span: { } on } && join.IsOuter)
                {
                    // Nothing that FULL says takes a row away.
                    outer.Add((on, full ? [] : optional.ToHashSet<SourceItem>(ReferenceEqualityComparer.Instance)));
                }

                if ((join.Using.Count > 0 || join.Words.StartsWith("NATURAL", StringComparison.Ordinal)) && left.Count > 0 && right.Count > 0)
                {
                    _ties.Add(([left[^1], right[0]], join.Using.Count > 0 ? TextSpan.Between(join.Using[0].Span!.Value.Start, join.Using[^1].Span!.Value.End) : join.Span!.Value));
                }

                return [.. left, .. right];
            default:
                SourceItem? item = _block.Sources.FirstOrDefault(s => s.Span.Start == source.Span!.Value.Start);
                if (item is null)
                {
                    return [];
                }

                // A function of another table's columns, or a query that reads them, comes with the row that it is given.
                if (source is FunctionSource or DerivedTable { Lateral: true })
                {
                    List<SourceItem> given = [.. source.Descend().OfType<Name>().Where(n => n.Parts.Count > 1).Select(n => _block.Source(n.Qualifier)).OfType<SourceItem>().Where(s => s != item).Distinct()];
                    if (given.Count > 0)
                    {
                        _ties.Add(([.. given, item], item.Span));
                    }
                }

                return [item];
        }
    }
}
