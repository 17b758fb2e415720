using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Statistics;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Plans.Picturing;

/// <summary>Draws one query block: what is counted comes from the plan's counts and the catalogue, the rest from statistics and the planner's estimates.</summary>
internal sealed class BlockPicture
{
    private readonly PlanSide _side;
    private readonly QueryBlock _block;
    private readonly bool _outer;
    private readonly BlockTies _ties;
    private readonly List<(int At, PlanOperator Operator)> _lines;
    private readonly Dictionary<SourceItem, int> _read = new(ReferenceEqualityComparer.Instance);
    private readonly Dictionary<PlanOperator, PlanOperator> _parents = new(ReferenceEqualityComparer.Instance);
    private readonly List<SourceItem> _order;

    public BlockPicture(PlanSide side, PlanSources sources, QueryBlock block, bool outer)
    {
        (_side, _block, _outer, _ties) = (side, block, outer, new(block, side.Catalog));
        _lines = [.. side.Plan.Lines().Select((l, at) => (at, l.Operator))];
        foreach ((int at, PlanOperator o) in _lines)
        {
            foreach (PlanOperator child in o.Children)
            {
                _parents[child] = o;
            }

            if (o.Kind is OperatorKind.Scan or OperatorKind.Search && sources.Block(at) == block && sources.Source(at) is { } source)
            {
                _read.TryAdd(source, at);
            }
        }

        _order = [.. block.Sources.OrderBy(s => _read.GetValueOrDefault(s, int.MaxValue)).ThenBy(s => s.Span.Start)];
    }

    public PicturedBlock Drawn()
    {
        // Of several that hang together the first one meets every row; the others are tied to it.
        HashSet<SourceItem> apart = [.. _ties.Apart().Select(part => _order.First(part.Contains))];
        List<PicturedTable> tables = [.. _order.Select(s => Table(s, apart.Contains(s)))];
        return new(
            _block.Span, _outer, tables, [.. _ties.Ties.Select(t => new PicturedTie([.. t.Sources.Select(s => _order.IndexOf(s))], t.Place))], Joins(tables),
            _block.Distinct ? "DISTINCT" : _block.Aggregates ? "GROUP BY" : "", _outer && _side.Rows is { } rows ? new(rows, true) : null, _read.Values.Any(MayEndEarly));
    }

    private PicturedTable Table(SourceItem source, bool apart)
    {
        CatalogTable? known = _side.Catalog?.Table(source.Schema, source.Name);
        IReadOnlyList<SqlCondition> own = _ties.Own(source);
        RowCount? holds = known?.Rows is { } rows ? new(rows, true) : known?.AnalyzedRows is { } believed ? new(believed, false) : null;
        IReadOnlyList<string> columns = known is null ? [] : _ties.ColumnsOf(source, known);
        int? at = _read.TryGetValue(source, out int found) ? found : null;
        return new(
            at, source.Name, source.Alias, source.Span, holds, own.Count == 0 ? holds : Passing(at, own, known), [.. own.Select(c => c.Span)],
            known is null ? [] : [.. known.Indexes.Select(i => Serving(i, columns, at is { } o ? _lines[o].Operator.Index : null)).OfType<ServingIndex>()],
            [.. columns.Select(c => Known(known!, c))], apart, _ties.IsOptional(source));
    }

    /// <summary>Rows that own conditions let through: counted where the table is read once and by itself, else expected.</summary>
    private RowCount? Passing(int? at, IReadOnlyList<SqlCondition> own, CatalogTable? known)
    {
        // A planner may make a join of a condition that speaks of another query: the table is then read without it.
        PlanOperator? o = at is { } place ? _lines[place].Operator : null;
        if (o is not null && IsReadAlone(o) && !own.Any(_ties.ReachesOut))
        {
            bool parallel = _side.Language.RunsInParallel(o);
            if (o.Counts is { RowsPassed: { } passed } counts && (counts.Loops == 1 || parallel) && !MayEndEarly(at!.Value))
            {
                return new(passed, true);
            }

            // Of several processes it is what one of them is expected to hand on.
            if (o.EstimatedRows is { } expected && !parallel)
            {
                return new(expected, false);
            }
        }

        if (known is not { AnalyzedRows: { } believed })
        {
            return null;
        }

        double share = 1;
        foreach (SqlCondition condition in own)
        {
            if (ShareOf(condition, known, believed) is not { } passes)
            {
                return null;
            }

            share *= passes;
        }

        return new(share * (known.Rows ?? believed), false);
    }

    /// <summary>Whether it may be stopped before it has given all. Where the engine does not tell: a query within another may be, and the outermost where it says how many rows it wants, or wants the least or the greatest.</summary>
    private bool MayEndEarly(int at) => _side.Language.MayEndEarly(_side.Plan, at)
        ?? (_outer ? _block.Limited || (_block.Aggregates && _block.Syntax?.Items.Any(i => i.Value.Descend().Any(n => n is Call { Over: null } call && call.Function.Last.ToLowerInvariant() is "min" or "max")) == true) : EarlyEnd.MayHave(_side, at));

    /// <summary>Whether nothing but its own conditions decides which of its rows come out: no row of another table is given to it.</summary>
    private bool IsReadAlone(PlanOperator o)
    {
        PlanOperator below = o;
        while (_parents.TryGetValue(below, out PlanOperator? above))
        {
            switch (above.Kind)
            {
                case OperatorKind.HashJoin or OperatorKind.MergeJoin:
                    return true;
                case OperatorKind.NestedLoop:
                    return ReferenceEquals(above.Children[0], below);
            }

            below = above;
        }

        // Tables below one consumer are loops, each within those before it.
        return _order.Count == 0 || !_read.TryGetValue(_order[0], out int first) || ReferenceEquals(_lines[first].Operator, o);
    }

    /// <summary>The share of rows that a comparison with a value is expected to let through; null where that cannot be told.</summary>
    private double? ShareOf(SqlCondition condition, CatalogTable table, double rows)
    {
        if (condition is not { Left: { Wrapped: "", Columns: [var use] }, Right.Columns.Count: 0, HasSubquery: false } || table.Column(use.Name) is not { } column)
        {
            return null;
        }

        ColumnStatistics? s = column.Statistics;
        string? literal = _side.ValueOf(condition.Right.Value);
        string? value = literal is ['\'', .. var text, '\''] ? text.Replace("''", "'", StringComparison.Ordinal) : literal;
        if (literal?.Equals("null", StringComparison.OrdinalIgnoreCase) == true && condition.Operator is ("=" or "==" or "<" or "<=" or ">" or ">="))
        {
            // What is compared with NULL is never so.
            return 0;
        }

        if (condition.Operator is "=" or "==")
        {
            // Without statistics of the column, an index that begins with it says how many rows share a value.
            return s is not null ? Selectivity.Equal(s, value, rows)
                : table.Indexes.FirstOrDefault(i => i.RowsPerKey.Count > 0 && i.Columns[0].Equals(column.Name, StringComparison.OrdinalIgnoreCase)) is { } index && rows > 0 ? Math.Min(1, index.RowsPerKey[0] / rows) : null;
        }

        if (s is null || value is null)
        {
            return null;
        }

        bool numbers = !column.Type.StartsWith("text", StringComparison.OrdinalIgnoreCase) && !column.Type.Contains("char", StringComparison.OrdinalIgnoreCase);
        return condition.Operator switch
        {
            "<" or "<=" => Selectivity.Less(s, value, condition.Operator == "<=", numbers),
            ">" or ">=" => Selectivity.Greater(s, value, condition.Operator == ">=", numbers),
            _ => null,
        };
    }

    private List<PicturedJoin> Joins(List<PicturedTable> tables)
    {
        if (tables.Count < 2)
        {
            return [];
        }

        var joins = new List<PicturedJoin>();

        // Operators that join, the inner ones first; what loops without an operator of its own comes below.
        foreach ((int _, PlanOperator o) in _lines.AsEnumerable().Reverse().Where(l => l.Operator.Kind is OperatorKind.NestedLoop or OperatorKind.HashJoin or OperatorKind.MergeJoin))
        {
            List<int> below = Below(o);
            if (below.Count > 1 && !joins.Exists(j => j.Tables.SequenceEqual(below)))
            {
                joins.Add(new(below, o.Counts is { RowsPassed: { } passed } ? new(passed, true) : o.EstimatedRows is { } expected ? new(expected, false) : null));
            }
        }

        if (joins.Count == 0)
        {
            double? expected = 1;
            for (int n = 0; n < tables.Count; n++)
            {
                PlanOperator? o = tables[n].Operator is { } at ? _lines[at].Operator : null;
                expected *= o?.EstimatedRows;
                if (n > 0)
                {
                    joins.Add(new([.. Enumerable.Range(0, n + 1)], o?.Counts?.RowsPassed is { } passed ? new(passed, true) : expected is { } e ? new(e, false) : null));
                }
            }
        }

        List<int> all = [.. Enumerable.Range(0, tables.Count)];
        return joins.Exists(j => j.Tables.Count == all.Count) ? [.. joins.OrderBy(j => j.Tables.Count)] : [.. joins.OrderBy(j => j.Tables.Count), new(all, null)];
    }

    /// <summary>The block's tables that are read below an operator, in their order.</summary>
    private List<int> Below(PlanOperator o)
    {
        HashSet<PlanOperator> below = new(ReferenceEqualityComparer.Instance);
        var open = new Stack<PlanOperator>([o]);
        while (open.TryPop(out PlanOperator? next))
        {
            below.Add(next);
            foreach (PlanOperator child in next.Children)
            {
                open.Push(child);
            }
        }

        return [.. Enumerable.Range(0, _order.Count).Where(n => _read.TryGetValue(_order[n], out int at) && below.Contains(_lines[at].Operator))];
    }

    private static ServingIndex? Serving(CatalogIndex index, IReadOnlyList<string> columns, string? used)
    {
        int leading = index.Columns.TakeWhile(c => columns.Contains(c, StringComparer.OrdinalIgnoreCase)).Count();
        bool isUsed = index.Name.Equals(used, StringComparison.OrdinalIgnoreCase);
        return leading == 0 && !isUsed ? null : new(index.Name, index.Columns, leading, isUsed, leading > 0 && index.RowsPerKey.Count >= leading ? index.RowsPerKey[leading - 1] : null);
    }

    private static KnownColumn Known(CatalogTable table, string name)
    {
        CatalogColumn column = table.Column(name)!;
        double rows = table.Rows ?? table.AnalyzedRows ?? 0;
        return column.Statistics is { } s ? new(column.Name, s.DistinctOf(rows), s.NullFraction, s.Frequencies.Count > 0 ? s.Frequencies[0] : null)
            : table.Indexes.FirstOrDefault(i => i.RowsPerKey is [> 0, ..] && i.Columns[0].Equals(name, StringComparison.OrdinalIgnoreCase)) is { } index && table.AnalyzedRows is { } believed
                ? new(column.Name, Math.Max(1, believed / index.RowsPerKey[0]), column.NotNull ? 0 : null, null)
            : new(column.Name, null, column.NotNull ? 0 : null, null);
    }
}
