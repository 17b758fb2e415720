namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>A table, view, query or function that a query block reads.</summary>
/// <param name="Name">As written, without quotes; empty for a query in parentheses.</param>
/// <param name="Alias">What the rest of the block calls it; the name where it has no other.</param>
/// <param name="Span">The item with its alias.</param>
public sealed record SourceItem(string Name, string Alias, TextSpan Span)
{
    /// <summary>As written before the name, without quotes; null where nothing is.</summary>
    public string? Schema { get; init; }
}

/// <summary>A column as a condition names it.</summary>
/// <param name="Qualifier">What stands before the dot; empty where nothing does.</param>
/// <param name="Name">Of the column.</param>
/// <param name="Span">Where it stands.</param>
public sealed record ColumnUse(string Qualifier, string Name, TextSpan Span);

/// <summary>One side of a comparison: what an index can serve is a column that stands alone.</summary>
/// <param name="Wrapped">How a column in it is wrapped: a function's name, an operator; empty where one stands alone, or none does.</param>
/// <param name="Value">A literal's or parameter's text; empty where it is none.</param>
/// <param name="Columns">That it names.</param>
public sealed record ConditionSide(IReadOnlyList<ColumnUse> Columns, string Wrapped, string Value);

/// <summary>A part of WHERE or ON that must hold: what stands between ANDs.</summary>
/// <param name="Operator">In upper case: <c>=</c>, <c>LIKE</c>, <c>NOT IN</c>, <c>OR</c> for alternatives; empty where there is none.</param>
/// <param name="Columns">Those named in it, subqueries aside.</param>
/// <param name="Alternatives">The columns of each alternative of an OR; empty otherwise.</param>
/// <param name="Collation">That it names; empty where it names none.</param>
/// <param name="HasSubquery">Whether one stands in it.</param>
/// <param name="Left">Of the comparison.</param>
/// <param name="Right">Of the comparison.</param>
/// <param name="Span">Where it stands.</param>
public sealed record SqlCondition(
    TextSpan Span, string Operator, IReadOnlyList<ColumnUse> Columns, ConditionSide Left, ConditionSide Right, bool HasSubquery, string Collation,
    IReadOnlyList<IReadOnlyList<ColumnUse>> Alternatives)
{
    /// <summary>The condition itself.</summary>
    public required Expression Syntax { get; init; }
}

/// <summary>One SELECT, UPDATE or DELETE with what it reads and under which conditions.</summary>
/// <param name="Offset">The literal or parameter behind OFFSET; empty where there is none.</param>
/// <param name="Limited">Whether it says LIMIT or FETCH: operators may end before they have given all.</param>
/// <param name="Aggregates">Whether it folds rows: GROUP BY, HAVING, or a function such as count in its list.</param>
/// <param name="Conditions">Of ON and WHERE, cut where AND joins them.</param>
/// <param name="Distinct">Whether it says DISTINCT.</param>
/// <param name="OrderBy">Where its ORDER BY stands; null where there is none.</param>
/// <param name="Sources">What it reads, in their order.</param>
/// <param name="Span">Where it stands.</param>
public sealed record QueryBlock(
    TextSpan Span, IReadOnlyList<SourceItem> Sources, IReadOnlyList<SqlCondition> Conditions, bool Distinct, bool Aggregates, TextSpan? OrderBy, string Offset, bool Limited)
{
    /// <summary>Those items of its list that are columns that stand alone, under whatever name they come out; none of DISTINCT ON, whose list says nothing of what is taken away.</summary>
    public IReadOnlyList<ColumnUse> PlainList { get; init; } = [];

    /// <summary>The columns of its ORDER BY; null where a term is something else.</summary>
    public IReadOnlyList<string>? PlainOrder { get; init; } = [];

    /// <summary>The SELECT itself; null for an UPDATE or a DELETE.</summary>
    public Select? Syntax { get; init; }

    /// <summary>The query around it, with its order; null where it is one of several of a set operation.</summary>
    public Query? Query { get; init; }

    /// <summary>What a name before a dot, or a plan, means here; null where nothing has it.</summary>
    public SourceItem? Source(string alias) =>
        Sources.FirstOrDefault(s => s.Alias.Equals(alias, StringComparison.OrdinalIgnoreCase)) ?? Sources.FirstOrDefault(s => s.Name.Equals(alias, StringComparison.OrdinalIgnoreCase));

    /// <summary>Where the block speaks of one of its sources: its place in FROM and the conditions on its columns.</summary>
    public IReadOnlyList<TextSpan> PlacesOf(SourceItem source) =>
        [source.Span, .. Conditions.Where(c => c.Columns.Any(u => u.Qualifier.Equals(source.Alias, StringComparison.OrdinalIgnoreCase)
            || (u.Qualifier.Length == 0 && Sources.Count == 1))).Select(c => c.Span)];
}

/// <summary>
/// The query blocks of a statement in the order in which they begin: enough of its grammar to tell what reads what, and where it is
/// written.
/// </summary>
public sealed record StatementOutline(IReadOnlyList<QueryBlock> Blocks)
{
    /// <summary>The outline of one statement; without blocks where its grammar is not known.</summary>
    public static StatementOutline Of(string sql, SqlDialect dialect) => new(OutlineOfTree.Read(SyntaxTree.Read(sql, dialect)));

    /// <summary>Whether tables are tied by the names of their columns, which no condition says: USING, or NATURAL.</summary>
    public bool JoinsByName => Blocks.Any(b => b.Syntax?.From is { } from && from.Descend().OfType<Join>().Any(j => j.Using.Count > 0 || j.Words.StartsWith("NATURAL", StringComparison.Ordinal)));

    /// <summary>The source that a plan calls by this name.</summary>
    /// <param name="nth">How many operators of that name stand before, from 0: several blocks may read the same table.</param>
    /// <param name="alias">As the plan has it.</param>
    public (QueryBlock Block, SourceItem Source)? Find(string? alias, int nth = 0)
    {
        (QueryBlock, SourceItem)? last = null;
        foreach (QueryBlock block in alias is null ? [] : Blocks)
        {
            if (block.Source(alias!) is { } source)
            {
                last = (block, source);
                if (nth-- == 0)
                {
                    break;
                }
            }
        }

        return last;
    }

    /// <summary>The table's own name, where the plan uses an alias.</summary>
    public string TableOf(string alias) => Find(alias) is { Source.Name.Length: > 0 } found ? found.Source.Name : alias;
}
