using System.Diagnostics;
using System.Text;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;
using SwiftLedger.Testing;

namespace SwiftLedger.Benchmarks;

/// <summary>What proposals are made with: reading and writing statements, in MB/s of UTF-8, beside lexing the same texts.</summary>
internal static class ProposalsBench
{
    private const int Databases = 500;

    public static Task RunAsync()
    {
        OfEngine("the demo's workload for SQLite", Dialects.Sqlite, Path.Combine(AppContext.BaseDirectory, "texts", "demo", "workload.sql"));
        OfEngine("the demo's workload for PostgreSQL", Dialects.PostgreSql, Path.Combine(AppContext.BaseDirectory, "texts", "demo", "workload.sql"));
        Search();
        return Task.CompletedTask;
    }

    /// <summary>Small databases that are made for one rewrite, in the engine itself: those of the examples that the tests hold, each with tables, keys and references; no process is started for it.</summary>
    private static void Search()
    {
        Catalog catalog = RewriteExamples.Catalog("TEXT", false);
        var took = new List<double>();
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        using ISmallDatabase database = SubjectEngines.Of(KnownEngines.Default).OpenSmall("", folder, RewriteExamples.Schema("TEXT"), [.. catalog.Tables.Select(t => t.Name)], TimeSpan.FromMinutes(10));
        foreach ((RewriteKind kind, string sql, _) in RewriteExamples.Known)
        {
            foreach (RewriteCandidate rewrite in RewriteRules.Of(sql, Dialects.Sqlite, catalog, []).Where(r => r.Kind == kind))
            {
                long start = Stopwatch.GetTimestamp();
                SearchResult found = new CounterexampleSearch(sql, rewrite, Dialects.Sqlite, catalog, []).Run(database, null, Databases, 1, () => false);
                took.Add(Stopwatch.GetElapsedTime(start).TotalSeconds);
                if (found.Found is not null || found.Databases != Databases)
                {
                    throw new InvalidOperationException(rewrite.Sql);
                }
            }
        }

        Directory.Delete(folder, recursive: true);
        Report.Line($"{Databases} databases each: four tables with keys and references, 0 to 6 rows a table, values by chance and by what the statement asks for");
        Report.Target($"  for one rewrite, the slowest of {took.Count}", took.Max(), "s", 10);
    }

    private static void OfEngine(string what, SqlDialect dialect, string file)
    {
        string[] statements = [.. WorkloadFile.Parse(File.ReadAllText(file), dialect).Value.Statements.SelectMany(s => s.Sent.Select(one => one.Sql))];
        double megabytes = statements.Sum(s => Encoding.UTF8.GetByteCount(s)) / 1e6;
        long sink = 0;
        double reading = double.MaxValue, printing = double.MaxValue, lexing = double.MaxValue;

        // In turns, so that a slow spell of the machine meets all alike; the shortest of many.
        for (int i = 0; i < 1_000; i++)
        {
            var trees = new List<SyntaxTree>(statements.Length);
            long start = Stopwatch.GetTimestamp();
            foreach (string sql in statements)
            {
                trees.Add(SyntaxTree.Read(sql, dialect));
            }

            reading = Math.Min(reading, Stopwatch.GetElapsedTime(start).TotalSeconds);
            start = Stopwatch.GetTimestamp();
            foreach (SyntaxTree tree in trees)
            {
                sink += tree.Statement is { } read ? SyntaxPrinter.Print(read, dialect.Grammar!, Layout.Plain).Length : throw new InvalidOperationException(tree.Sql);
            }

            printing = Math.Min(printing, Stopwatch.GetElapsedTime(start).TotalSeconds);
            start = Stopwatch.GetTimestamp();
            foreach (string sql in statements)
            {
                var lexer = new SqlLexer(sql, dialect);
                while (lexer.TryReadSignificant(out Token token))
                {
                    sink += token.Length;
                }
            }

            lexing = Math.Min(lexing, Stopwatch.GetElapsedTime(start).TotalSeconds);
        }

        double both = megabytes / (reading + printing);
        Report.Line($"{what + ", " + statements.Length + " statements",-58} {megabytes * 1e3:0.0} kB ({sink & 1})");
        Report.Line($"{"  read and written anew",-58} {both,10:0.0} MB/s   target >= 20 MB/s   {(both >= 20 ? "met" : "MISSED")}");
        Report.Line($"{"  read, written",-58} {megabytes / reading,10:0.0} and {megabytes / printing:0.0} MB/s");
        Report.Line($"{"  lexed alone",-58} {megabytes / lexing,10:0.0} MB/s   ratio {(reading + printing) / lexing:0.0}");
    }
}
