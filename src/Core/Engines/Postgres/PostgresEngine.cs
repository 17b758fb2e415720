using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>PostgreSQL: a server, of which databases are copied, dumped, read, or tried out in a transaction.</summary>
public static class PostgresEngine
{
    public static readonly Engine Engine = new()
    {
        Name = "PostgreSQL",
        Dialect = PostgresDialect.Dialect,
        Days = PostgresGrammar.Days,
        Prefixes = PostgresGrammar.Prefixes,
        Plans = new ExplainedPlans(),
        StatisticsTogether = static (name, table, columns) => ($"CREATE STATISTICS {name} (ndistinct, dependencies, mcv) ON {string.Join(", ", columns)} FROM {table};\nANALYZE {table};", $"DROP STATISTICS {name};"),
        Counter = new("blocksTouched", "blocksTouched", "the engine counted the blocks that it touched", ["blocksTouched", "rowsProcessed", "tempBlocks"], ("rowsProcessed", "the engine counted the rows that its operators processed")) { Spilled = "tempBlocks", ExactOfWrites = ["rowsProcessed", "tempBlocks"] }, // where a row finds room is the server's to say, and another block each time
        Settings = Swept,
        Addresses = new ConnectionStrings(),
        Ways = [SubjectSides.Copies, SubjectSides.Dumped, SubjectSides.AsItIs, SubjectSides.RolledBack, SubjectSides.Pair, SubjectSides.InPlace],
        Logs = new ServerLogs(),
        Housekeeping = Captures.Housekeeping.Of(["pg_dump", "pg_dumpall", "pg_restore", "pg_basebackup", "pg_receivewal", "pg_rewind", "vacuumdb", "reindexdb", "clusterdb"], ["vacuum", "analyze", "analyse", "checkpoint", "reindex", "cluster"]),
        Locks = TableLocks,
        SystemNames = ["postgresql", "postgres", "cockroachdb", "redshift", "aws.redshift"],
    };

    /// <remarks>PostgreSQL manual, 20.4 "Resource Consumption" (work_mem: for each sort and hash of each process) and 20.7 "Query Planning" (random_page_cost: 4 where nothing is said, less where pages are cached or on solid state).</remarks>
    private static IReadOnlyList<SettingSweep> Swept =>
    [
        new("work_mem", [new("16MB", 16L << 20), new("64MB", 64L << 20), new("256MB", 256L << 20)], SweepBy.Counter, "tempBlocks", "Sorts and hashes stay in memory that went to files, each of them and in each process.", value => $"SET work_mem = '{value}';", "RESET work_mem;"),
        new("random_page_cost", [new("2.5"), new("1.5"), new("1.1")], SweepBy.Work, null, "The planner takes reading a page somewhere for cheaper, and goes through indexes more often.", value => $"SET random_page_cost = {value};", "RESET random_page_cost;"),
        new("effective_cache_size", [new("8GB", 8L << 30), new("32GB", 32L << 30)], SweepBy.Work, null, "The planner takes more of an index for cached.", value => $"SET effective_cache_size = '{value}';", "RESET effective_cache_size;"),
    ];

    /// <remarks>PostgreSQL manual, CREATE INDEX, "Building Indexes Concurrently", and 13.3 "Explicit Locking", table 13.2.</remarks>
    private static ChangeLocks TableLocks => new(
        "While it is built (SHARE lock) the table is read, and writes to it wait. CREATE INDEX CONCURRENTLY lets them through, reads the table twice, and may leave an index behind that is not valid.",
        "It waits until nobody uses the table, and while it waits everybody behind it does (ACCESS EXCLUSIVE lock). DROP INDEX CONCURRENTLY lets them through.",
        "Reads and writes go on (SHARE UPDATE EXCLUSIVE lock); other changes of the table wait.");

    private sealed class ExplainedPlans() : PlanLanguage(PostgresDialect.Dialect)
    {
        public override string Forms => "PostgreSQL's EXPLAIN as JSON, XML or YAML";

        public override IReadOnlyList<(string Begins, string Means)> Words => PostgresPlanText.Words;

        public override (Plan? Plan, string? Problem) Read(string text) => PostgresPlanText.ReadAny(text);

        public override IEnumerable<Finding> FindingsOf(PlanSide side, IReadOnlyList<PlanOperator> operators) => ServerFindings.Of(side, operators);

        public override bool? MayEndEarly(Plan plan, int at) => PostgresFlow.MayEndEarly(plan, at);

        public override bool RunsInParallel(PlanOperator o) => o.Text.StartsWith("Parallel ", StringComparison.Ordinal);

        public override bool RunsPerRow(PlanOperator o) => o.Details.GetValueOrDefault("Parent Relationship") == "SubPlan" && o.Counts is { Loops: > 1 };

        /// <remarks>PostgreSQL manual, 14.3 "Controlling the Planner with Explicit JOIN Clauses".</remarks>
        public override string? KeepsOrderBy => "join_collapse_limit, with more tables than it allows";

        /// <remarks>PostgreSQL keeps a subquery with OFFSET apart from the query around it (is_simple_subquery, prepjointree.c), and LATERAL makes it the inner side of a loop.</remarks>
        public override string? InOrder(JoinedTables tables, IReadOnlyList<SourceItem> order, Func<SqlCondition, IReadOnlyCollection<SourceItem>?> tablesOf) => tables.Nested(order, tablesOf);

        public override string? DifferenceOfPlanning(Plan before, Plan after) => Planning.Difference(before, after);
    }
}
