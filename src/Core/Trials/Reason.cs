using System.Text.Json.Serialization;

namespace SwiftLedger.Core.Trials;

/// <summary>Why a line was decided as it was: a code with its numbers. Ratios are after / before.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "code")]
[JsonDerivedType(typeof(OtherRows), "otherRows")]
[JsonDerivedType(typeof(OtherOrderThanAsked), "otherOrderThanAsked")]
[JsonDerivedType(typeof(NotProvenSame), "notProvenSame")]
[JsonDerivedType(typeof(BeforeFailed), "beforeFailed")]
[JsonDerivedType(typeof(AfterDidNotFinish), "afterDidNotFinish")]
[JsonDerivedType(typeof(BrokeAfter), "brokeAfter")]
[JsonDerivedType(typeof(NotTimed), "notTimed")]
[JsonDerivedType(typeof(NoBlocks), "noBlocks")]
[JsonDerivedType(typeof(OtherPlanTimed), "otherPlanTimed")]
[JsonDerivedType(typeof(FreshCopiesTold), "freshCopiesTold")]
[JsonDerivedType(typeof(UnderFloor), "underFloor")]
[JsonDerivedType(typeof(WeakerEvidence), "weakerEvidence")]
[JsonDerivedType(typeof(CannotBeConfirmed), "cannotBeConfirmed")]
[JsonDerivedType(typeof(NotConfirmed), "notConfirmed")]
[JsonDerivedType(typeof(Confirmed), "confirmed")]
[JsonDerivedType(typeof(WithoutCause), "timeOnly")]
[JsonDerivedType(typeof(SameWork), "sameWork")]
[JsonDerivedType(typeof(SessionsDisagree), "sessionsDisagree")]
[JsonDerivedType(typeof(TooFewBlocks), "tooFewBlocks")]
[JsonDerivedType(typeof(TimeSpent), "timeSpent")]
[JsonDerivedType(typeof(MachineTakenAway), "machineTakenAway")]
[JsonDerivedType(typeof(BlocksResemble), "blocksResemble")]
[JsonDerivedType(typeof(RatioMoved), "ratioMoved")]
[JsonDerivedType(typeof(TooNoisy), "tooNoisy")]
[JsonDerivedType(typeof(DecidedByWork), "decidedByWork")]
[JsonDerivedType(typeof(MayBeChance), "mayBeChance")]
[JsonDerivedType(typeof(AsTold), "asTold")]
public abstract record Reason;

/// <summary>A rewrite gives other rows.</summary>
/// <param name="Before">Rows; null where none were counted.</param>
/// <param name="After">Likewise.</param>
public sealed record OtherRows(long? Before, long? After) : Reason
{
    /// <summary>Whether it is about what a write leaves behind.</summary>
    public bool Written { get; init; }

    /// <summary>Columns that differ by name or type.</summary>
    public IReadOnlyList<ColumnChange> Columns { get; init; } = [];
}

/// <summary>A rewrite gives the same rows in another order, also where the ORDER BY leaves nothing open.</summary>
public sealed record OtherOrderThanAsked : Reason;

/// <summary>A rewrite would be improved, and it is not known whether it gives the same.</summary>
/// <param name="Ratio">What it would be, after / before; null where nothing was measured.</param>
/// <param name="Basis">What that rests on.</param>
/// <param name="OrderOnly">Whether the rows are known to be the same, and only their order is not.</param>
public sealed record NotProvenSame(double? Ratio, Basis Basis, bool OrderOnly) : Reason;

/// <summary>The before side could not be run.</summary>
/// <param name="Other">What the after side failed with; null where it did not.</param>
/// <param name="AfterMilliseconds">The after side's first execution, where the before side only took too long.</param>
/// <param name="Failure">Why it could not be run.</param>
public sealed record BeforeFailed(SideFailure Failure, SideFailure? Other, double? AfterMilliseconds) : Reason;

/// <summary>The after side took longer than an execution may.</summary>
public sealed record AfterDidNotFinish(SideFailure Failure, double BeforeMilliseconds) : Reason;

/// <summary>Only the after side could not be run.</summary>
public sealed record BrokeAfter(SideFailure Failure) : Reason;

/// <summary>Plans and work were compared, and no time.</summary>
/// <param name="DeadRows">Whether because a write that is rolled back leaves dead rows; else because the change itself was rolled back.</param>
public sealed record NotTimed(bool DeadRows) : Reason;

/// <summary>The session that was to be timed has another plan than the one that is shown: its times would say nothing of that one.</summary>
public sealed record OtherPlanTimed : Reason;

/// <summary>The time was spent before the line had a block.</summary>
public sealed record NoBlocks : Reason;

/// <summary>The first copies could not tell, at the band's edge; fresh ones could.</summary>
public sealed record FreshCopiesTold(double First, double Second) : Reason;

/// <summary>Level because the difference is too small to matter, whatever its ratio.</summary>
/// <param name="Difference">Microseconds an execution.</param>
/// <param name="Floor">Microseconds an execution.</param>
public sealed record UnderFloor(double Difference, double Floor) : Reason;

/// <summary>One side was measured after the other.</summary>
public sealed record WeakerEvidence : Reason;

/// <summary>One side was measured after the other, and the difference is too small to be believed without a second session.</summary>
public sealed record CannotBeConfirmed(double Ratio) : Reason;

/// <summary>A difference this small wants a second session, and there was none.</summary>
/// <param name="WithoutCause">Whether because nothing counted explains the difference; else because it is small.</param>
public sealed record NotConfirmed(bool WithoutCause = false) : Reason;

/// <summary>A second session on fresh copies agreed.</summary>
public sealed record Confirmed : Reason;

/// <summary>A second session on fresh copies agreed, and yet neither plan nor work nor CPU time shares the difference.</summary>
public sealed record WithoutCause : Reason;

/// <summary>Time could not tell, and the plan is the same and so is everything that was counted.</summary>
/// <param name="HalfWidth">Half of the interval of time as a ratio's distance from 1; null where there were too few blocks for one.</param>
/// <param name="Blocks">That count.</param>
public sealed record SameWork(double? HalfWidth, int Blocks) : Reason;

/// <summary>A second session on fresh copies did not agree.</summary>
public sealed record SessionsDisagree(double First, double Second) : Reason;

/// <summary>The time was spent before the first look.</summary>
/// <param name="Fewest">Blocks at the first look.</param>
/// <param name="Blocks">That count.</param>
public sealed record TooFewBlocks(int Blocks, int Fewest) : Reason;

/// <summary>The time was spent between two looks.</summary>
/// <param name="HalfWidth">Half of the interval as a ratio's distance from 1.</param>
/// <param name="Blocks">That count.</param>
public sealed record TimeSpent(double HalfWidth, int Blocks) : Reason;

/// <summary>Too many blocks were left out because the machine was taken away.</summary>
public sealed record MachineTakenAway : Reason;

/// <summary>Neighbouring blocks resemble each other, even averaged.</summary>
public sealed record BlocksResemble : Reason;

/// <summary>The first and the second half disagree.</summary>
public sealed record RatioMoved : Reason;

/// <summary>The last look could not tell.</summary>
/// <param name="HalfWidth">Half of the interval as a ratio's distance from 1.</param>
/// <param name="Blocks">That count.</param>
public sealed record TooNoisy(double HalfWidth, int Blocks) : Reason;

/// <summary>Time did not settle it; another plan and what the engine counted do.</summary>
/// <param name="Counter">Name of the primary counter.</param>
/// <param name="Timed">Whether time was tried.</param>
/// <param name="Ratio">Of the primary counter.</param>
public sealed record DecidedByWork(double Ratio, string Counter, bool Timed) : Reason;

/// <summary>Among so many lines a finding this weak may be chance.</summary>
/// <param name="Rate">The false discovery rate that is kept, a fraction.</param>
/// <param name="Lines">That were tested together.</param>
public sealed record MayBeChance(int Lines, double Rate) : Reason;

/// <summary>A sentence that was kept before reasons were data.</summary>
public sealed record AsTold(string Sentence) : Reason;

/// <summary>What a reader should know besides the verdict: a code with its numbers. Ratios are after / before.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "code")]
[JsonDerivedType(typeof(RowsMoved), "rowsMoved")]
[JsonDerivedType(typeof(OtherOrder), "otherOrder")]
[JsonDerivedType(typeof(OrderMoved), "orderMoved")]
[JsonDerivedType(typeof(OrderByChance), "orderByChance")]
[JsonDerivedType(typeof(RowsVary), "rowsVary")]
[JsonDerivedType(typeof(RowsNotCompared), "rowsNotCompared")]
[JsonDerivedType(typeof(OtherCount), "otherCount")]
[JsonDerivedType(typeof(TailLeavesBand), "tailLeavesBand")]
[JsonDerivedType(typeof(WorkDisagrees), "workDisagrees")]
[JsonDerivedType(typeof(WorkLeavesBand), "workLeavesBand")]
public abstract record Notice;

/// <summary>The rows differ between the sides of a statement that was not rewritten.</summary>
public sealed record RowsMoved : Notice
{
    /// <summary>Whether it is about what a write leaves behind.</summary>
    public bool Written { get; init; }

    /// <summary>Columns that differ by name or type.</summary>
    public IReadOnlyList<ColumnChange> Columns { get; init; } = [];
}

/// <summary>The same rows come in another order, and only such changed places as the ORDER BY leaves tied.</summary>
public sealed record OtherOrder : Notice;

/// <summary>The same rows come in another order.</summary>
/// <param name="Told">Whether it is known that rows changed places which the ORDER BY does not leave tied; else that could not be told.</param>
public sealed record OrderMoved(bool Told) : Notice;

/// <summary>A rewrite asks for no order any more, and the rows came in the same one.</summary>
public sealed record OrderByChance : Notice;

/// <summary>What a write leaves behind was not compared.</summary>
public sealed record RowsNotCompared : Notice;

/// <summary>The sides of a write change another number of rows, and leave the same behind.</summary>
public sealed record OtherCount(long Before, long After) : Notice;

/// <summary>The rows of one side differ from run to run.</summary>
public sealed record RowsVary : Notice;

/// <summary>Level by the median, while means or high percentiles are not.</summary>
public sealed record TailLeavesBand(double MeanRatio, double P95Ratio) : Notice;

/// <summary>Work moved the other way than time.</summary>
public sealed record WorkDisagrees(double Ratio) : Notice;

/// <summary>Unsettled, while work left its band.</summary>
public sealed record WorkLeavesBand(double Ratio) : Notice;
