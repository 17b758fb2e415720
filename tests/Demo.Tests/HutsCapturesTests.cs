using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Demo.Tests;

/// <summary>The two weeks hold what they are there to show, told by the same readers as any file.</summary>
public sealed class HutsCapturesTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly DemoScenario _demo;

    public HutsCapturesTests() => _demo = DemoScenario.MakeIn(_folder, 0.02);

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Errors_come_in_one_burst_and_one_schema_change_is_unannounced()
    {
        FoldedBatch batch = Read();
        batch.Rejections.ShouldBeEmpty();
        batch.Errors.Keys.Select(e => (e.SqlState, Stretches.TimeOf(e.Hour).ToString("dd HH", null))).Distinct().ShouldHaveSingleItem().ShouldBe(("SQLITE_BUSY", "13 19"));
        SchemaStatement change = batch.SchemaStatements.ShouldHaveSingleItem();
        HutsCaptures.Deployments.ShouldAllBe(d => (d.At - change.At).Duration() > TimeSpan.FromHours(1));
    }

    [Fact]
    public void A_page_asks_once_for_a_list_and_then_once_for_each_row()
    {
        (RepeatKey key, Repeat repeat) = Read().Repeats.ShouldHaveSingleItem();
        key.Source.ShouldBe("huts-app-1");
        repeat.OneForEachRow.ShouldBe(repeat.Units);
        (repeat.Least, repeat.Most).ShouldBe((6, 17));
    }

    [Fact]
    public void The_third_deployment_makes_exactly_three_patterns_dearer()
    {
        FoldedBatch batch = Read();
        int at = Stretches.MinuteOf(HutsCaptures.Deployments[2].At);
        var effects = batch.Cells.GroupBy(c => c.Key.Pattern).Select(g =>
        {
            ILookup<bool, TimedCell> sides = g.OrderBy(c => c.Key.Minute).Select(c => new TimedCell(c.Key.Minute, c.Value)).ToLookup(c => c.Minute < at);
            return DeploymentEffects.Of(1, sides[true].ToList(), sides[false].ToList(), 5, 9, Band.OfTolerance(0.05), 1) with { Pattern = (long)g.Key };
        }).ToList();
        effects.Count(e => e.Movement == Movement.Regressed).ShouldBe(3);
        effects.Where(e => e.Movement == Movement.Regressed).ShouldAllBe(e => e.Comparison!.Ratio > 15);
    }

    // J. D. C. Little, "A Proof for the Queuing Formula: L = lambda W" (1961): the mean number at work is the arrival rate times the mean duration.
    [Fact]
    public void Littles_law_holds_for_what_the_captures_hold()
    {
        var executions = new Executions();
        foreach (string file in _demo.Captures)
        {
            new JsonLinesForm().Consume(File.ReadAllBytes(file), last: true, executions);
        }

        // Left: who is at work, followed from one start or end to the next. Right: calls and durations as they were folded.
        double area = 0;
        int atWork = 0;
        DateTime last = executions.Events.Min(e => e.At);
        foreach ((DateTime at, int step) in executions.Events.Order())
        {
            area += atWork * (at - last).TotalSeconds;
            (atWork, last) = (atWork + step, at);
        }

        IReadOnlyDictionary<CellKey, Cell> cells = Read().Cells;
        double calls = cells.Values.Sum(c => c.Timed), span = (last - executions.Events.Min(e => e.At)).TotalSeconds;
        double mean = cells.Values.Sum(c => c.TotalTicks) / calls / TimeSpan.TicksPerSecond;
        atWork.ShouldBe(0);
        (area / span).ShouldBe(calls / span * mean, 1e-9);
    }

    [Fact]
    public void The_same_seed_writes_the_same_bytes()
    {
        Workload workload = WorkloadFile.Parse(_demo.Workload).Value;
        new HutsCaptures(0.02).Write(Path.Combine(_folder, "a"), workload);
        new HutsCaptures(0.02).Write(Path.Combine(_folder, "b"), workload);
        foreach (string instance in HutsCaptures.Instances)
        {
            File.ReadAllBytes(Path.Combine(_folder, "a", instance + ".jsonl")).ShouldBe(File.ReadAllBytes(Path.Combine(_folder, "b", instance + ".jsonl")));
        }
    }

    private FoldedBatch Read()
    {
        var batches = new List<FoldedBatch>();
        foreach (string file in _demo.Captures)
        {
            var of = new CaptureFold(Dialects.Sqlite, AnyPlan.Read, Path.GetFileNameWithoutExtension(file), new(), []);
            byte[] bytes = File.ReadAllBytes(file);
            new JsonLinesForm().Consume(bytes, last: true, of).ShouldBe(bytes.Length);
            of.CloseUnits();
            batches.Add(of.Drain());
        }

        return batches[0] with
        {
            Cells = batches.SelectMany(b => b.Cells).ToDictionary(c => c.Key, c => c.Value),
            Errors = batches.SelectMany(b => b.Errors).ToDictionary(e => e.Key, e => e.Value),
            Repeats = batches.SelectMany(b => b.Repeats).ToDictionary(r => r.Key, r => r.Value),
            SchemaStatements = batches.SelectMany(b => b.SchemaStatements).ToList(),
            Rejections = batches.SelectMany(b => b.Rejections).ToList(),
        };
    }

    /// <summary>Starts and ends of executions.</summary>
    private sealed class Executions : ICaptureSink
    {
        public List<(DateTime At, int Step)> Events { get; } = [];

        public void Observe(in Observation observation)
        {
            Events.Add((observation.At, 1));
            Events.Add((observation.At + observation.Duration!.Value, -1));
        }

        public void Reject(long line, string reason) => throw new InvalidOperationException($"Line {line}: {reason}");
    }
}
