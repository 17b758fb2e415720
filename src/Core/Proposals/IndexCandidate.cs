using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Proposals;

/// <summary>An index that may help.</summary>
/// <param name="Name">That it would get; no other index has it.</param>
/// <param name="Table">As the catalogue has it.</param>
/// <param name="Columns">In order; an expression with its parentheses.</param>
/// <param name="Statements">Those for whose conditions it is made, the most called first.</param>
public sealed record IndexCandidate(string Name, string Table, IReadOnlyList<string> Columns, IReadOnlyList<string> Statements)
{
    /// <summary>Of its table; null where a statement need not name it.</summary>
    public string? Schema { get; init; }

    /// <summary>The rows that it holds, as a condition; null for all.</summary>
    public string? Where { get; init; }

    /// <summary>Of the statements those that delete rows to which the table may refer: no plan says that the index is used for that.</summary>
    public IReadOnlyList<string> Deleting { get; init; } = [];

    /// <summary>In a few words: its table, its columns, and which rows it holds.</summary>
    public string Words => $"{Table} ({string.Join(", ", Columns)}){(Where is null ? "" : $" where {Where}")}";

    /// <summary>What makes it.</summary>
    public string Sql => $"CREATE INDEX {SqlName.Quoted(Name)} ON {SqlName.Of(Table, Schema)} ({string.Join(", ", Columns.Select(Term))}){(Where is null ? "" : $" WHERE {Where}")};";

    /// <summary>What takes it away again.</summary>
    public string Undo => $"DROP INDEX {SqlName.In(Schema, Name)};";

    private static string Term(string column) => column.StartsWith('(') ? column : SqlName.Quoted(column);
}

/// <summary>Makes candidates from what the statements of a workload ask for.</summary>
/// <remarks>
/// Columns held equal first, then the order or one range, then what makes it cover: common practice; see also M. Winand, "SQL Performance Explained"
/// (2012), chapters 2 and 6, from memory. Which of them the planner takes, and what they bring, is for the engine to say.
/// </remarks>
public static class IndexCandidates
{
    /// <summary>More columns than these cost each write more than a look-up saves. Common practice, no source.</summary>
    public const int MostColumns = 4, MostCovering = 6;

    /// <summary>Fewer rows are read whole as quickly.</summary>
    public const long FewestRows = 500;

    /// <summary>Candidates that no index of the catalogue already stands for, those of the most calls first.</summary>
    /// <param name="accesses">Of the workload.</param>
    /// <param name="catalog">Of the subject.</param>
    public static IReadOnlyList<IndexCandidate> Of(IReadOnlyList<TableAccess> accesses, Catalog catalog)
    {
        var found = new Dictionary<string, (CatalogTable Table, IReadOnlyList<string> Columns, string? Where, Dictionary<string, double> Statements, HashSet<string> Deleting)>(StringComparer.OrdinalIgnoreCase);
        foreach (TableAccess access in accesses)
        {
            if (catalog.Table(access.Table) is not { } table || table.Rows < FewestRows)
            {
                continue;
            }

            IEnumerable<(IReadOnlyList<string> Columns, string? Where)> all =
            [
                .. ColumnsFor(access, table, accesses).Where(c => c.Count > 0 && !IsServed(c, table)).Select(c => (c, (string?)null)),
                .. access.Expressions.SelectMany(e => new[] { [e], (IReadOnlyList<string>)[.. access.Values.Take(MostColumns - 1), e] }).Select(c => (c, (string?)null)),
                .. PartsFor(access, table),
            ];
            foreach ((IReadOnlyList<string> columns, string? where) in all)
            {
                string key = table.Name + "\n" + where + "\n" + string.Join("\n", columns);
                if (!found.TryGetValue(key, out (CatalogTable Table, IReadOnlyList<string> Columns, string? Where, Dictionary<string, double> Statements, HashSet<string> Deleting) known))
                {
                    found[key] = known = (table, columns, where, [], []);
                }

                known.Statements[access.Statement] = access.CallsPerDay;
                if (access.IsReference)
                {
                    known.Deleting.Add(access.Statement);
                }
            }
        }

        var names = new HashSet<string>(catalog.Tables.SelectMany(t => t.Indexes).Select(i => i.Name), StringComparer.OrdinalIgnoreCase);
        return [.. found.Values.OrderByDescending(f => f.Statements.Values.Sum()).ThenBy(f => f.Columns.Count)
            .Select(f => new IndexCandidate(NameFor(f.Table.OwnName, f.Columns, names), f.Table.Name, f.Columns, [.. f.Statements.OrderByDescending(s => s.Value).Select(s => s.Key)]) { Schema = f.Table.Schema, Where = f.Where, Deleting = [.. f.Deleting] })];
    }

    /// <summary>An index of those rows alone that a condition asks for which is always the same: what else is held equal, or the order, leads to them.</summary>
    private static IEnumerable<(IReadOnlyList<string> Columns, string? Where)> PartsFor(TableAccess access, CatalogTable table)
    {
        foreach ((string column, string literal) in access.Always)
        {
            List<string> equal = [.. access.Values.Where(c => c != column && !access.Always.Any(a => a.Column == c)), .. access.Joined];
            if (IsUnique([.. equal, column], table))
            {
                continue;
            }

            string where = $"{SqlName.Quoted(column)} = {literal}";
            foreach (IReadOnlyList<string> columns in new IReadOnlyList<string>[] { equal, [.. equal, .. access.Order.Except(equal).Where(c => c != column)], [.. equal, .. access.Ranges.Take(1)] })
            {
                if (columns.Count is > 0 and <= MostColumns)
                {
                    yield return (columns, where);
                }
            }
        }
    }

    private static IEnumerable<IReadOnlyList<string>> ColumnsFor(TableAccess access, CatalogTable table, IReadOnlyList<TableAccess> accesses)
    {
        // Which column stands first is for the whole workload to say: one that more calls hold equal serves more of them.
        double Shared(string column) => accesses.Where(a => a.Table == table.Name && (a.Values.Contains(column) || a.Joined.Contains(column))).Sum(a => a.CallsPerDay);
        List<string> values = [.. access.Values.OrderByDescending(Shared).ThenBy(c => c, StringComparer.Ordinal)];
        List<string> both = [.. access.Values.Concat(access.Joined).OrderByDescending(Shared).ThenBy(c => c, StringComparer.Ordinal)];
        foreach (List<string> equal in access.Joined.Count > 0 ? new[] { values, both, [.. access.Joined] } : [values])
        {
            if (IsUnique(equal, table))
            {
                continue;
            }

            List<string> order = [.. access.Order.Except(equal)];
            foreach (List<string> behind in new[] { [], order, [.. access.Ranges.Take(1)], [.. access.Ranges.Skip(1).Take(1)] })
            {
                List<string> columns = [.. equal, .. behind.Except(equal)];
                if (columns.Count is 0 or > MostColumns)
                {
                    continue;
                }

                yield return columns;
                if (access.Needed is { } needed && needed.Except(columns).Any() && columns.Count + needed.Except(columns).Count() <= MostCovering)
                {
                    yield return [.. columns, .. needed.Except(columns)];
                }
            }
        }
    }

    /// <summary>Whether columns held equal lead to one row at most: no index finds it sooner.</summary>
    private static bool IsUnique(List<string> equal, CatalogTable table)
    {
        List<string> key = [.. table.Columns.Where(c => c.Key > 0).Select(c => c.Name)];
        return (key.Count > 0 && key.All(equal.Contains)) || table.Indexes.Any(i => i is { Unique: true, Partial: false, Valid: true } && i.Columns.Count > 0 && i.Columns.All(equal.Contains));
    }

    /// <summary>Whether an index begins with these columns already.</summary>
    private static bool IsServed(IReadOnlyList<string> columns, CatalogTable table) =>
        table.Indexes.Any(i => i is { Partial: false, Valid: true } && i.Columns.Count >= columns.Count && i.Columns.Take(columns.Count).SequenceEqual(columns, StringComparer.OrdinalIgnoreCase));

    /// <summary>What of an expression can stand in a name.</summary>
    private static string Word(string column) => column.StartsWith('(') ? string.Join('_', column.Split([.. column.Where(c => !char.IsAsciiLetterOrDigit(c)).Distinct()], StringSplitOptions.RemoveEmptyEntries)) : column;

    private static string NameFor(string table, IReadOnlyList<string> columns, HashSet<string> names)
    {
        // PostgreSQL keeps 63 bytes of a name.
        string name = $"{table}_by_{string.Join('_', columns.Select(Word))}";
        name = name.Length > 55 ? name[..55] : name;
        string free = name;
        for (int i = 2; !names.Add(free); i++)
        {
            free = $"{name}_{i}";
        }

        return free;
    }
}
