using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Reports;

/// <summary>A rehearsal's result as it is handed out; the field names are a contract, described by docs/rehearsal-result.schema.json.</summary>
public sealed record RehearsalDocument(
    string Schema, string Headline, string State, string? At, ResultSubject Subject, RehearsalResultOptions Options, int Pairs, IReadOnlyList<RehearsalMeasure> Measures, RehearsalSide? Before, RehearsalSide? After,
    IReadOnlyList<RehearsalStatement> Statements, IReadOnlyList<RehearsalStint> Stints, RehearsalSender Sender, IReadOnlyList<RehearsalFinding> Findings, RehearsalCapacity? Capacity, IReadOnlyList<ResultStep> Applied, string Load, string Change, int Rules, string? Problem, RehearsalSoak? Soak = null, IReadOnlyList<LockQueueSides>? Queues = null)
{
    public const string SchemaName = "swift-ledger/rehearsal-result/1";

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    /// <param name="account">At its end, or where it was broken off.</param>
    /// <param name="subject">Its address, without a password.</param>
    /// <param name="load">The load's text.</param>
    /// <param name="change">The change's.</param>
    /// <param name="state">finished, cancelled or interrupted.</param>
    /// <param name="at">When it was measured, as ISO 8601; null where that is not known.</param>
    public static RehearsalDocument Of(RehearsalAccount account, string subject, string load, string change, string state = "finished", string? at = null)
    {
        RehearsalOptions o = account.Brief.Options;
        Load sent = account.Brief.Load;

        // Each of these goes through all stints: once is enough.
        IReadOnlyList<MeasureJudgement> judged = account.Judged;
        IReadOnlyList<StatementStint> before = account.Whole(Side.Before), after = account.Whole(Side.After);
        SoakAccount? soak = account.Soak;
        return new(SchemaName, LoadWords.Headline(account, judged, before, soak), state, at,
            new(subject, account.Environment?.Engine, account.Environment?.EngineVersion, account.Environment?.SubjectBytes, account.Environment?.Settings, account.Environment?.Machine, account.Environment?.LoadAverage, null, account.Environment?.Notes ?? []),
            new(sent.Sessions, sent.IsClosed ? null : sent.RatePerSecond, sent.Parts.FirstOrDefault(p => !p.IsOpen)?.Think.ToString(), [.. sent.Parts.Select(p => new RehearsalPart(p.Name, p.Sessions, p.Rate?.ToString() ?? p.Recorded?.ToString(), p.IsOpen ? null : p.Think.ToString(), p.CommitEvery, [.. p.Tasks.SelectMany(t => t.Steps).Select(s => s.Statement.Name).Distinct()]))],
                o.TurnSeconds, o.Seed, o.Tolerance * 100, account.Done?.Durability, o.OneSided, o.MaxSeconds),
            account.Stints.Select(s => s.Pair).Distinct().Count(),
            [.. judged.Select(j => new RehearsalMeasure(j.Statement, j.Measure, j.Before, j.After, j.Ratio, j.Low, j.High, j.Confidence, j.Pairs, j.Verdict, LoadWords.Of(j) is { Length: > 0 } said ? said : null))],
            SideOf(account, Side.Before, before), SideOf(account, Side.After, after), StatementsOf(before, after),
            [.. account.Stints.Select(t => new RehearsalStint(t.Pair, t.Side, t.At, t.Seconds, t.All.Executions, t.All.Failed, t.All.PerSecond, t.All.Latency, t.SessionsInUse, t.ArrivalsWaiting, t.Abandoned, t.IsSteady, t.Sender.ScheduleErrorP99Ms, t.Sender.WasTheLimit(t.All.Latency), t.Waits, t.Bytes))],
            SenderOf(account),
            [.. account.Findings.Select(f => Found(f))],
            account.Capacity is { } c ? new(c.Limit?.ToString(), c.Before, c.After, c.Tried, c.LawBefore, c.LawAfter) : null,
            [.. account.Steps.Select(a => new ResultStep(a.Number, a.Sql, a.Seconds))], load, change, RehearsalRule.Version, account.Done?.Problem, SoakOf(account, soak), account.Queues);
    }

    public string ToJson() => JsonSerializer.Serialize(this, Json) + "\n";

    private static RehearsalFinding Found(LoadFinding f) => LoadWords.Of(f) is var (title, evidence, meaning, remedy) ? new(f.Kind, f.Statement, title, evidence, meaning, remedy, f.Before, f.After) : null!;

    private static RehearsalSoak? SoakOf(RehearsalAccount account, SoakAccount? soak) => soak is null ? null
        : new(soak.Seconds, [.. account.Resumed.Select(r => r.At)], [.. soak.Trends.Select(t => new RehearsalTrend(t.Side, t.Statement, t.Measure, t.AtStart, t.AtEnd, t.PerHour, t.Low, t.High, t.Course, LoadWords.Of(t)))], soak.Plans);

    private static RehearsalSide? SideOf(RehearsalAccount account, Side side, IReadOnlyList<StatementStint> whole)
    {
        if (whole is not [var all, ..])
        {
            return null;
        }

        Stint[] stints = [.. account.Stints.Where(s => s.Side == side)];
        var waits = stints.SelectMany(s => s.Waits).GroupBy(w => w.Kind).Select(g => new RehearsalWait(g.Key, g.First().Meaning, g.Sum(w => w.Share) / stints.Length)).OrderByDescending(w => w.Share).ToList();
        return new(all.Executions, all.Failed, all.Failures, all.Retries, all.PerSecond, all.Latency, all.Service, stints.Average(s => s.SessionsInUse), stints.Average(s => s.ArrivalsWaiting),
            stints.Sum(s => s.Abandoned), stints.Count(s => !s.IsSteady), waits, account.Counts(side));
    }

    private static List<RehearsalStatement> StatementsOf(IReadOnlyList<StatementStint> before, IReadOnlyList<StatementStint> after)
    {
        return [.. before.Skip(1).Select((b, i) => new RehearsalStatement(b.Statement!, Of(b), after.Count > 0 ? Of(after[i + 1]) : null))];

        static RehearsalFigures Of(StatementStint s) => new(s.Executions, s.Failed, s.Retries, s.PerSecond, s.Latency, s.Service);
    }

    private static RehearsalSender SenderOf(RehearsalAccount account) => account.Stints.Count == 0 ? new(0, 0, null, 0, false) : new(
        Measuring.Quantile.Median([.. account.Stints.Select(s => s.Sender.ScheduleErrorP99Ms)]), account.Stints.Average(s => s.Sender.CpuShare), account.Stints.Average(s => s.Sender.MachineShare), account.Stints.Max(s => s.Sender.PauseMs),
        account.Stints.Count(s => s.Sender.WasTheLimit(s.All.Latency)) * 2 >= account.Stints.Count);
}

/// <param name="Sessions">Of all parts.</param>
/// <param name="Rate">Executions a second that open parts offer; null for closed load.</param>
/// <param name="Think">Between two executions of the first part of closed load; null without one.</param>
/// <param name="Parts">What each does.</param>
/// <param name="StintSeconds">Of one side's turn.</param>
/// <param name="Seed">Of everything drawn.</param>
/// <param name="TolerancePercent">What counts as level.</param>
/// <param name="Durability">What a commit waited for.</param>
/// <param name="OneSided">Whether nothing was compared.</param>
/// <param name="MaxSeconds">Bound on all stints; null for none.</param>
public sealed record RehearsalResultOptions(
    int Sessions, double? Rate, string? Think, IReadOnlyList<RehearsalPart> Parts, double StintSeconds, ulong Seed, double TolerancePercent, string? Durability, bool OneSided, double? MaxSeconds);

/// <summary>What a steady load did over its whole length.</summary>
/// <param name="Seconds">That were measured.</param>
/// <param name="Resumed">When it was carried on after it was cut short, as ISO 8601; each time on fresh copies.</param>
/// <param name="Trends">None where there are fewer stints than a trend wants.</param>
/// <param name="Plans">Statements whose plan became another one.</param>
public sealed record RehearsalSoak(double Seconds, IReadOnlyList<string> Resumed, IReadOnlyList<RehearsalTrend> Trends, IReadOnlyList<SoakPlanChange> Plans);

/// <summary>How one figure moved: milliseconds, executions a second, or bytes.</summary>
/// <param name="Side">Whose.</param>
/// <param name="Statement">Null for all.</param>
/// <param name="Measure">What.</param>
/// <param name="AtStart">Of the fitted line.</param>
/// <param name="AtEnd">Likewise.</param>
/// <param name="PerHour">Its slope.</param>
/// <param name="Low">Of the slope's interval of 99 %.</param>
/// <param name="High">Likewise.</param>
/// <param name="Course">What that means.</param>
/// <param name="Told">In a sentence.</param>
public sealed record RehearsalTrend(Side Side, string? Statement, SoakMeasure Measure, double AtStart, double AtEnd, double PerHour, double Low, double High, SoakCourse Course, string Told);

public sealed record RehearsalPart(string Name, int Sessions, string? Rate, string? Think, int CommitEvery, IReadOnlyList<string> Statements);

/// <param name="Statement">Null for all.</param>
/// <param name="Measure">What is compared.</param>
/// <param name="Before">Median over the pairs: milliseconds, or a second.</param>
/// <param name="After">Likewise.</param>
/// <param name="Ratio">After / before.</param>
/// <param name="Low">Of its interval.</param>
/// <param name="High">Of its interval.</param>
/// <param name="Confidence">As a fraction.</param>
/// <param name="Pairs">That were judged.</param>
/// <param name="Verdict">What was decided.</param>
/// <param name="Message">Why, where the numbers do not say it.</param>
public sealed record RehearsalMeasure(
    string? Statement, LoadMeasure Measure, double? Before, double? After, double? Ratio, double? Low, double? High, double? Confidence, int Pairs, Verdict Verdict, string? Message);

public sealed record RehearsalWait(string Kind, WaitMeaning Meaning, double Share);

public sealed record RehearsalSide(
    long Executions, long Errors, IReadOnlyDictionary<LoadOutcome, long> Failures, long Retries, double ThroughputPerSecond, LatencyFigures? LatencyMs, LatencyFigures? ServiceMs, double SessionsInUse, double ArrivalsWaiting,
    long Abandoned, int UnsteadyStints, IReadOnlyList<RehearsalWait> Waits, TaskCounts? Counts = null);

public sealed record RehearsalFigures(long Executions, long Errors, long Retries, double ThroughputPerSecond, LatencyFigures? LatencyMs, LatencyFigures? ServiceMs);

public sealed record RehearsalStatement(string Statement, RehearsalFigures Before, RehearsalFigures? After);

/// <summary>One side's turn, for the course over time.</summary>
/// <param name="At">Seconds from the start of the first one.</param>
/// <param name="Steady">Whether Little's law held.</param>
/// <param name="SenderWasTheLimit">Whether it is left out for that.</param>
/// <param name="Abandoned">Arrivals that never began.</param>
/// <param name="ArrivalsWaiting">On average.</param>
/// <param name="Bytes">Size of the side afterwards.</param>
/// <param name="Errors">Executions that failed.</param>
/// <param name="Executions">That ended well.</param>
/// <param name="LatencyMs">Of all tasks.</param>
/// <param name="Pair">From 0.</param>
/// <param name="ScheduleErrorP99Ms">Of executions whose session was free.</param>
/// <param name="Seconds">That are counted.</param>
/// <param name="SessionsInUse">On average.</param>
/// <param name="Side">Whose.</param>
/// <param name="ThroughputPerSecond">Of all tasks.</param>
/// <param name="Waits">Where the sessions' time went.</param>
public sealed record RehearsalStint(
    int Pair, Side Side, double At, double Seconds, long Executions, long Errors, double ThroughputPerSecond, LatencyFigures? LatencyMs, double SessionsInUse, double ArrivalsWaiting, long Abandoned, bool Steady,
    double ScheduleErrorP99Ms, bool SenderWasTheLimit, IReadOnlyList<WaitShare> Waits, long Bytes);

public sealed record RehearsalSender(double ScheduleErrorP99Ms, double CpuShare, double? MachineShare, double PauseMs, bool WasTheLimit);

public sealed record RehearsalFinding(LoadFindingKind Kind, string? Statement, string Title, string Evidence, string Meaning, string Remedy, double? Before, double? After);

public sealed record RehearsalCapacity(string? Limit, CapacityFound? Before, CapacityFound? After, IReadOnlyList<TriedLoad> Tried, ScalabilityLaw? LawBefore, ScalabilityLaw? LawAfter);
