using System.Collections.Concurrent;
using System.Diagnostics;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>What the parts of a trial's session share: what is to be done, how much time is left, and who is told.</summary>
/// <param name="brief">A brief without problems.</param>
/// <param name="teller">Told each event, in order.</param>
internal sealed class TrialRun(BenchJob job, TrialOrder order, TrialBrief brief, Action<BenchEvent> teller, CancellationToken stop)
{
    /// <summary>Tables that cannot be counted within it stay uncounted.</summary>
    private static readonly TimeSpan CatalogLimit = TimeSpan.FromSeconds(5);

    /// <summary>A line that takes longer than this share of the time has to wait for the others.</summary>
    private const int LinesThatFit = 20;

    private const double QuickMilliseconds = 100;

    private static readonly TimeSpan Least = TimeSpan.FromMilliseconds(10);

    private readonly ConcurrentDictionary<int, bool> _ended = [];
    private readonly Lock _telling = new();

    public BenchJob Job => job;

    public TrialOrder Order => order;

    public TrialOptions Options => job.Options;

    public TrialBrief Brief => brief;

    public CancellationToken Stop => stop;

    /// <summary>Runs while something is measured: looking, counting and warming are, the copies and the change are not.</summary>
    public Stopwatch Clock { get; } = new();

    public TimeSpan? Deadline => order.SecondsLeft is { } left ? TimeSpan.FromSeconds(left) : null;

    public bool IsSpent => Clock.Elapsed >= Deadline;

    /// <summary>Of one execution, within what is left of the trial.</summary>
    public ExecutionLimit Limit => new(TimeSpan.FromSeconds(job.Options.StatementSeconds), Deadline is { } deadline ? () => deadline - Clock.Elapsed : null);

    /// <summary>Of one execution the first time that a line is looked at: no more than a small share of what is left of the trial.</summary>
    public ExecutionLimit LimitAtFirst => Deadline is { } deadline && (deadline - Clock.Elapsed) / LinesThatFit is var share && share < Limit.One
        ? new(share > Least ? share : Least, () => deadline - Clock.Elapsed)
        : Limit;

    /// <summary>What counting all tables may take.</summary>
    public TimeSpan CountingTables => Deadline is { } deadline && deadline - Clock.Elapsed < CatalogLimit ? deadline - Clock.Elapsed : CatalogLimit;

    /// <summary>The lines that this session measures.</summary>
    public IEnumerable<LineBrief> Lines => brief.Lines.Where(l => order.Lines.Count == 0 || order.Lines.Contains(l.Number));

    /// <summary>With an order of joins that is cheaper than the plan's, where one is found; under a deadline only where that is quick, and at its beginning: all lines are to be looked at first.</summary>
    public Inspection WithOrders(Inspection found, ISubjectCopy copy, CaseRun of, Catalog? catalog, ExecutionLimit limit) =>
        Options.WithoutOrders || of.Unit is not null || (Deadline is { } deadline && (found.ColdMilliseconds > QuickMilliseconds || Clock.Elapsed > deadline / LinesThatFit)) ? found : found.WithOrders(copy, of, Options.Engine.Plans!, catalog, limit);

    /// <summary>What is known of a line that was looked at on both sides.</summary>
    public LineEvidence Seen(LineBrief line, Inspection onBefore, Inspection onAfter) => LineEvidence.Nothing(line, Options) with { Before = onBefore, After = onAfter };

    public static CaseRun RunOf(LineBrief line, Side side) => side == Side.Before
        ? new(line.BeforeSql, line.BeforeBindings) { Unit = line.BeforeUnit } : new(line.AfterSql, line.AfterBindings) { Unit = line.AfterUnit };

    /// <summary>Whether the session that times a case would run it by another plan than the one that was looked at.</summary>
    /// <param name="copy">Whose session.</param>
    /// <param name="seen">What was looked at.</param>
    /// <exception cref="EngineException">The engine cannot tell.</exception>
    public static bool HasOtherPlan(ISubjectCopy copy, CaseRun run, Inspection seen, ExecutionLimit limit) =>
        seen.Plan is { Roots.Count: > 0 } shown && copy.PlanInSession(run, limit) is { Roots.Count: > 0 } own && own.Shape != shown.Shape;

    /// <summary>Tells one event at a time, whoever has something to tell.</summary>
    public void Tell(BenchEvent happened)
    {
        lock (_telling)
        {
            teller(happened);
            if (happened is LineEnded ended)
            {
                _ended[ended.Line] = true;
            }
        }
    }

    /// <summary>Whether it was told that a line gets no more blocks.</summary>
    public bool HasEnded(int line) => _ended.ContainsKey(line);
}
