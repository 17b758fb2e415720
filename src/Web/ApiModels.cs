using System.Globalization;
using System.Runtime.CompilerServices;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>Something wrong with what was handed in.</summary>
/// <param name="Part">subject, workload, change or options; else the field of the request that it is about.</param>
/// <param name="Line">From 1; null where the part is no text.</param>
/// <param name="Length">Length of the wrong piece in UTF-16 code units; 0 where only its start is known.</param>
public sealed record ProblemView(string Part, int? Line, int? Column, int Length, string Message)
{
    public static ProblemView Of(InputProblem p) =>
        new(p.Part.ToString().ToLowerInvariant(), p.Place?.Line, p.Place?.Column, p.Length, p.Message);
}

/// <summary>The body of a refusal.</summary>
public sealed record ProblemReport(IReadOnlyList<ProblemView> Problems)
{
    public static ProblemReport Because(string part, string message) => new([new(part, null, null, 0, message)]);
}

/// <param name="SubjectMissing">Why the subject cannot be used at the moment; null where it can.</param>
public sealed record BookView(long Id, string Name, string? Subject, long? SubjectBytes, string? SubjectMissing, string Workload, int Statements, int Cases);

public sealed record BookListItem(long Id, string Name, string? Subject);

public sealed record ChangeView(long Id, string Title, string Note, string Text, TrialSummary? LatestTrial);

/// <param name="Ahead">How many trials are measured before this one, while it waits.</param>
/// <param name="Stems">Its lines at a glance; none while nothing is decided, and for old trials of a long list.</param>
public sealed record TrialSummary(
    long Id, long BookId, long? ChangeId, string Title, TrialState State, string CreatedAt, string? StartedAt, string? FinishedAt, string? Headline, string? Message, int Ahead, IReadOnlyList<Stem> Stems)
{
    public static TrialSummary Of(TrialGlance t, int ahead) =>
        new(t.Id, t.BookId, t.ChangeId, t.Title, t.State, t.CreatedAt, t.StartedAt, t.FinishedAt, t.Headline, t.Message, ahead, TrialStore.StemsOf(t));
}

public sealed record BookPage(BookView Book, IReadOnlyList<ChangeView> Changes, IReadOnlyList<TrialSummary> Trials);

public sealed record TrialSettings(
    double TolerancePercent = 5, double? MaxSeconds = null, double StatementSeconds = 30, bool Quick = false, bool NoiseCheck = false,
    ulong Seed = 1, IReadOnlyList<string>? Only = null, SubjectSides Sides = SubjectSides.Copies, string? AfterSubject = null, double MostGigabytes = 50, string? Expendable = null, DumpContents? Dump = null,
    bool TrustSql = false, double? ChangeSeconds = null, double? ChangeGigabytes = null, int MostMegabytes = 700, string? RunAs = null)
{
    public TrialOptions ToOptions(string? subject) => new(
        TolerancePercent / 100, MaxSeconds: MaxSeconds, StatementSeconds: StatementSeconds, Seed: Seed, Only: Only, Quick: Quick, NoiseCheck: NoiseCheck,
        Engine: KnownEngines.OfSubject(subject), Sides: Sides, AfterSubject: string.IsNullOrWhiteSpace(AfterSubject) ? null : AfterSubject.Trim(), MostGigabytes: MostGigabytes,
        Expendable: string.IsNullOrWhiteSpace(Expendable) ? null : Expendable.Trim(),
        Dump: Dump is null ? null : Dump with { On = string.IsNullOrWhiteSpace(Dump.On) ? null : Dump.On.Trim() }, TrustSql: TrustSql, ChangeSeconds: ChangeSeconds,
        ChangeGigabytes: ChangeGigabytes, MostMegabytes: MostMegabytes, RunAs: string.IsNullOrWhiteSpace(RunAs) ? null : RunAs.Trim());

    public static TrialSettings Of(TrialOptions o) =>
        new(o.Tolerance * 100, o.MaxSeconds, o.StatementSeconds, o.Quick, o.NoiseCheck, o.Seed, o.Only, o.Sides, o.AfterSubject, o.MostGigabytes, o.Expendable, o.Dump, o.TrustSql, o.ChangeSeconds,
            o.ChangeGigabytes, o.MostMegabytes, o.RunAs);
}

/// <param name="Subject">Path of a SQLite file on the server's machine, the path that an upload returned, or a PostgreSQL connection string.</param>
/// <param name="Password">Of a connection string; kept encrypted. Empty to use the one that was given before, or what the environment has.</param>
/// <param name="OtherPassword">Of the after side of a pair, or of the server that holds the copies.</param>
public sealed record TrialRequest(string Subject, string Workload, string Change, string? Title, string? BookName, TrialSettings? Settings, string? Password = null, string? OtherPassword = null);

public sealed record LookRequest(string Subject, string? Password = null);

public sealed record StageView(TrialStage Stage, string? Detail, int Ended, int Total, bool Confirming);

/// <summary>How far a line is.</summary>
public enum LineState
{
    Waiting,
    Measuring,
    Ended,

    /// <summary>The trial ended before it did.</summary>
    Left,
}

public sealed record LineView(LineState State, ResultLine Result, bool LeavesStanding = false)
{
    private const string WhyLeft = "The trial ended before this line did.";

    /// <param name="trial">How far the trial is: a line that has not ended in one that has is left.</param>
    public static LineView Of(Line line, TrialState trial, bool leavesStanding = false)
    {
        LineEvidence e = line.Evidence;
        LineState state = e.End is not null ? LineState.Ended
            : trial is not (TrialState.Waiting or TrialState.Running) ? LineState.Left
            : e.Before is not null ? LineState.Measuring : LineState.Waiting;
        ResultLine result = ResultLine.Of(line);
        return new(state, state == LineState.Left && result.Message is null ? result with { Message = WhyLeft } : result, leavesStanding);
    }
}

public sealed record TrialPage(
    TrialSummary Trial, string BookName, string Subject, TrialSettings Settings, string Workload, string Change,
    StageView? Stage, IReadOnlyList<LineView> Lines, ResultBill Bill, string? Headline, IReadOnlyList<ResultStep> Applied,
    TrialEnvironment? Environment, IReadOnlyList<ProblemView> Problems, RulesView? DecidedBy, IReadOnlyList<DecidedAnew> Anew, IReadOnlyList<TrialLimitView> Limits)
{
    /// <param name="settlements">What was decided about the trial, the first time first; empty while nothing was.</param>
    public static TrialPage Of(TrialRecord t, BookRecord book, TrialAccount account, int ahead, IReadOnlyDictionary<ulong, string> standing, IReadOnlyList<KeptSettlement> settlements)
    {
        Bill bill = settlements is [{ Decided.Bill: { } kept }, ..] ? kept : Core.Trials.Bill.Of(account.Lines, account.Brief.Options.Seed);
        return new(TrialSummary.Of(t, ahead), book.Name, book.Subject ?? "", TrialSettings.Of(account.Brief.Options), t.Workload, t.ChangeText,
            t.State == TrialState.Running && account.Stage is { } s ? StageOf(account, s) : null,
            account.Lines.Select(l => LineView.Of(l, t.State, Leaves(l, standing))).ToList(),
            ResultBill.Of(bill), t.Headline, account.Applied.Select(a => new ResultStep(a.Number, a.Sql, a.Seconds)).ToList(),
            account.Environment, (account.Refusal?.Problems ?? []).Select(ProblemView.Of).ToList(),
            settlements is [var first, ..] ? new(first.Decided.Rules, VerdictRule.Version, first.DecidedAt) : null,
            [.. settlements.Skip(1).Select(s => DecidedAnew.Of(s, account))],
            t.State is TrialState.Waiting or TrialState.Running or TrialState.Refused ? [] : HeldTo.GetValue(account, a => [.. TrialLimitCheck.Of(a, t.HouseRules, DateOnly.FromDateTime(DateTimeOffset.Parse(t.CreatedAt, CultureInfo.InvariantCulture).UtcDateTime)).Select(TrialLimitView.Of)]));
    }

    // Rules look through every plan: once for a trial that has ended, as long as it is remembered.
    private static readonly ConditionalWeakTable<TrialAccount, IReadOnlyList<TrialLimitView>> HeldTo = [];

    /// <summary>Whether the side after runs by another plan than the one that stands for the statement.</summary>
    private static bool Leaves(Line line, IReadOnlyDictionary<ulong, string> standing) =>
        line.Evidence.After?.Plan is { } plan && standing.TryGetValue(Convert.ToUInt64(line.Evidence.Brief.Pattern, 16), out string? shape) && shape != plan.Shape;

    public static StageView StageOf(TrialAccount account, StageReached stage) =>
        new(stage.Stage, stage.Detail, account.Lines.Count(l => l.Evidence.End is not null), account.Lines.Count, account.Confirming);

}

/// <summary>A limit that the workload or the book's rules state, held against the trial.</summary>
/// <param name="Line">Number of the line that it is about; null where it is about all.</param>
/// <param name="Name">Of the statement, with its case.</param>
/// <param name="Title">Of its rule.</param>
/// <param name="Limit">As the workload has it.</param>
/// <param name="At">Its line in the workload.</param>
/// <param name="Sentence">What is the case, in words.</param>
public sealed record TrialLimitView(int? Line, string Name, string Title, string Limit, int At, CheckState State, string Sentence)
{
    public static TrialLimitView Of(TrialLimitResult r) => new(r.Line, r.Item.Name, r.Item.Rule.Title, r.Item.Limit, r.Item.Place.Place?.Line ?? 0, r.Item.State, r.Item.Said);
}

/// <summary>By which version of the rules a trial was decided.</summary>
/// <param name="Version">0 where it was not kept.</param>
/// <param name="Today">The version that would decide it now.</param>
public sealed record RulesView(int Version, int Today, string DecidedAt);

/// <summary>A line that later rules decide otherwise.</summary>
public sealed record DecidedOtherwise(int Line, string Statement, string Case, Verdict? First, Verdict Now, Basis Basis, string? Message);

/// <summary>What later rules make of the same evidence, beside what was decided first.</summary>
public sealed record DecidedAnew(int Number, string DecidedAt, int Rules, string Headline, IReadOnlyList<DecidedOtherwise> Otherwise)
{
    public static DecidedAnew Of(KeptSettlement s, TrialAccount account) => new(s.Number, s.DecidedAt, s.Decided.Rules, s.Decided.Headline,
        [.. account.Lines.Where(l => s.Decided.Lines.TryGetValue(l.Number, out Decision? now) && now.Verdict != l.Decision?.Verdict)
            .Select(l => (Line: l, Now: s.Decided.Lines[l.Number]))
            .Select(l => new DecidedOtherwise(l.Line.Number, l.Line.Brief.Statement, l.Line.Brief.Case, l.Line.Decision?.Verdict, l.Now.Verdict, l.Now.Basis, l.Now.Message()))]);
}

public sealed record BlockView(double AtSeconds, bool BeforeFirst, double BeforeUs, double AfterUs, int Switches, double StolenMs, bool LeftOut);

/// <param name="Plans">Null where neither side has a plan.</param>
/// <param name="Confirmation">What the second session said; null where there was none.</param>
/// <param name="Standing">The plan that the statement is held to; null where there is none.</param>
/// <param name="LeavesStanding">Whether the side after runs by another; null where there is none to leave.</param>
/// <param name="Pin">Whether the statement can be held to its plan before (offered), or this rewrite is such a pin that may be listed (proven); null otherwise.</param>
/// <param name="Fallback">Whether this rewrite gave the same rows, and may be kept for the day on which the statement's plan gets dearer.</param>
/// <param name="BandLow">Lowest ratio that counts as level; null where any saving is under the floor.</param>
public sealed record LinePage(
    TrialSummary Trial, LineView Line, string BeforeSql, string AfterSql, string BeforeBinds, string AfterBinds, double? BandLow, double BandHigh,
    IReadOnlyList<BlockView> Blocks, IReadOnlyList<BlockView> ConfirmingBlocks, ComparisonView? Plans,
    SecondSession? Confirmation, StandingPlan? Standing, bool? LeavesStanding, string? Pin, bool Fallback, string BeforePlanText, string AfterPlanText)
{
    public static LinePage Of(TrialSummary trial, Line line, TrialAccount account, StandingPlan? standing)
    {
        LineEvidence e = line.Evidence;
        Band band = line.Judgement.Band;
        return new(trial, LineView.Of(line, trial.State), e.Brief.BeforeSql, e.Brief.AfterSql,
            BindLine.TextOf(e.Brief.BeforeBindings), BindLine.TextOf(e.Brief.AfterBindings),
            double.IsFinite(band.Low) ? Math.Exp(band.Low) : null, Math.Exp(Math.Min(band.High, 50)),
            e.Blocks.Select(View).ToList(), e.ConfirmingBlocks.Select(View).ToList(),
            Compared(line, account),
            line.Judgement.Confirmation is { } c ? new(c.Ratio, c.HasInterval ? Math.Exp(c.Low) : null, c.HasInterval ? Math.Exp(c.High) : null, c.Blocks) : null,
            standing, standing is null || e.After?.Plan is not { } now ? null : now.Shape != standing.Shape, account.Brief.Options.Engine.Plans?.Pins is { } pins ? PinOf(line, pins, account.Catalogs?.After) : null,
            e.Brief.Rewritten && e.IsProvenSame && trial.State == TrialState.Finished, e.Before?.Plan?.Text ?? "", e.After?.Plan?.Text ?? "");
    }

    private static BlockView View(Block b) =>
        new(b.AtSeconds, b.BeforeFirst, b.BeforeMicroseconds, b.AfterMicroseconds, b.InvoluntarySwitches, b.StolenMilliseconds, b.LeftOut);

    /// <summary>A plan can be held to only while the indexes that it goes through are there, and nobody wants the one before back where the other is better.</summary>
    private static string? PinOf(Line line, IPlanPins pins, Catalog? after)
    {
        LineEvidence e = line.Evidence;
        if (e.Brief.Rewritten)
        {
            return pins.Pins(e.Brief.AfterSql) && e.IsProvenSame && e.End is not null ? "proven" : null;
        }

        return e.PlanChanged == true && line.Decision?.Verdict != Verdict.Improved && pins.Rewrite(e.Brief.BeforeSql, e.Before!.Plan!, e.After?.Plan) is { } sql
            && (after is null || pins.IndexesNamed(sql).All(i => after.Index(i) is not null)) ? "offered" : null;
    }

    private static ComparisonView? Compared(Line line, TrialAccount account) =>
        LinePlans.Compared(line, account) is { } compared ? ComparisonView.Of(compared, line.Evidence.Before?.PlanNote, line.Evidence.After?.PlanNote) : null;
}

/// <summary>What the blocks on fresh copies said.</summary>
/// <param name="Ratio">Pseudo-median of after / before.</param>
/// <param name="Low">Lower end of its interval; null where there are too few blocks for one.</param>
/// <param name="High">Upper end, likewise.</param>
/// <param name="Blocks">That count.</param>
public sealed record SecondSession(double Ratio, double? Low, double? High, int Blocks);

public sealed record CheckRequest(string? Subject, string Workload, string Change, bool NoiseCheck, SubjectSides Sides = SubjectSides.Copies, double? MaxSeconds = null);

public sealed record CheckedCase(string Label, double Share, string Binds);

public sealed record CheckedStatement(int Number, string Name, int Line, double? CallsPerDay, bool Rewritten, IReadOnlyList<CheckedCase> Cases);

public sealed record CheckedStep(int Number, int Line, string Text, string? Rewrites);

/// <summary>What was understood of the files, and what is wrong with them.</summary>
/// <param name="Statements">Of the workload.</param>
/// <param name="Steps">Of the change.</param>
/// <param name="Problems">Where, and what to do.</param>
/// <param name="TooShort">Where the bound on the measuring time leaves no room for the lines: what would; null where it may do.</param>
/// <param name="Missing">What the workload names that the subject does not have: a trial can start, and those lines will fail.</param>
public sealed record CheckReport(IReadOnlyList<CheckedStatement> Statements, IReadOnlyList<CheckedStep> Steps, IReadOnlyList<ProblemView> Problems, string? TooShort, IReadOnlyList<ProblemView> Missing)
{
    public static CheckReport Of(TrialBrief brief, string workload, IEnumerable<InputProblem> problems, IEnumerable<InputProblem> missing) => new(
        brief.Workload.Statements.Select(s => new CheckedStatement(s.Number, s.Name, Core.Sql.TextPlace.At(workload, s.Body.Start).Line, s.CallsPerDay,
            brief.Change.RewriteOf(s.Name) is not null, s.Cases.Select(c => new CheckedCase(c.Label, c.Share, c.BindText)).ToList())).ToList(),
        brief.Change.Steps.Select(s => new CheckedStep(s.Number, s.Place.Line, OneLine(s.Sql), null))
            .Concat(brief.Change.Rewrites.Select(r => new CheckedStep(r.Number, r.Place.Line, OneLine(r.Sql), r.Statement)))
            .OrderBy(s => s.Number).ToList(),
        problems.Select(ProblemView.Of).ToList(), TrialLimits.TooShort(brief.Options, brief.Lines.Count), missing.Select(ProblemView.Of).ToList());

    private static string OneLine(string sql)
    {
        string line = string.Join(' ', sql.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        return line.Length > 160 ? line[..160] + "..." : line;
    }
}

public sealed record UploadView(string Path, string Name, long Bytes);

public sealed record ServerView(string Version, string Engine, string EngineVersion, long UploadLimitBytes, string? Measuring);
