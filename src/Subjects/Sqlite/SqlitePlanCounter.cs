using System.Diagnostics;
using SQLitePCL;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// Executes a statement on the library that counts, and reads what each operator of its plan did: for a process of its own, which
/// has called <see cref="SqliteLibrary.Use"/>. Nothing of it is timed for a verdict.
/// </summary>
internal sealed class SqlitePlanCounter : IPlanCounter
{
    /// <summary>A statement faster than this is counted at its second execution, when its pages are in the cache.</summary>
    private static readonly TimeSpan WarmedUnder = TimeSpan.FromMilliseconds(200);

    private const int CountsOption = 1018;

    private readonly Watchdog _watchdog = new();

    public CountedPlan Count(string path, IReadOnlyList<string> settings, CaseRun run, TimeSpan limit, bool once = false)
    {
        // All executions of the statement together.
        var clock = Stopwatch.StartNew();
        var within = new ExecutionLimit(limit, () => limit - clock.Elapsed);
        try
        {
            using SqliteConnection connection = Connect(path, settings);
            using var prepared = new SqlitePreparedCase(connection, _watchdog, run, within);
            double took = prepared.Execute(1) / 1000;
            Plan plan = Read(connection, prepared.Statement);
            Plan Again()
            {
                Native.ScanStatus.Reset(prepared.Statement);
                took = prepared.Execute(1) / 1000;
                return Read(connection, prepared.Statement);
            }

            if (once)
            {
                return new(plan, null, null, took, null);
            }

            if (took < WarmedUnder.TotalMilliseconds)
            {
                // Of a limit that is short most is left for the rows.
                plan = Again();
                bool MayGoOn() => clock.Elapsed < limit / 4;
                plan = MayGoOn() ? SteadyShares.Of(plan, Again, MayGoOn)! : plan;
            }

            // Rows are hashed in an execution of their own: what was counted stays what the statement alone does.
            RowHash? hash = prepared.Writes ? null : Hash(prepared, connection, within);
            return new(plan, hash?.Rows, hash?.Multiset, took, null);
        }
        catch (EngineException e)
        {
            return new(null, null, null, null, e.TimeLimit
                ? $"Counting took longer than {limit.TotalSeconds:0.###} s, the limit of one execution: there are only estimates."
                : $"The library that counts could not run this statement: {e.Message}.");
        }
    }

    /// <summary>What the database holds, with sizes and statistics.</summary>
    /// <exception cref="EngineException">It cannot be read.</exception>
    public Catalog? ReadCatalog(string path, IReadOnlyList<string> settings, TimeSpan limit)
    {
        using SqliteConnection connection = Connect(path, settings);
        return new SqliteCatalog(connection, _watchdog, limit).Read();
    }

    /// <exception cref="EngineException">The copy cannot be opened.</exception>
    public (BatchRun? Run, string? Problem) RunScript(string path, string script, TimeSpan limit, TimeSpan whole, ChangeBounds bounds, Action<BatchProgress>? told)
    {
        long bytes = new FileInfo(path).Length;
        using SqliteConnection connection = Connect(path, [], bytes + bounds.GrowthOf(bytes));
        return (new SqliteBatch(connection, _watchdog, limit, bounds, bytes, counted: true).Run(script, whole, told), null);
    }

    public void Dispose() => _watchdog.Dispose();

    private static SqliteConnection Connect(string path, IReadOnlyList<string> settings, long? mostBytes = null)
    {
        SqliteConnection connection = SqliteCopy.Connect(path, settings, mostBytes);
        _ = raw.sqlite3_db_config(connection.Handle, CountsOption, 1, out _);
        return connection;
    }

    private RowHash Hash(SqlitePreparedCase prepared, SqliteConnection connection, ExecutionLimit limit)
    {
        var hash = new RowHash();
        _watchdog.Arm(connection.Handle, limit.Now);
        int rc;
        while ((rc = raw.sqlite3_step(prepared.Statement)) == raw.SQLITE_ROW)
        {
            hash.Add(prepared.Statement);
        }

        if (rc != raw.SQLITE_DONE)
        {
            throw prepared.Failed();
        }

        _watchdog.Disarm();
        _ = raw.sqlite3_reset(prepared.Statement);
        return hash;
    }

    internal static Plan Read(SqliteConnection connection, sqlite3_stmt statement)
    {
        Dictionary<int, ScanElement> elements = Elements(statement);

        // The elements of the program that ran, not the rows of EXPLAIN QUERY PLAN: those are numbered otherwise where an index is built.
        List<(int Id, int Parent, string Detail)> rows = [.. elements.Values.OrderBy(e => e.Id).Select(e => (e.Id, e.Parent, e.Text))];
        var program = new Bytecode(connection, statement);
        double total = Math.Max(1, Native.ScanStatus.TotalCycles(statement));
        IReadOnlyDictionary<int, double> own = OwnCycles(rows, elements);
        double sum = own.Values.Sum(), whole = Math.Max(total, sum);
        ILookup<int, int> accesses = rows.Where(r => r.Detail.StartsWith("SCAN ", StringComparison.Ordinal) || r.Detail.StartsWith("SEARCH ", StringComparison.Ordinal))
            .ToLookup(r => r.Parent, r => r.Id);

        PlanOperator With(int id, PlanOperator o)
        {
            if (!elements.TryGetValue(id, out ScanElement e) || (e.Loops < 0 && e.Cycles < 0))
            {
                return o;
            }

            bool reads = o.Kind is OperatorKind.Scan or OperatorKind.Search;
            return o with
            {
                EstimatedRows = reads ? e.Estimate : null,
                Counts = new(Math.Max(0, e.Loops), e.Visits < 0 ? null : e.Visits, reads ? Passed([.. accesses[e.Parent]], id, elements, program) : null,
                    own.TryGetValue(id, out double cycles) ? cycles / whole : null),
            };
        }

        return PlanText.Build(rows, With) with { RestShare = (whole - sum) / whole };
    }

    private static Dictionary<int, ScanElement> Elements(sqlite3_stmt statement)
    {
        var elements = new Dictionary<int, ScanElement>();
        for (int i = 0; Native.ScanStatus.TryRead(statement, i, out ScanElement element); i++)
        {
            elements[element.Id] = element;
        }

        return elements;
    }

    /// <summary>Nested loops stand in their order: what one passes is what starts the next. The innermost tells it by its program.</summary>
    private static long? Passed(int[] loops, int id, Dictionary<int, ScanElement> elements, Bytecode program)
    {
        int at = Array.IndexOf(loops, id);
        return at + 1 < loops.Length
            ? elements.TryGetValue(loops[at + 1], out ScanElement next) && next.Loops >= 0 ? next.Loops : null
            : program.PassedBy(id);
    }

    /// <summary>
    /// Cycles without those of what is contained: a subquery's hold its operators', and a scan of a co-routine's hold the co-routine's.
    /// </summary>
    private static Dictionary<int, double> OwnCycles(IReadOnlyList<(int Id, int Parent, string Detail)> rows, Dictionary<int, ScanElement> elements)
    {
        ILookup<int, int> children = rows.ToLookup(r => r.Parent, r => r.Id);
        var inclusive = new Dictionary<int, double>();
        var own = new Dictionary<int, double>();
        foreach ((int id, int _, string detail) in rows.Reverse())
        {
            double below = children[id].Sum(c => inclusive[c]);
            double? measured = elements.TryGetValue(id, out ScanElement e) && e.Cycles >= 0 ? e.Cycles : null;
            bool contains = detail.StartsWith("CORRELATED ", StringComparison.Ordinal) || detail.StartsWith("CO-ROUTINE ", StringComparison.Ordinal)
                || detail.Contains(" SUBQUERY", StringComparison.Ordinal);
            if (measured is { } cycles)
            {
                own[id] = contains ? Math.Max(0, cycles - below) : cycles;
            }

            inclusive[id] = contains ? Math.Max(measured ?? 0, below) : (measured ?? 0) + below;
        }

        foreach ((int routine, int _, string detail) in rows.Where(r => r.Detail.StartsWith("CO-ROUTINE ", StringComparison.Ordinal)))
        {
            string scan = "SCAN " + detail["CO-ROUTINE ".Length..];
            int scanId = rows.FirstOrDefault(r => r.Detail == scan || r.Detail.StartsWith(scan + " ", StringComparison.Ordinal)).Id;
            if (own.TryGetValue(scanId, out double scanned))
            {
                own[scanId] = Math.Max(0, scanned - inclusive[routine]);
            }
        }

        return own;
    }
}
