using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Proposals;

/// <summary>How one query block of a statement asks for the rows of one table: what an index on it could serve.</summary>
/// <param name="Statement">Its name in the workload.</param>
/// <param name="CallsPerDay">Of the statement; 1 where the workload does not say.</param>
/// <param name="Table">As the catalogue has it.</param>
/// <param name="Values">Columns that are held equal to values that are known before any table is read.</param>
/// <param name="Joined">Columns that are held equal to columns of other tables.</param>
/// <param name="Ranges">Columns that are held between values.</param>
/// <param name="Order">The columns of ORDER BY, or of GROUP BY where there is none, where all of them are the table's; empty otherwise.</param>
/// <param name="Needed">All columns that the block needs of the table; null where it needs all of them.</param>
public sealed record TableAccess(
    string Statement, double CallsPerDay, string Table, IReadOnlyList<string> Values, IReadOnlyList<string> Joined, IReadOnlyList<string> Ranges, IReadOnlyList<string> Order,
    IReadOnlyList<string>? Needed)
{
    /// <summary>Expressions over columns of the table, in parentheses, that are held against values.</summary>
    public IReadOnlyList<string> Expressions { get; init; } = [];

    /// <summary>Columns that are held equal to the same literal whenever the statement runs.</summary>
    public IReadOnlyList<(string Column, string Literal)> Always { get; init; } = [];

    /// <summary>Whether the engine asks for them by itself, to see whether a row refers to one that goes.</summary>
    public bool IsReference { get; init; }

    /// <summary>The accesses of a workload, in its order; nothing of statements that the grammar does not know, nor of tables that the catalogue does not.</summary>
    /// <param name="workload">Read by the rules of the dialect.</param>
    /// <param name="catalog">Of the subject.</param>
    /// <param name="dialect">Of its engine.</param>
    public static IReadOnlyList<TableAccess> Of(Workload workload, Catalog catalog, SqlDialect dialect)
    {
        var all = new List<TableAccess>();
        foreach (WorkloadStatement statement in workload.Statements.SelectMany(s => s.Sent.Select(one => s with { Sql = one.Sql, Unit = null })))
        {
            all.AddRange(ReferencesTo(statement, catalog, dialect));
            foreach (QueryBlock block in StatementOutline.Of(statement.Sql, dialect).Blocks)
            {
                all.AddRange(block.Sources.Select(s => catalog.Table(s.Schema, s.Name) is { } table ? OfSource(statement, block, s, table, catalog, dialect) : null).OfType<TableAccess>());
            }
        }

        return all;
    }

    /// <summary>What a DELETE asks of the tables that refer to the one that it deletes from.</summary>
    private static IEnumerable<TableAccess> ReferencesTo(WorkloadStatement statement, Catalog catalog, SqlDialect dialect) =>
        StatementTables.Of(statement.Sql, dialect) is not { Kind: "delete", Written: { } written } || catalog.Table(written) is not { } deleted ? []
            : catalog.Tables.SelectMany(t => t.References.Where(r => r.Target.Equals(deleted.Name, StringComparison.OrdinalIgnoreCase))
                .Select(r => new TableAccess(statement.Name, statement.CallsPerDay ?? 1, t.Name, r.Columns, [], [], [], r.Columns) { IsReference = true }));

    private static TableAccess OfSource(WorkloadStatement statement, QueryBlock block, SourceItem source, CatalogTable table, Catalog catalog, SqlDialect dialect)
    {
        bool Owns(ColumnUse use) => table.Column(use.Name) is not null && (use.Qualifier.Length > 0
            ? block.Source(use.Qualifier) == source
            : block.Sources.All(s => s == source || catalog.Table(s.Schema, s.Name) is not { } other || other.Column(use.Name) is null));
        string NameOf(ColumnUse use) => table.Column(use.Name)!.Name;
        var values = new List<string>();
        var joined = new List<string>();
        var ranges = new List<string>();
        var expressions = new List<string>();
        var always = new List<(string, string)>();
        foreach (SqlCondition condition in block.Conditions.Where(c => !c.HasSubquery && c.Collation.Length == 0))
        {
            foreach ((ConditionSide mine, ConditionSide other) in new[] { (condition.Left, condition.Right), (condition.Right, condition.Left) })
            {
                if (mine is { Wrapped.Length: > 0 } && other.Columns.Count == 0 && mine.Columns.All(Owns) && ExpressionOf(statement.Sql, condition, mine == condition.Left, dialect) is { } expression)
                {
                    expressions.Add(expression);
                }

                if (mine == condition.Left && PrefixOf(condition, mine, table, Owns, dialect) is { } beginning)
                {
                    expressions.Add(beginning);
                }

                if (mine is not { Wrapped: "", Columns: [var use] } || !Owns(use) || other.Columns.Any(Owns))
                {
                    continue;
                }

                (condition.Operator switch
                {
                    "=" or "==" => other.Columns.Count == 0 ? values : joined,
                    "IN" when mine == condition.Left && other.Columns.Count == 0 => values,
                    "IS" when mine == condition.Left && condition.Syntax is Test { Words: "IS NULL" } => values,
                    "<" or ">" or "<=" or ">=" or "BETWEEN" when other.Columns.Count == 0 => ranges,
                    _ => null,
                })?.Add(NameOf(use));
                if (condition is { Operator: "=" or "==", Syntax: Binary { Left: Literal } or Binary { Right: Literal } } && other.Value.Length > 0)
                {
                    always.Add((NameOf(use), other.Value));
                }
            }
        }

        IReadOnlyList<ColumnUse> behind = OrderOf(block);
        List<string> order = behind.Count > 0 && behind.All(Owns) ? [.. behind.Select(NameOf)] : [];
        return new(statement.Name, statement.CallsPerDay ?? 1, table.Name, [.. values.Distinct()], [.. joined.Distinct().Except(values)], [.. ranges.Distinct().Except(values)], order, NeededOf(block, source, table))
        {
            Expressions = [.. expressions.Distinct()],
            Always = always,
        };
    }

    /// <summary>What an index has to hold of a column for LIKE to search through it; null where the pattern is known to begin with anything.</summary>
    private static string? PrefixOf(SqlCondition condition, ConditionSide mine, CatalogTable table, Func<ColumnUse, bool> owns, SqlDialect dialect) =>
        condition.Syntax is Match { Not: false, Operator: "LIKE", Operand: Name name, Pattern: var pattern } && (pattern is Parameter || (pattern is Literal { Text: ['\'', not ('%' or '_' or '\''), ..] }))
        && mine.Columns is [var use] && owns(use) && table.Column(name.Last) is { } column
            ? KnownEngines.Find(dialect.Id)?.Prefixes?.IndexTerm(SqlName.Quoted(column.Name), column.Type) : null;

    /// <summary>A side of a comparison as an index may have it: columns without qualifiers, and only functions that give the same for the same values. Null where it is none.</summary>
    private static string? ExpressionOf(string sql, SqlCondition condition, bool left, SqlDialect dialect)
    {
        if (condition.Syntax is not Binary { Operator: "=" or "==" or "<" or "<=" or ">" or ">=" } compared)
        {
            return null;
        }

        Expression side = left ? compared.Left : compared.Right;
        if (side.Descend().Any(n => n is Query or Parameter or Opaque or Call { Over: not null } or Call { Arguments.Count: 0 } || (n is Call call && !dialect.Grammar!.SteadyFunctions.Contains(call.Function.Last.ToLowerInvariant())))
            || OutlineOfTree.FoldsRows(side))
        {
            return null;
        }

        TextSpan span = side.Span!.Value;
        string text = span.Of(sql);
        foreach (Name name in side.Descend().OfType<Name>().Where(n => n.Parts.Count > 1).OrderByDescending(n => n.Span!.Value.Start))
        {
            int at = name.Span!.Value.Start - span.Start;
            text = string.Concat(text.AsSpan(0, at), name.Parts[^1].Text, text.AsSpan(name.Span!.Value.End - span.Start));
        }

        return SqlLexer.Tokenize(text, dialect).Any(t => t.IsTrivia && !string.IsNullOrWhiteSpace(t.Span.Of(text))) ? null : $"({text})";
    }

    /// <summary>Columns whose order an index could give; none where terms are something else, or go both up and down.</summary>
    private static IReadOnlyList<ColumnUse> OrderOf(QueryBlock block)
    {
        if (block.OrderBy is not null)
        {
            return block.PlainOrder is null || block.Query is null || block.Query.OrderBy.Select(t => t.Direction == "DESC").Distinct().Count() > 1 ? []
                : [.. block.Query.OrderBy.Select(t => (Name)t.Value).Select(n => new ColumnUse(n.Qualifier, n.Last, n.Span!.Value))];
        }

        return block.Syntax is { GroupBy.Count: > 0 } select && select.GroupBy.All(g => g is Name) ? [.. select.GroupBy.Cast<Name>().Select(n => new ColumnUse(n.Qualifier, n.Last, n.Span!.Value))] : [];
    }

    private static List<string>? NeededOf(QueryBlock block, SourceItem source, CatalogTable table)
    {
        if (block.Syntax is not { } select || select.Items.Any(i => i.Value is AllColumns))
        {
            return null;
        }

        // A name that might be the table's is taken for one: an index that covers too much still covers.
        IEnumerable<Name> names = (block.Query ?? (SyntaxNode)select).Descend().OfType<Name>().Where(n => n.Parts.Count == 1 || block.Source(n.Qualifier) is null || block.Source(n.Qualifier) == source);
        return [.. names.Select(n => table.Column(n.Last)?.Name).OfType<string>().Distinct()];
    }
}
