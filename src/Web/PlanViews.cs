using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Pins;
using SwiftLedger.Core.Plans.Statistics;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>A piece of a statement's text, in UTF-16 code units.</summary>
public sealed record PlaceView(int Start, int Length)
{
    public static PlaceView Of(TextSpan span) => new(span.Start, span.Length);
}

/// <param name="At">Its place in the plan, from 0.</param>
/// <param name="EstimatedRows">At each start.</param>
/// <param name="Rows">Handed on at each start, on average; null where nothing was counted.</param>
/// <param name="OffBy">Estimate over counted rows, or the reverse.</param>
/// <param name="Share">Of the time, from 0 to 1, without what it contains.</param>
/// <param name="Means">What it does, in plain words.</param>
/// <param name="Places">Where the statement speaks of it.</param>
public sealed record OperatorView(
    int At, int Depth, string Text, OperatorKind Kind, string? Table, string? Index, string? Condition, double? EstimatedRows, double? Rows, double? OffBy, long? Loops,
    long? RowsVisited, long? RowsPassed, double? Share, string Means, string Counted, IReadOnlyList<PlaceView> Places);

public sealed record AlignedView(AlignedAs As, OperatorView? Before, OperatorView? After);

/// <param name="Kind">As the glossary names it.</param>
/// <param name="Operator">Its place in the plan; null where it is about the whole.</param>
public sealed record FindingView(FindingKind Kind, string Title, string Text, int? Operator, double? Share, string Remedy, IReadOnlyList<PlaceView> Places)
{
    public static FindingView Of(Finding f)
    {
        GlossaryEntry entry = Glossary.Entries.First(e => e.Kind == f.Kind);
        return new(f.Kind, entry.Title, f.Text, f.Operator, f.Share, f.Remedy, f.Places.Select(PlaceView.Of).ToList());
    }
}

/// <summary>A finding of one line of a trial.</summary>
/// <param name="SecondsPerDay">What it costs in a day, in database-seconds; null where that is not known.</param>
public sealed record LineFindingView(int Line, string Statement, string Case, double? SecondsPerDay, FindingView Finding);

public sealed record FlowStepView(int Operator, string Table, long? TableRows, long? RowsIn, long? RowsVisited, long? RowsOut, double? Factor, bool WithoutCondition);

/// <param name="Removes">How rows are folded afterwards: DISTINCT or grouping; empty where they are not.</param>
/// <param name="Result">Rows that the statement returned; null for an inner query.</param>
public sealed record FlowView(IReadOnlyList<FlowStepView> Steps, string Removes, long? Result);

/// <param name="Shape">The hash that names the plan's shape.</param>
/// <param name="RestShare">Share of the time outside all operators; null where nothing was counted.</param>
/// <param name="Note">What is special about the counts; null where nothing is.</param>
/// <param name="Operators">How many the plan has.</param>
/// <param name="Milliseconds">What the execution took in which it was counted; null where that is not known.</param>
/// <param name="RowsVisited">By all operators; null where nothing was counted.</param>
/// <param name="EstimatedCost">Of the whole, in the engine's own unit; null where it tells none.</param>
/// <param name="Picture">The statement as a picture, a query block each; none where its text or its grammar is not known.</param>
public sealed record PlanSideView(string Shape, bool Counted, double? RestShare, string? Note, int Operators, double? Milliseconds, long? RowsVisited, double? EstimatedCost, IReadOnlyList<FindingView> Findings, IReadOnlyList<FlowView> Flows, IReadOnlyList<PicturedBlockView> Picture);

/// <summary>Two plans side by side.</summary>
/// <param name="Sentence">What the engine does otherwise and why, in one sentence; null where there is nothing to tell.</param>
public sealed record ComparisonView(string? Sentence, bool SamePlan, IReadOnlyList<AlignedView> Rows, PlanSideView? Before, PlanSideView? After)
{
    /// <summary>Either side may be missing.</summary>
    /// <param name="pictured">Whether the statements are drawn as well.</param>
    public static ComparisonView Of(PlanSide? before, PlanSide? after, bool rewritten, bool pictured = true) => Of(PlanComparison.Of(before, after, rewritten), pictured: pictured);

    /// <param name="noteBefore">What is special about the counts before; null where nothing is.</param>
    /// <param name="noteAfter">Likewise after.</param>
    /// <param name="pictured">Whether the statements are drawn as well.</param>
    public static ComparisonView Of(PlanComparison c, string? noteBefore = null, string? noteAfter = null, bool pictured = true)
    {
        List<OperatorView> x = Lines(c.Before), y = Lines(c.After);
        return new(c.Sentence, c.SamePlan, [.. c.Rows.Select(r => new AlignedView(r.As, r.Before is { } i ? x[i] : null, r.After is { } j ? y[j] : null))],
            Side(c.Before, noteBefore, pictured), Side(c.After, noteAfter, pictured));
    }

    private static List<OperatorView> Lines(ComparedSide? side) =>
        side is null ? [] : [.. side.Side.Plan.Lines().Select((l, at) => Of(side.Side.Language, side.Sources, at, l.Depth, l.Operator))];

    private static OperatorView Of(PlanLanguage language, PlanSources sources, int at, int depth, PlanOperator o) => new(
        at, depth, o.Text, o.Kind, o.Object is null ? null : sources.Table(at), o.Index, o.Condition, o.EstimatedRows, o.Counts?.RowsPerLoop,
        o.OffBy, o.Counts?.Loops, o.Counts?.RowsVisited, o.Counts?.RowsPassed, o.Counts?.Share, OperatorWords.Of(o, language), WithBelief(OperatorWords.Counted(o), Belief.Of(o, sources.Known(at))),
        sources.Places(at).Select(PlaceView.Of).ToList());

    /// <summary>Ours, or what the engine wrote beside the plan.</summary>
    private static double? MillisecondsOf(Plan plan) => plan.Milliseconds ?? (plan.Details.TryGetValue("Execution Time", out string? told) ? NumberOf(told) : null);

    private static double? CostOf(Plan plan) => plan.Roots.Count == 1 && plan.Roots[0].Details.TryGetValue("Total Cost", out string? told) ? NumberOf(told) : null;

    private static double? NumberOf(string told) => double.TryParse(told, System.Globalization.CultureInfo.InvariantCulture, out double number) ? number : null;

    private static string WithBelief(string counted, string? belief) => belief is null ? counted : $"{counted} {belief}".Trim();

    private static PlanSideView? Side(ComparedSide? side, string? note, bool pictured) => side is null ? null : new(
        side.Side.Plan.Shape, side.Side.Plan.IsCounted, side.Side.Plan.RestShare, note, side.Side.Plan.Lines().Count(), MillisecondsOf(side.Side.Plan),
        side.Side.Plan.IsCounted ? side.Side.Plan.Lines().Sum(l => l.Operator.Counts?.RowsVisited ?? 0) : null, CostOf(side.Side.Plan), side.Findings.Select(FindingView.Of).ToList(),
        side.Flows.Select(f => new FlowView(
            f.Steps.Select(s => new FlowStepView(s.Operator, s.Table, s.TableRows, s.RowsIn, s.RowsVisited, s.RowsOut, s.Factor, s.WithoutCondition)).ToList(),
            f.Distinct ? "DISTINCT" : f.Removes ? "grouping" : "", f.IsOuter ? side.Side.Rows : null)).ToList(), pictured ? PicturedBlockView.Of(side.Side, side.Sources) : []);
}

public sealed record GlossaryView(FindingKind Kind, string Title, string What, string Why, IReadOnlyList<string> Remedies, string Example)
{
    public static IReadOnlyList<GlossaryView> All { get; } = Glossary.Entries.Select(e => new GlossaryView(e.Kind, e.Title, e.What, e.Why, e.Remedies, e.Example)).ToList();
}

/// <param name="Before">A plan's text or JSON; empty where a statement is to be explained.</param>
/// <param name="BeforeSql">The statement; may stand beside its plan.</param>
/// <param name="BookId">Whose schema and statistics the planner goes by.</param>
public sealed record PastedRequest(string Before = "", string After = "", string BeforeSql = "", string AfterSql = "", long? BookId = null);

/// <param name="NoteBefore">What is odd about it, or why there is no plan; null where nothing is.</param>
/// <param name="Id">By which it can be asked for again; 0 where it is too large to be kept.</param>
/// <param name="Given">What was pasted.</param>
/// <param name="PictureBefore">Of a statement that has no plan, by its text alone; none where it has one.</param>
/// <param name="PictureAfter">Likewise.</param>
public sealed record PastedView(long Id, PastedRequest Given, ComparisonView Plans, string? NoteBefore, string? NoteAfter, IReadOnlyList<PicturedBlockView> PictureBefore, IReadOnlyList<PicturedBlockView> PictureAfter);

public sealed record StandingRequest(string Shape, string Outline, string Note = "");

/// <param name="Standing">Whether it is the standing plan; null where there is none.</param>
/// <param name="RowsVisited">By one execution; null where nothing was counted.</param>
/// <param name="Blocks">Pages or blocks that one execution touched; null where the engine does not tell.</param>
public sealed record PlanSeenView(
    long TrialId, string Title, string At, Side Side, string Case, string Shape, string Text, double? MedianMs, double? MeanMs, double? P95Ms, double? WorstMs, long? RowsVisited, long? Blocks, string? Verdict, bool? Standing);

public sealed record PlanHistoryView(StandingPlan? Standing, IReadOnlyList<PlanSeenView> Seen)
{
    public static PlanHistoryView Of(StandingPlan? standing, IReadOnlyList<PlanSeen> seen) => new(standing, seen.Select(s => new PlanSeenView(
        s.TrialId, s.Title, s.At, s.Side, s.Case, s.Plan.Shape, s.Plan.Text, s.Times?.Median / 1000, s.Times?.Mean / 1000, s.Times?.P95 / 1000, s.Times?.Worst / 1000,
        s.Plan.IsCounted ? s.Plan.Lines().Sum(l => l.Operator.Counts?.RowsVisited ?? 0) : null, s.Counters.TryGetValue("pagesTouched", out long pages) ? pages : s.Counters.TryGetValue("blocksTouched", out long blocks) ? blocks : null, s.Verdict,
        standing is null ? null : s.Plan.Shape == standing.Shape)).ToList());
}

public sealed record PinRequest(long TrialId, int Line);

/// <param name="Warning">What of the schema or the statistics that it rests on has changed; null where nothing has.</param>
public sealed record PinView(long Id, string Hash, string Statement, string Sql, long TrialId, string PinnedAt, string? ReplacedAt, string? Warning)
{
    /// <param name="now">The latest catalogue.</param>
    /// <param name="then">The catalogue of its trial.</param>
    public static PinView Of(PinRecord pin, Engine engine, Catalog? now, Catalog? then) =>
        new(pin.Id, SqlPattern.NameOf(unchecked((ulong)pin.Pattern)), pin.Statement, pin.Sql, pin.TrialId, pin.PinnedAt, pin.ReplacedAt, pin.ReplacedAt is null && engine.Plans?.Pins is { } pins ? PinWarning.Of(pin.Sql, pins, engine.Dialect, now, then)?.Sentence : null);
}

/// <param name="TrialId">The trial that read it; null where none did.</param>
public sealed record CatalogueView(long? TrialId, string? ReadAt, int PageSize, IReadOnlyList<TableView> Tables, IReadOnlyList<FindingView> Findings);

/// <param name="StatisticsOffBy">Rows over rows that the statistics know of, or the reverse; null where one is missing.</param>
/// <param name="Stale">Whether the statistics know another table than there is.</param>
/// <param name="Apart">A column that holds another number of values than they say; null where none was found.</param>
/// <param name="ChangedRows">Rows written since they were gathered; null where the engine does not count them.</param>
public sealed record TableView(
    string Name, long? Rows, long? Pages, long? AnalyzedRows, double? StatisticsOffBy, bool Stale, long? ChangedRows, ValuesApart? Apart, IReadOnlyList<CatalogColumn> Columns, IReadOnlyList<IndexView> Indexes, IReadOnlyList<CatalogTrigger> Triggers)
{
    public static TableView Of(CatalogTable t, IReadOnlySet<string>? used) =>
        new(t.Name, t.Rows, t.Pages, t.AnalyzedRows, t.StatisticsOffBy, t.IsStale, t.ChangedRows, t.Apart, t.Columns, t.Indexes.Select(i => new IndexView(i, used?.Contains(i.Name))).ToList(), t.Triggers);
}

/// <param name="Used">Whether a line of the trial went through it; null where that is not known.</param>
public sealed record IndexView(CatalogIndex Index, bool? Used);
