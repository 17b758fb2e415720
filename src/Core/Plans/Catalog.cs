namespace SwiftLedger.Core.Plans;

/// <summary>What a database holds, and what its planner was told of it.</summary>
/// <param name="PageSize">Bytes.</param>
/// <param name="Tables">In any order.</param>
public sealed record Catalog(int PageSize, IReadOnlyList<CatalogTable> Tables)
{
    /// <summary>The table of that name, in any case; null where there is none.</summary>
    public CatalogTable? Table(string? name) => name is null ? null : Tables.FirstOrDefault(t => t.Name.Equals(name, StringComparison.OrdinalIgnoreCase));

    /// <summary>The table that a statement means; null where there is none.</summary>
    /// <param name="schema">As it is written there; null where none is.</param>
    /// <param name="name">Of the table alone, in any case.</param>
    public CatalogTable? Table(string? schema, string name) => (schema is null ? null : Table($"{schema}.{name}")) ?? Table(name);

    /// <summary>Tables with all that they refer to, what is referred to first; of those that refer to each other in a circle, whichever is met first.</summary>
    /// <param name="tables">Of this catalogue.</param>
    public IReadOnlyList<CatalogTable> ByReference(IEnumerable<CatalogTable> tables)
    {
        var met = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        var sorted = new List<CatalogTable>();
        foreach (CatalogTable table in tables)
        {
            Visit(table);
        }

        return sorted;

        void Visit(CatalogTable table)
        {
            if (met.Add(table.Name))
            {
                foreach (Reference reference in table.References)
                {
                    if (Table(reference.Target) is { } target)
                    {
                        Visit(target);
                    }
                }

                sorted.Add(table);
            }
        }
    }

    /// <summary>The index of that name with its table; null where there is none.</summary>
    public (CatalogTable Table, CatalogIndex Index)? Index(string? name) => name is null
        ? null
        : Tables.SelectMany(t => t.Indexes.Select(i => (t, i))).Cast<(CatalogTable, CatalogIndex)?>()
            .FirstOrDefault(p => p!.Value.Item2.Name.Equals(name, StringComparison.OrdinalIgnoreCase));
}

/// <param name="Rows">Counted; null where counting took too long.</param>
/// <param name="Pages">Of the table alone, without its indexes; null where sizes are not known.</param>
/// <param name="AnalyzedRows">How many rows the statistics believe in; null where there are none.</param>
/// <param name="Columns">In their order.</param>
/// <param name="Indexes">In any order.</param>
/// <param name="Name">As the engine has it.</param>
public sealed record CatalogTable(
    string Name, IReadOnlyList<CatalogColumn> Columns, long? Rows, long? Pages, long? AnalyzedRows, IReadOnlyList<CatalogIndex> Indexes)
{
    /// <summary>The schema with which a statement has to name it, and with which <see cref="Name"/> then begins; null where it need not.</summary>
    public string? Schema { get; init; }

    /// <summary>Its name without that schema.</summary>
    public string OwnName => Schema is null ? Name : Name[(Schema.Length + 1)..];

    /// <summary>The triggers that its writes run.</summary>
    public IReadOnlyList<CatalogTrigger> Triggers { get; init; } = [];

    /// <summary>Rows that were deleted or replaced and still take room; null where the engine does not count them.</summary>
    public long? DeadRows { get; init; }

    /// <summary>Rows that were written since statistics were gathered; null where the engine does not count them.</summary>
    public long? ChangedRows { get; init; }

    /// <summary>Whether the table's values, counted, are what the statistics say; null where they were not counted.</summary>
    public bool? ValuesAgree { get; init; }

    /// <summary>A column that holds another number of values than the statistics say; null where none was found.</summary>
    public ValuesApart? Apart { get; init; }

    /// <summary>Whether the server itself saw statistics being gathered; a copy brings them along from elsewhere.</summary>
    public bool AnalyzedHere { get; init; }

    /// <summary>The referring columns of each foreign key; empty where they are not known.</summary>
    public IReadOnlyList<IReadOnlyList<string>> ForeignKeys { get; init; } = [];

    /// <summary>Foreign keys with what they refer to; empty where they are not known.</summary>
    public IReadOnlyList<Reference> References { get; init; } = [];

    /// <summary>The columns of each extended statistics object; empty where there are none, or the engine has no such thing.</summary>
    public IReadOnlyList<IReadOnlyList<string>> StatisticsTogether { get; init; } = [];

    /// <summary>Rows over rows believed in, or the reverse: 1 where statistics are fresh; null where one is missing.</summary>
    public double? StatisticsOffBy => Rows is { } rows && AnalyzedRows is { } believed
        ? Math.Max(rows, 1) / (double)Math.Max(believed, 1) is var r && r >= 1 ? r : 1 / r
        : null;

    /// <summary>A fifth of the rows: twice what makes a server gather statistics by itself (PostgreSQL manual, autovacuum_analyze_scale_factor).</summary>
    private const double StaleFrom = 0.2;

    internal const double OffFrom = 2;

    /// <summary>Whether the statistics know another table than there is: by its rows, or by how many of them were written since.</summary>
    public bool IsStale => StatisticsOffBy >= OffFrom || ValuesAgree == false || (ValuesAgree != true && ChangedRows is { } changed && changed > Math.Max(Rows ?? 0, AnalyzedRows ?? 0) * StaleFrom);

    /// <summary>Whether a column can hold no NULL: it is declared so, or is the row's own number (SQLite's manual, "CREATE TABLE", on NULL in primary keys).</summary>
    public bool IsNeverNull(CatalogColumn column) => column.NotNull || (column.Key == 1 && Columns.Count(c => c.Key > 0) == 1 && column.Type.Equals("INTEGER", StringComparison.OrdinalIgnoreCase));

    /// <summary>Whether no two rows are alike in these columns, and none of them has a NULL in one that makes them so.</summary>
    /// <param name="columns">By name.</param>
    public bool IsKey(IReadOnlyCollection<string> columns) => KeysOf(never: true).Any(k => k.All(c => columns.Contains(c, StringComparer.OrdinalIgnoreCase)));

    /// <summary>Whether at most one row has given values in these columns; a NULL is given by nobody.</summary>
    /// <param name="columns">By name.</param>
    public bool FindsOne(IReadOnlyCollection<string> columns) => KeysOf(never: false).Any(k => k.All(c => columns.Contains(c, StringComparer.OrdinalIgnoreCase)));

    private IEnumerable<IReadOnlyList<string>> KeysOf(bool never)
    {
        List<CatalogColumn> key = [.. Columns.Where(c => c.Key > 0)];
        if (key.Count > 0 && (!never || key.All(IsNeverNull)))
        {
            yield return [.. key.Select(c => c.Name)];
        }

        foreach (CatalogIndex index in Indexes.Where(i => i is { Unique: true, Partial: false, Valid: true } && i.Columns.Count > 0))
        {
            if (index.Columns.All(c => Column(c) is { } column && (!never || IsNeverNull(column))))
            {
                yield return index.Columns;
            }
        }
    }

    public CatalogColumn? Column(string name) => Columns.FirstOrDefault(c => c.Name.Equals(name, StringComparison.OrdinalIgnoreCase));
}

/// <summary>A foreign key.</summary>
/// <param name="Columns">That refer.</param>
/// <param name="Target">The table referred to, as the engine has it.</param>
/// <param name="TargetColumns">Of its key, in the order of <paramref name="Columns"/>.</param>
/// <param name="Enforced">Whether the engine keeps it always; else a session may leave it unchecked.</param>
public sealed record Reference(IReadOnlyList<string> Columns, string Target, IReadOnlyList<string> TargetColumns, bool Enforced);

/// <summary>How many different values a column holds, and is believed to hold.</summary>
/// <param name="Believed">By the statistics.</param>
/// <param name="Counted">On the copy; NULL is one.</param>
/// <param name="Column">As the engine has it.</param>
public sealed record ValuesApart(string Column, long Believed, long Counted)
{
    /// <summary>As counted over as believed in, or the reverse: a sample of a table may miss as many.</summary>
    private const double From = 3;

    /// <summary>Whether two numbers of values are further apart than a sample explains.</summary>
    public static bool Are(double believed, double counted) => Math.Max(believed, 1) >= Math.Max(counted, 1) * From || Math.Max(counted, 1) >= Math.Max(believed, 1) * From;
}

/// <param name="Event">insert, update or delete.</param>
/// <param name="Name">As the engine has it.</param>
public sealed record CatalogTrigger(string Name, string Event);

/// <param name="Type">As declared; may be empty.</param>
/// <param name="Key">Place in the primary key from 1; 0 where it is none of it.</param>
/// <param name="Name">As the engine has it.</param>
/// <param name="NotNull">Whether it can hold no NULL.</param>
public sealed record CatalogColumn(string Name, string Type, bool NotNull, int Key)
{
    /// <summary>What the planner knows of its values; null where it knows nothing, or that is not known here.</summary>
    public ColumnStatistics? Statistics { get; init; }
}

/// <param name="Columns">In order; an expression has its text, or <c>(expression)</c>.</param>
/// <param name="Origin">How it came to be: created, unique or key.</param>
/// <param name="Partial">Whether it holds only some rows.</param>
/// <param name="RowsPerKey">From the statistics: rows that share the first column's value, the first two columns', and so on; empty where there are none.</param>
/// <param name="Name">As the engine has it.</param>
/// <param name="Pages">That it takes; null where nobody counted them.</param>
/// <param name="Unique">Whether a key stands in it once.</param>
public sealed record CatalogIndex(
    string Name, IReadOnlyList<string> Columns, bool Unique, bool Partial, string Origin, long? Pages, IReadOnlyList<double> RowsPerKey)
{
    /// <summary>Stands for an expression whose text the engine does not tell.</summary>
    public const string Expression = "(expression)";

    /// <summary>False where building it failed: it is kept and never used.</summary>
    public bool Valid { get; init; } = true;

    /// <summary>How often the server went through it since it began to count; null where it does not.</summary>
    public long? Scans { get; init; }
}
