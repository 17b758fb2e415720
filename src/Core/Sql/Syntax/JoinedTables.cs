using System.Text;

namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>The tables of a query block that are simply joined, in any order that is wanted: inner joins, whose conditions may stand anywhere.</summary>
public sealed class JoinedTables
{
    private readonly string _sql;
    private readonly QueryBlock _block;
    private readonly TextSpan _from;
    private readonly List<string> _conditions;

    private JoinedTables(string sql, QueryBlock block, TextSpan from, List<string> conditions) => (_sql, _block, _from, _conditions) = (sql, block, from, conditions);

    /// <summary>Null where the block's tables are not simply joined: one of an outer join stays where it is.</summary>
    /// <param name="sql">The statement.</param>
    /// <param name="block">One of its own.</param>
    public static JoinedTables? Of(string sql, QueryBlock block)
    {
        var conditions = new List<string>();
        return block.Syntax?.From is { } from && IsSimple(sql, from, conditions) ? new(sql, block, from.Span!.Value, conditions) : null;
    }

    /// <summary>Whether the list says <c>*</c>: its columns come in the order of the tables.</summary>
    public bool GivesAllColumns => _block.Syntax!.Items.Any(i => i.Value is AllColumns { Of: null });

    /// <summary>The statement with its tables in an order that stands as written where the engine keeps that of CROSS JOIN.</summary>
    /// <param name="order">All tables of the block.</param>
    /// <param name="behind">What is to stand behind a table, by its place in the text; moves with it.</param>
    public string Crossed(IReadOnlyList<SourceItem> order, IReadOnlyDictionary<int, string>? behind = null)
    {
        var from = new StringBuilder(string.Join(" CROSS JOIN ", order.Select(s => s.Span.Of(_sql) + (behind?.GetValueOrDefault(s.Span.End) ?? ""))));
        if (_conditions.Count > 0)
        {
            from.Append(" ON ").AppendJoin(" AND ", _conditions.Select(c => _conditions.Count == 1 ? c : $"({c})"));
        }

        return With(from.ToString());
    }

    /// <summary>The statement as loops, each table inside of those before it, where the engine keeps a subquery with OFFSET apart.</summary>
    /// <param name="order">All tables of the block.</param>
    /// <param name="tablesOf">The tables that a condition speaks of; null where that is not known, and it is left to the end.</param>
    /// <returns>Null where a condition cannot stand twice, or nothing ties a table to those before it.</returns>
    public string? Nested(IReadOnlyList<SourceItem> order, Func<SqlCondition, IReadOnlyCollection<SourceItem>?> tablesOf)
    {
        var from = new StringBuilder(order[0].Span.Of(_sql));
        var before = new HashSet<SourceItem> { order[0] };
        foreach (SourceItem table in order.Skip(1))
        {
            List<SqlCondition> here = [.. _block.Conditions.Where(c => !c.HasSubquery && tablesOf(c) is { } tables && tables.Contains(table) && tables.All(t => t == table || before.Contains(t)))];
            if (here.Any(c => c.Syntax.Descend().Any(n => n is Parameter { Text.Length: 1 })) || !here.Any(c => tablesOf(c)!.Count > 1))
            {
                return null;
            }

            from.Append(" CROSS JOIN LATERAL (SELECT * FROM ").Append(table.Span.Of(_sql)).Append(" WHERE ").AppendJoin(" AND ", here.Select(c => $"({c.Span.Of(_sql)})")).Append(" OFFSET 0) AS ").Append(NameOf(table));
            before.Add(table);
        }

        if (_conditions.Count > 0)
        {
            // What ON said holds of the last table as well as of its own.
            from.Append(" JOIN (SELECT) AS swift_ledger_end ON ").AppendJoin(" AND ", _conditions.Select(c => $"({c})"));
        }

        return With(from.ToString());
    }

    private static bool IsSimple(string sql, Source source, List<string> conditions)
    {
        switch (source)
        {
            case TableSource { Hint: "", Sample: null, Inherited: false } or DerivedTable { Lateral: false } or FunctionSource { Lateral: false }:
                return true;
            case Join { Words: "," or "JOIN" or "INNER JOIN" or "CROSS JOIN", Using.Count: 0 } join when IsSimple(sql, join.Left, conditions) && IsSimple(sql, join.Right, conditions):
                if (join.On is { } on)
                {
                    conditions.Add(on.Span!.Value.Of(sql));
                }

                return true;
            default:
                return false;
        }
    }

    private string With(string from) => string.Concat(_sql.AsSpan(0, _from.Start), from, _sql.AsSpan(_from.End));

    /// <summary>The last word of what names it, as written: its alias, or its own name.</summary>
    private string NameOf(SourceItem table) => _block.Syntax!.From!.Descend().OfType<TableSource>().Where(t => t.Span!.Value.Start == table.Span.Start)
        .Select(t => (t.Alias?.Name ?? t.Table.Parts[^1]).Text).FirstOrDefault(table.Alias);
}
