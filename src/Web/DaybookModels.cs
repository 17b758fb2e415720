using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>One point of a course: what was executed in a stretch of time.</summary>
/// <param name="At">Start, ISO 8601, UTC.</param>
/// <param name="Seconds">Time in the database.</param>
/// <param name="P50Ms">Percentiles in milliseconds; null where nothing was timed, or they were not asked for.</param>
public sealed record CoursePoint(
    string At, long Calls, long Errors, double Seconds, double? P50Ms, double? P95Ms, double? P99Ms, double? P999Ms, double? WorstMs,
    long? RowsReturned, long? RowsRead, long? RowsWritten)
{
    private static readonly double[] Asked = [0.5, 0.95, 0.99, 0.999];

    public static CoursePoint Of(TimedCell p) => Of(Stretches.TimeOf(p.Minute), p.Cell);

    public static CoursePoint Of(DateTime at, Cell cell)
    {
        long[]? ticks = cell.Durations.Count > 0 ? cell.Percentiles(Asked) : null;
        double? Ms(int which) => ticks is null ? null : ticks[which] / (double)TimeSpan.TicksPerMillisecond;
        return new(
            Iso.Of(at), cell.Calls, cell.Errors, cell.TotalTicks / (double)TimeSpan.TicksPerSecond,
            Ms(0), Ms(1), Ms(2), Ms(3),
            cell.Timed > 0 ? cell.MaxTicks / (double)TimeSpan.TicksPerMillisecond : null,
            cell.RowsReturned, cell.RowsRead, cell.RowsWritten);
    }

    public static double? Quantile(Cell cell, double p) => cell.Durations.Count > 0 ? cell.Percentiles(p)[0] / (double)TimeSpan.TicksPerMillisecond : null;
}

public sealed record SourceView(long Id, string Name);

public sealed record DeploymentView(long Id, string At, string Version, string What, string Script, bool Noticed)
{
    public static DeploymentView Of(DeploymentRecord d) => new(d.Id, Iso.Of(d.Time), d.Version, d.What, d.Script, d.Noticed);
}

/// <param name="Rejected">How many pieces were not understood, by reason.</param>
public sealed record CaptureFileView(string Name, string Source, string Form, long Bytes, long Statements, string ReadAt, IReadOnlyList<Rejection> Rejected);

/// <summary>The timeline of a book.</summary>
/// <param name="From">Start of all that was captured; null where nothing was.</param>
/// <param name="CourseFrom">Start of the part of it that the course shows.</param>
/// <param name="StretchMinutes">Length of a point.</param>
/// <param name="Apart">The course of each source, where they were asked for apart.</param>
public sealed record DaybookPage(
    long BookId, string BookName, string? From, string? To, string? CourseFrom, string? CourseTo, double StretchMinutes, IReadOnlyList<SourceView> Sources, IReadOnlyList<DeploymentView> Deployments,
    IReadOnlyList<CoursePoint> Course, IReadOnlyList<SourceCourse> Apart, IReadOnlyList<CaptureFileView> Files);

public sealed record SourceCourse(long Source, IReadOnlyList<CoursePoint> Course);

/// <summary>What a pattern cost in a span.</summary>
/// <param name="Hash">Its name; 16 hexadecimal digits, all 0 for everything that is not kept apart.</param>
/// <param name="Share">Of all time in the database.</param>
/// <param name="Course">Seconds in equal parts of the span.</param>
/// <param name="Slow">Whether its worst call is over the slow limit: a second, if none is given.</param>
public sealed record PatternRow(
    string Hash, string Text, string Kind, IReadOnlyList<string> Tables, bool KeptAtTop, long Calls, long Errors, double Seconds, double Share,
    double? AverageMs, double? P95Ms, double? WorstMs, long? RowsRead, long? RowsReturned, double? RowsReadPerReturned, double? Spread,
    bool Slow, IReadOnlyList<double> Course);

/// <param name="Matching">How many patterns fit the filters, shown or not.</param>
public sealed record PatternsPage(
    string From, string To, long Calls, long Errors, double Seconds, int Matching, RankBy RankedBy, IReadOnlyList<string> Kinds, IReadOnlyList<string> Tables,
    IReadOnlyList<PatternRow> Patterns);

/// <summary>What the log tells besides statements, in a span.</summary>
/// <param name="Events">Some that stand out, the latest first.</param>
public sealed record EventsPage(IReadOnlyList<EventCount> Counts, IReadOnlyList<EventView> Events);

/// <param name="Hash">The pattern that it befell; null where the log names none.</param>
/// <param name="Amount">Milliseconds, or bytes of a temporary file; 0 of a deadlock.</param>
public sealed record EventView(LogEventKind Kind, string At, string? Hash, string? Text, double Amount, string Message, string Database, string User, string Application);

/// <summary>Units of work of one page, route or job.</summary>
/// <param name="PerUnit">Statements of a unit, on average.</param>
/// <param name="MsPerUnit">Its time in the database.</param>
public sealed record PageRow(string Page, long Units, double PerUnit, double MsPerUnit);

/// <summary>How many statements a page sends for a unit, before and after.</summary>
/// <param name="Moved">Whether it moved beyond chance, by a tenth at least.</param>
public sealed record PageChangeRow(string Page, long UnitsBefore, long UnitsAfter, double PerUnitBefore, double PerUnitAfter, double MsBefore, double MsAfter, bool Moved);

/// <summary>A statement that takes far longer or less since some time, near which no deployment is known.</summary>
/// <param name="At">When it began, ISO 8601, UTC.</param>
/// <param name="Ratio">After / before of its typical duration.</param>
public sealed record JumpView(string Hash, string Text, string At, double BeforeMs, double AfterMs, double Ratio, string Sentence);

/// <summary>Who sends statements, and how much.</summary>
/// <param name="Share">Of the time of all applications.</param>
public sealed record CallerRow(string Database, string User, string Application, LoadKind Kind, long Calls, long Errors, double Seconds, double Share);

/// <param name="Findings">What its plan shows, where the capture tells one: with what auto_explain counted, of this very execution.</param>
public sealed record SampleView(
    long Id, string Source, string Why, string At, double? Ms, string Sql, string Binds, long? RowsReturned, long? RowsRead, string Error, string Message,
    string Session, string Application, string User, string Plan, IReadOnlyList<FindingView> Findings)
{
    public static SampleView Of(SampleRecord s) => new(
        s.Id, s.Source, ((SamplePlace)s.Place).ToString().ToLowerInvariant(), Iso.Of(new DateTime(s.At, DateTimeKind.Utc)),
        s.Duration is { } d ? d / (double)TimeSpan.TicksPerMillisecond : null, s.Sql, s.Binds, s.RowsReturned, s.RowsRead, s.SqlState, s.Message, s.Session,
        s.Application, s.User, s.Plan, FindingsOf(s));

    private static IReadOnlyList<FindingView> FindingsOf(SampleRecord s) => s.Plan.Length > 0 && PastedPlan.Read(s.Plan) is { Plan: { } plan, Engine.Plans: { } language }
        ? [.. PlanFindings.Of(new(plan, s.Sql, language) { Rows = s.RowsReturned }).Select(FindingView.Of)]
        : [];
}

/// <param name="Retried">How many of them were followed by another try of the same statement with the same values.</param>
public sealed record ErrorView(string Code, long Calls, long Retried, string First, string Last);

/// <summary>One pattern of a book.</summary>
/// <param name="ByDay">Its history, a point a day.</param>
/// <param name="Events">What the log tells of it besides.</param>
/// <param name="Lists">How its duration goes with the length of its list, in a sentence; empty where it has none.</param>
public sealed record StatementPage(
    long BookId, string BookName, string Hash, string Text, string Kind, IReadOnlyList<string> Tables, bool KeptAtTop, double StretchMinutes,
    CoursePoint? Whole, IReadOnlyList<CoursePoint> Course, IReadOnlyList<CoursePoint> ByDay, IReadOnlyList<DeploymentView> Deployments,
    IReadOnlyList<SampleView> Samples, IReadOnlyList<TagCount> Tags, IReadOnlyList<ErrorView> Errors, IReadOnlyList<NoteRecord> Notes,
    IReadOnlyList<PlanView> Plans, IReadOnlyList<SourceShare> Sources, bool InWorkload, string Lists, IReadOnlyList<EventCount> Events);

/// <summary>A plan that the pattern ran with, as far as the capture tells plans.</summary>
/// <param name="Outline">Its operators, a line each.</param>
/// <param name="Calls">Executions whose plan is known.</param>
/// <param name="Hours">When it was in use: starts of hours.</param>
public sealed record PlanView(string Shape, string Outline, string First, string Last, long Calls, double AverageMs, IReadOnlyList<string> Hours);

/// <summary>What of a pattern came from one source.</summary>
public sealed record SourceShare(string Name, long Calls, double Seconds, double? P95Ms, long Errors);

/// <param name="Movement">regressed, improved, level, unsettled, new or gone.</param>
/// <param name="Mix">How the mix of parameters moved; empty where it has none, or where nothing was compared.</param>
/// <param name="AtEqualMix">What its calls would take at the mix of before; null where the mix did not move.</param>
/// <param name="Ratio">After / before of the typical duration; null where a side has none.</param>
/// <param name="Calls">How its calls moved; null where none came in hours that both sides have.</param>
/// <param name="Failures">How its failures moved; null where a side has no call.</param>
/// <param name="Moves">How its calls and its failures moved, in sentences; empty where neither did beyond chance.</param>
/// <param name="OfMoreCalls">What of the change of a day comes of more calls, in database-seconds.</param>
/// <param name="OfDearerCalls">And what of dearer ones: the two add up.</param>
public sealed record EffectRow(
    string Hash, string Text, Movement Movement, string Message, string Mix, bool MixMoved, EqualMix? AtEqualMix, double BeforeSecondsPerDay, double AfterSecondsPerDay, double ChangePerDay,
    double CallsBeforePerDay, double CallsAfterPerDay, double? Ratio, double? Low, double? High, CallsChange? Calls, FailureChange? Failures, IReadOnlyList<string> Moves,
    double OfMoreCalls, double OfDearerCalls);

/// <summary>How often a statement is called since a deployment.</summary>
/// <param name="Ratio">After / before of a day by the hours compared.</param>
/// <param name="Low">Lower end of its interval.</param>
/// <param name="High">Upper end of its interval.</param>
/// <param name="Before">Calls of such a day.</param>
/// <param name="After">Likewise.</param>
/// <param name="Standing">Above where it is called more often, Below where less often; Inside where as often.</param>
public sealed record CallsChange(double Ratio, double Low, double High, double Before, double After, Standing Standing);

/// <param name="BeforeFrom">Start of the span before; it ends with the deployment.</param>
/// <param name="AfterTo">End of the span after.</param>
/// <param name="Patterns">How many there are: more than are compared, where a limit was given.</param>
/// <param name="OfMoreCalls">What of the change of a day comes of more calls, of all patterns, in database-seconds.</param>
/// <param name="OfDearerCalls">And what of dearer ones: the two add up.</param>
/// <param name="Pages">How many statements each page sends for a unit, those that moved first.</param>
public sealed record EffectPage(
    DeploymentView Deployment, string BeforeFrom, string AfterTo, double BeforeSecondsPerDay, double AfterSecondsPerDay, int Patterns,
    IReadOnlyList<EffectRow> Effects, double OfMoreCalls, double OfDearerCalls, IReadOnlyList<PageChangeRow> Pages);

public sealed record StepView(string Hash, string Text, string At, double? Ms, string Binds);

/// <summary>A pattern that units of work send again and again: once for each row of a list, as a rule.</summary>
/// <param name="BeforeText">The pattern right before it; null where the unit begins with it.</param>
/// <param name="Units">Units of work in which it was repeated.</param>
/// <param name="Saved">Statements fewer if each unit sent one instead.</param>
/// <param name="Seconds">Time in the database of the repeated statements.</param>
/// <param name="GapMs">Average time between the end of one and the start of the next: the round trip and the application.</param>
/// <param name="OneForEachRow">Share of units in which there were as many as the pattern before returned rows.</param>
/// <param name="ThenText">The write of the same row that follows each; null where there is none.</param>
/// <param name="Tags">Some of the repeated statement's tags: where it came from.</param>
/// <param name="PerRow">By how many they grow with each row of the list before; null where it cannot be told.</param>
/// <param name="Unit">List and repetition as a unit of a workload; null where nothing was before them, no text of them was kept, or costlier ones come first by the dozen.</param>
public sealed record RepeatView(
    string? BeforeHash, string? BeforeText, string Hash, string Text, string? ThenHash, string? ThenText, double? PerRow,
    IReadOnlyList<string> Tags, long Units, long Statements, int Least, int Most, long Saved, double Seconds, double? GapMs,
    double OneForEachRow, IReadOnlyList<StepView> Example, string? Unit);

public sealed record DeploymentRequest(string? At, string Version, string What, string Script);

public sealed record NoteRequest(string Text);

public sealed record KeepRequest(bool AtTop);

/// <param name="Hashes">Of the statements.</param>
/// <param name="Keep">Whether the book's workload is to hold them from now on; else the text is only handed out, with what is new at its top.</param>
public sealed record TakeRequest(IReadOnlyList<string> Hashes, bool Keep = true);

/// <param name="Added">Names of the statements that were added; those that the workload had already are not.</param>
/// <param name="Names">Of all that were asked for, as the workload calls them.</param>
public sealed record TakenView(string Workload, IReadOnlyList<string> Added, IReadOnlyList<string> Names);

/// <param name="Problem">Why nothing, or not all, could be read.</param>
/// <param name="Own">Statements of this program's own, which stand apart.</param>
/// <param name="Housekeeping">Likewise of the engine's housekeeping.</param>
public sealed record CaptureView(
    long BookId, string Name, string Form, string? Problem, long Statements, long Bytes, long SkippedBytes, long UnreadBytes, long NotKeptApart,
    IReadOnlyList<Rejection> Rejected, long Own, long Housekeeping)
{
    public static CaptureView Of(long book, CaptureReport r) => new(
        book, r.Name, r.Form, r.Problem, r.Statements, r.Bytes, r.SkippedBytes, r.UnreadBytes, r.NotKeptApart, r.Rejections, r.Aside.Own, r.Aside.Housekeeping);
}

internal static class Iso
{
    public static string Of(DateTime utc) => utc.ToString("yyyy-MM-ddTHH:mm:ss.fffZ", System.Globalization.CultureInfo.InvariantCulture);
}
