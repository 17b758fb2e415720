using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Engines.Sqlite;

/// <summary>SQLite: a file, or its copy, in the process that asks.</summary>
public static class SqliteEngine
{
    public static readonly Engine Engine = new()
    {
        Name = "SQLite",
        Dialect = SqliteDialect.Dialect,
        Days = SqliteGrammar.Days,
        Prefixes = SqliteGrammar.Prefixes,
        Plans = new QueryPlans(),
        Counter = new("vmSteps", "pagesTouched", "the engine's steps are exact", ["vmSteps", "fullScanSteps", "sorts", "autoIndexRows", "pagesTouched"]) { CountsReferences = true, RowsToBuild = "autoIndexRows" },
        Settings = Memory,
        Addresses = new FilePaths(),
        Ways = [SubjectSides.Copies],
        Locks = SingleWriter,
        Housekeeping = Captures.Housekeeping.Of([], ["vacuum", "analyze", "reindex"]),
    };

    /// <remarks>SQLite documentation, "Pragma statements": cache_size, of 2 MB where nothing is said, negative in KiB; mmap_size.</remarks>
    private static IReadOnlyList<SettingSweep> Memory =>
    [
        new("cache_size", [new("-16384", 16L << 20), new("-65536", 64L << 20), new("-262144", 256L << 20)], SweepBy.Size, null, "Pages are kept in the process instead of being asked of the operating system again.", value => $"PRAGMA cache_size = {value};", ""),
        new("mmap_size", [new("67108864", 64L << 20), new("268435456", 256L << 20), new("1073741824", 1L << 30)], SweepBy.Size, null, "Pages are read where the operating system keeps them, without being copied.", value => $"PRAGMA mmap_size = {value};", ""),
    ];

    /// <remarks>SQLite documentation, "Isolation In SQLite" and "Write-Ahead Logging".</remarks>
    private static ChangeLocks SingleWriter => new(
        "While it is built nobody else writes to the database; with a write-ahead log readers go on, without one they wait while it is committed.",
        "A moment in which nobody else writes.",
        "While the tables are read nobody else writes once the first row of statistics is written.");

    /// <summary>A file of any name.</summary>
    private sealed class FilePaths : ISubjectAddresses
    {
        public string Form => "a SQLite file";

        public bool AreOfServers => false;

        public bool Owns(string address) => false;

        public string Shown(string address) => address;
    }

    private sealed class QueryPlans() : PlanLanguage(SqliteDialect.Dialect)
    {
        public override string Forms => "";

        public override IPlanPins Pins { get; } = new IndexedBy();

        public override IReadOnlyList<(string Begins, string Means)> Words => PlanText.Words;

        public override bool ReadsAnyLines => true;

        public override string? KeepsOrderBy => "joins that are written as CROSS JOIN";

        public override string? InOrder(JoinedTables tables, IReadOnlyList<SourceItem> order, Func<SqlCondition, IReadOnlyCollection<SourceItem>?> tablesOf) => tables.Crossed(order);

        /// <summary>Lines whose depth is told by what stands before them: spaces, or the shell's <c>|--</c> and <c>`--</c>.</summary>
        public override (Plan? Plan, string? Problem) Read(string text)
        {
            List<(int Column, string Words)> lines = [.. text.Split('\n').Where(l => l.Trim().Length > 0 && l.Trim() != "QUERY PLAN").Select(l =>
            {
                string words = l.TrimStart(' ', '|', '`', '-', '\t').TrimEnd();
                return (l.IndexOf(words, StringComparison.Ordinal), words);
            })];
            return (lines.Count == 0 ? null : PlanText.BuildIndented(lines), null);
        }
    }
}
