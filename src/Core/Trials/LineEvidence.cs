using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Core.Trials;

/// <summary>Everything found about one line, and nothing made of it: <see cref="LineJudgement"/> judges it.</summary>
/// <param name="Brief">What was measured.</param>
/// <param name="FloorMicroseconds">A smaller difference per execution is level whatever its ratio.</param>
/// <param name="Looks">When the blocks may be looked at.</param>
/// <param name="Counter">What work is measured by.</param>
public sealed record LineEvidence(LineBrief Brief, double FloorMicroseconds, LookSchedule Looks, WorkCounter Counter)
{
    /// <summary>A line of which nothing was found yet.</summary>
    public static LineEvidence Nothing(LineBrief brief, TrialOptions options) =>
        new(brief, options.FloorMicroseconds, options.Looks, options.Engine.Counter ?? KnownEngines.Default.Counter!) { OneAfterTheOther = options.Sides == SubjectSides.InPlace };

    public Inspection? Before { get; init; }

    public Inspection? After { get; init; }

    /// <summary>All blocks of the first session in order, also those left out.</summary>
    public IReadOnlyList<Block> Blocks { get; init; } = [];

    /// <summary>Blocks of the second session, on fresh copies.</summary>
    public IReadOnlyList<Block> ConfirmingBlocks { get; init; } = [];

    /// <summary>Single executions of the after side, where a limit of time asked for them.</summary>
    public IReadOnlyList<TimedRun> Timed { get; init; } = [];

    /// <summary>Why these could not be had: it says nothing of what was counted before.</summary>
    public SideFailure? TimingFailure { get; init; }

    /// <summary>Whether the sides were not measured by turns: a block's two batches then only share their number.</summary>
    public bool OneAfterTheOther { get; init; }

    /// <summary>Null while the line is measured.</summary>
    public LineEnd? End { get; init; }

    public SideFailure? MeasuringFailureBefore { get; init; }

    public SideFailure? MeasuringFailureAfter { get; init; }

    public SideFailure? BeforeFailure => Before?.Failure ?? MeasuringFailureBefore;

    public SideFailure? AfterFailure => After?.Failure ?? MeasuringFailureAfter;

    /// <summary>Whether the plans do the same in other words: an index or an alias has another name.</summary>
    public bool PlansAlike { get; init; }

    /// <summary>Null where a side has no plan.</summary>
    public bool? PlanChanged => Before?.Plan is { } before && After?.Plan is { } after ? before.Shape != after.Shape && !PlansAlike : null;

    /// <summary>
    /// Whether both sides return the same rows and leave the same behind; null where a side was not compared, or its rows do not repeat. A write
    /// that leaves a row as it was leaves the same as one that does not touch it.
    /// </summary>
    public bool? SameRows => Before is { RowsRepeat: true, RowsHash: { } before } && After is { RowsRepeat: true, RowsHash: { } after }
        ? before == after && (Before.Writes || After.Writes || Before.Rows == After.Rows)
        : null;

    /// <summary>Columns that differ between the sides by name, type or number, where the rows that differ were read, and each side has some.</summary>
    public IReadOnlyList<ColumnChange> ColumnChanges => Before?.OnlyHere is { Columns.Count: > 0 } before && After?.OnlyHere is { Columns.Count: > 0 } after ? ColumnChange.Between(before.Columns, after.Columns) : [];

    /// <summary>A rewrite that gives other rows: there is nothing to be measured.</summary>
    public bool GivesOtherRows => Brief.Rewritten && SameRows == false;

    /// <summary>A rewrite that gives the rows in another order than was asked for.</summary>
    public bool GivesOtherOrder => Brief.Rewritten && SameRows == true && SameOrder == false && After!.WithinTies == false;

    /// <summary>Whether what was seen so far already speaks against measuring.</summary>
    public bool CannotBeMeasured => BeforeFailure is not null || AfterFailure is not null || GivesOtherRows || GivesOtherOrder;

    /// <summary>Whether the rows came in the same order; null where the before side asks for none, or they were not compared.</summary>
    public bool? SameOrder => Brief.ComparesOrder && SameRows is not null && Before!.SequenceHash is { } before && After!.SequenceHash is { } after ? before == after : null;

    /// <summary>Whether it is known that a rewrite gives what the statement gave, in its order.</summary>
    public bool IsProvenSame => SameRows == true && (SameOrder != false || After!.WithinTies == true);

    /// <summary>
    /// Whether both sides did the same work: every exact counter and the number of rows within a hundredth. Null where a side was not
    /// counted, or did not count the same twice.
    /// </summary>
    public bool? SameWork => Before is { CountersRepeat: not false, Counters: { Count: > 0 } before } && After is { CountersRepeat: not false, Counters: { Count: > 0 } after }
        ? Counter.Exact.All(c => Alike(before.GetValueOrDefault(c), after.GetValueOrDefault(c))) && Alike(Before.Rows ?? 0, After.Rows ?? 0)
        : null;

    /// <summary>Primary counter, after / before; null where a side did not count it, or counted nothing before.</summary>
    public double? WorkRatio => RatioOf(Counter.Name);

    /// <summary>After / before of a counter; null where a side did not count it, or counted nothing before.</summary>
    /// <param name="counter">Its name.</param>
    public double? RatioOf(string counter) => Before is { } b && After is { } a
        && b.Counters.TryGetValue(counter, out long before) && a.Counters.TryGetValue(counter, out long after) && before > 0
        ? (double)after / before
        : null;

    private static bool Alike(long before, long after) => Math.Abs(after - before) * 100 <= Math.Max(before, after);
}
