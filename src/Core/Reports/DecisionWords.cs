using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Reports;

/// <summary>Puts decisions into sentences: the only place that does, for screens, command and reports.</summary>
public static class DecisionWords
{
    private const int MostColumns = 3;

    /// <summary>The reason of a decision in words; null where the numbers say it.</summary>
    /// <param name="decision">Any decision.</param>
    public static string? Message(this Decision decision) => decision.Reason is { } reason ? Of(reason) : null;

    /// <summary>The notices of a decision in words, in their order.</summary>
    /// <param name="decision">Any decision.</param>
    public static IReadOnlyList<string> Notes(this Decision decision) => [.. decision.Notices.Select(Of)];

    private static string Of(Reason reason) => reason switch
    {
        OtherRows { Written: true } r => $"It does not leave the same behind: {Rows(r.Before)} before, {Rows(r.After)} after{(r.Before == r.After ? ", with other contents" : "")}.{Differing(r.Columns)}",
        OtherRows r => $"Not the same rows: {Rows(r.Before)} before, {Rows(r.After)} after{(r.Before == r.After ? ", with other contents" : "")}.{Differing(r.Columns)}",
        OtherOrderThanAsked => "Not the same order: rows changed places that the ORDER BY does not leave tied.",
        NotProvenSame r => (r.OrderOnly ? "The rows are the same, but whether their order is could not be told" : "Whether it gives the same rows and leaves the same behind was not compared")
            + $", and a rewrite is not called improved without that{(r.Ratio is { } ratio ? $": by {(r.Basis == Basis.Work ? "work" : "time")} it is {Figures.Ratio(ratio)}" : "")}.",
        BeforeFailed f => $"Before side: {f.Failure.Reason}{Besides(f)}",
        AfterDidNotFinish f => $"The after side did not finish: {f.Failure.Reason} The before side took {Figures.Duration(f.BeforeMilliseconds * 1000)}.",
        BrokeAfter f => $"It broke on the after side only: {f.Failure.Reason}",
        NotTimed { DeadRows: true } => "Not timed: a write that is rolled back leaves dead rows, for which the side that is measured later would pay. Plans and work were compared.",
        NotTimed => "Not timed: the change stood in a transaction that was rolled back. Plans and work were compared.",
        OtherPlanTimed => "Not timed: the session that was to be timed has another plan than the one that is shown.",
        NoBlocks => "The time was spent before this line had a block.",
        FreshCopiesTold r => $"The first copies could not tell ({Figures.Ratio(r.First)}, at the band's edge); a second session on fresh copies could ({Figures.Ratio(r.Second)}).",
        UnderFloor r => $"The difference is {Figures.Duration(r.Difference)} an execution, under the floor of {Figures.Duration(r.Floor)}.",
        WeakerEvidence => "One side was measured after the other: weaker evidence than by turns.",
        CannotBeConfirmed r => $"{Figures.Ratio(r.Ratio)}, but one side was measured after the other, and a difference this small cannot be confirmed: what was before is gone.",
        NotConfirmed { WithoutCause: true } => "Time only: nothing counted explains it, so that it is measured again on fresh copies; that did not happen.",
        NotConfirmed => "A difference this small is measured again on fresh copies; that did not happen.",
        WithoutCause => "Time only: nothing counted explains it. Plan, work and CPU time are the same; a second session on fresh copies agreed.",
        SameWork { HalfWidth: { } width } r => $"The same plan and the same work; by time alone {Noise(width, r.Blocks)}.",
        SameWork r => $"The same plan and the same work; {(r.Blocks == 0 ? "it was not timed" : $"{r.Blocks} block{(r.Blocks == 1 ? " is" : "s are")} too few for time to tell")}.",
        Confirmed => "Confirmed in a second session on fresh copies.",
        SessionsDisagree r => $"A second session on fresh copies did not agree: {Figures.Ratio(r.First)}, then {Figures.Ratio(r.Second)}.",
        TooFewBlocks r => $"The time was spent after {r.Blocks} block{(r.Blocks == 1 ? "" : "s")}, and {r.Fewest} are the fewest that decide anything.",
        TimeSpent r => $"The time was spent: {Noise(r.HalfWidth, r.Blocks)}.",
        MachineTakenAway => "The machine was taken away during too many blocks.",
        BlocksResemble => "Neighbouring blocks resemble each other too much to be told apart from a drift of the machine.",
        RatioMoved => "The ratio moved while it was measured: the first and the second half disagree.",
        TooNoisy r => $"This machine could not tell: {Noise(r.HalfWidth, r.Blocks)}.",
        DecidedByWork r => $"{(r.Timed ? "Time alone did not settle it." : "Not timed.")} The plan changed, and {Claim(r.Counter)}: {Figures.Ratio(r.Ratio)}.",
        MayBeChance r => $"Among {r.Lines} lines, a finding this weak may be chance: the list of regressed lines keeps its false discovery rate at {Figures.Percent(r.Rate)}.",
        AsTold r => r.Sentence,
        _ => throw new ArgumentOutOfRangeException(nameof(reason), reason, "A reason without words."),
    };

    private static string Of(Notice notice) => notice switch
    {
        RowsMoved { Written: true } n => $"What it leaves behind differs between the sides: right only if the migration means to alter that.{Differing(n.Columns)}",
        RowsMoved n => $"The rows differ between the sides: right only if the migration means to alter them.{Differing(n.Columns)}",
        OtherOrder => "The rows are the same but come in another order: the ORDER BY leaves ties open.",
        OrderMoved { Told: true } => "The rows are the same but come in another order, and not only where the ORDER BY leaves ties open.",
        OrderMoved => "The rows are the same but come in another order; whether only where the ORDER BY leaves ties open could not be told.",
        OrderByChance => "The rewrite has no ORDER BY: its rows came in the same order here, and nothing promises that.",
        RowsNotCompared => "What the write leaves behind was not compared.",
        OtherCount n => $"It changes {Rows(n.Before)} before and {Rows(n.After)} after, and leaves the same behind.",
        RowsVary => "The rows differ from run to run on one side, so the sides cannot be compared by their rows.",
        TailLeavesBand n => $"Level by the median, but the mean is {Figures.Ratio(n.MeanRatio)} and the 95th percentile {Figures.Ratio(n.P95Ratio)}: look at the samples.",
        WorkDisagrees n => $"Time and work disagree: by work it is {Figures.Ratio(n.Ratio)}.",
        WorkLeavesBand n => $"By work it is {Figures.Ratio(n.Ratio)}.",
        _ => throw new ArgumentOutOfRangeException(nameof(notice), notice, "A notice without words."),
    };

    private static string Besides(BeforeFailed f) => f.Other is { } other ? $" The after side failed too: {other.Reason}"
        : f.AfterMilliseconds is { } after ? $" The after side took {Figures.Duration(after * 1000)}: raise the limit to compare."
        : "";

    /// <summary>An interval wider than the whole says nothing more than one as wide.</summary>
    private static string Noise(double halfWidth, int blocks) =>
        $"the interval is {Figures.Percent(Math.Min(0.9999, halfWidth))} wide to each side after {blocks} blocks";

    private static string Claim(string counter) => KnownEngines.Subjects.Select(e => e.Counter!).FirstOrDefault(c => c.Name == counter || c.Besides?.Name == counter)?.ClaimOf(counter) ?? "the engine counted its work";

    private static string Differing(IReadOnlyList<ColumnChange> columns) => string.Concat(columns.Take(MostColumns).Select(c => " " + Differing(c)))
        + (columns.Count > MostColumns ? $" {columns.Count - MostColumns} more column{(columns.Count == MostColumns + 1 ? " differs" : "s differ")}." : "");

    private static string Differing(ColumnChange c) => (c.Before, c.After) switch
    {
        (null, { } after) => $"Column {c.Place} ({after.Name}) is there only after.",
        ({ } before, null) => $"Column {c.Place} ({before.Name}) is there only before.",
        ({ } before, { } after) when before.Name == after.Name => $"Column {c.Place} ({before.Name}) is {before.Type} before and {after.Type} after.",
        ({ } before, { } after) => $"Column {c.Place} is {Named(before)} before and {Named(after)} after.",
        _ => "",
    };

    private static string Named(RowColumn c) => c.Type.Length == 0 ? c.Name : $"{c.Name} ({c.Type})";

    private static string Rows(long? rows) => rows is { } n ? $"{Figures.Count(n)} {(n == 1 ? "row" : "rows")}" : "no rows";
}
