using SwiftLedger.Bench;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Demo;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;

namespace SwiftLedger.Benchmarks;

/// <summary>What it costs to count: the demo's cases on the library that counts, beside the same cases on the stock one.</summary>
internal static class CountingBench
{
    private const int Times = 5;

    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(30);

    public static async Task RunAsync()
    {
        string folder = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            DemoScenario demo = DemoScenario.MakeIn(Path.Combine(folder, "demo"));
            string copies = Directory.CreateDirectory(Path.Combine(folder, "copies")).FullName;
            using var counter = new ExplainProcess(SubjectEngines.Of(Dialects.SqliteEngine));
            await using SqliteSubject subject = SqliteSubject.Open(demo.DatabasePath, copies);
            await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
            string path = Path.Combine(copies, "before.db");
            double plain = 0, counted = 0;
            int cases = 0;
            var ratios = new List<double>();
            foreach (WorkloadStatement statement in WorkloadFile.Parse(demo.Workload).Value.WithoutUnits().Statements)
            {
                foreach (StatementCase @case in statement.Cases)
                {
                    var run = new CaseRun(statement.Sql, @case.Bindings);
                    using IPreparedCase prepared = copy.Prepare(run, Limit);
                    prepared.Execute(1);
                    double stock = Report.Median(Enumerable.Range(0, Times).Select(_ => prepared.Execute(1)));
                    double own = Report.Median(Enumerable.Range(0, Times).Select(_ => counter.Count(path, [], run, Limit)).Select(c => (c.Milliseconds ?? throw new InvalidOperationException(c.Problem)) * 1000));
                    plain += stock;
                    counted += own;
                    cases++;
                    ratios.Add(own / stock);
                }
            }

            Report.Target($"counted / plain execution, {cases} demo cases together", counted / plain, "", 2);
            Report.Line($"{"  median of the cases, largest",-58} {Report.Median(ratios),10:0.00}        {ratios.Max():0.0}");
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }
}
