using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Reports;

/// <summary>A trial's result as it is handed out; the field names are a contract, described by docs/trial-result.schema.json.</summary>
public sealed record ResultDocument(
    string Schema,
    string Headline,
    string State,
    ResultSubject Subject,
    ResultOptions Options,
    ResultBill Bill,
    IReadOnlyList<ResultStep> Applied,
    IReadOnlyList<ResultLine> Lines,
    string Workload,
    string Change,
    int Rules,
    string? At = null)
{
    public const string SchemaName = "swift-ledger/trial-result/1";

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    /// <param name="account">A settled account, or one that was interrupted.</param>
    /// <param name="state">finished, cancelled or interrupted.</param>
    /// <param name="kept">What was decided when the trial ended; null to tell what the account holds.</param>
    /// <param name="change">The change's text.</param>
    /// <param name="subjectPath">The subject's address, without a password.</param>
    /// <param name="workload">The workload's text.</param>
    /// <param name="at">When it was measured, as ISO 8601; null where that is not known.</param>
    public static ResultDocument Of(TrialAccount account, string subjectPath, string workload, string change, string state = "finished", Settlement? kept = null, string? at = null)
    {
        Bill bill = kept?.Bill ?? Trials.Bill.Of(account.Lines, account.Brief.Options.Seed);
        TrialOptions o = account.Brief.Options;
        return new(SchemaName, kept?.Headline ?? Trials.Headline.Of(account.Lines, bill), state,
            new(subjectPath, account.Environment?.Engine, account.Environment?.EngineVersion, account.Environment?.SubjectBytes,
                account.Environment?.Settings, account.Environment?.Machine, account.Environment?.LoadAverage, account.Done?.StolenMilliseconds,
                account.Environment?.Notes ?? []),
            new(o.Tolerance * 100, o.FloorMicroseconds, o.MaxSeconds, o.StatementSeconds, o.Seed, o.Quick, o.NoiseCheck, o.Sides, o.Dump),
            ResultBill.Of(bill),
            account.Applied.Select(a => new ResultStep(a.Number, a.Sql, a.Seconds)).ToList(),
            account.Lines.Select(l => ResultLine.Of(l, account)).ToList(), workload, change, kept?.Rules ?? VerdictRule.Version, at);
    }

    public string ToJson() => JsonSerializer.Serialize(this, Json) + "\n";
}

public sealed record ResultSubject(
    string Path, string? Engine, string? EngineVersion, long? Bytes, IReadOnlyDictionary<string, string>? Settings,
    string? Machine, double? LoadAverage, double? StolenMs, IReadOnlyList<string> Notes);

public sealed record ResultOptions(
    double TolerancePercent, double FloorMicroseconds, double? MaxSeconds, double StatementSeconds, ulong Seed, bool Quick, bool NoiseCheck, SubjectSides Sides, DumpContents? Copies);

public sealed record ResultStep(int Statement, string Sql, double Seconds);

public sealed record ResultBill(
    double BeforeSecondsPerDay, double AfterSecondsPerDay, IReadOnlyList<double> BeforeInterval, IReadOnlyList<double> AfterInterval,
    double BeforePagesPerDay, double AfterPagesPerDay, double BeforeRowsPerDay, double AfterRowsPerDay,
    IReadOnlyList<BillItem> Items, IReadOnlyList<NotBilled> LeftOut)
{
    public static ResultBill Of(Bill b) => new(
        b.Seconds.Before, b.Seconds.After, [b.BeforeInterval.Low, b.BeforeInterval.High], [b.AfterInterval.Low, b.AfterInterval.High],
        b.Pages.Before, b.Pages.After, b.Rows.Before, b.Rows.After, b.Items, b.LeftOut);
}

/// <param name="Ratio">Pseudo-median of after / before over the blocks.</param>
/// <param name="Low">Lower end of its interval; null where there are too few blocks for one.</param>
/// <param name="High">Upper end, likewise.</param>
/// <param name="Confidence">Of the interval, all looks together.</param>
/// <param name="Blocks">That count.</param>
/// <param name="MeanRatio">Ratio of the means.</param>
/// <param name="P95Ratio">Ratio of the 95th percentiles.</param>
/// <param name="BlocksLeftOut">Because the machine was taken away.</param>
/// <param name="Confirmed">Whether a second session agreed; null where there was none.</param>
/// <param name="BeforeMs">What an execution typically takes: the medians of both sides, put on the ratio.</param>
/// <param name="AfterMs">Likewise.</param>
public sealed record ResultTime(
    double Ratio, double? Low, double? High, double? Confidence, int Blocks, double? MeanRatio, double? P95Ratio, int BlocksLeftOut, bool? Confirmed, double BeforeMs, double AfterMs);

public sealed record ResultWork(string Counter, long Before, long After);

public sealed record ResultPlan(string Shape, string Text);

/// <summary>What a plan does that costs more than it need.</summary>
/// <param name="Kind">As the glossary has it.</param>
/// <param name="Text">With its evidence.</param>
/// <param name="Share">Of the time, from 0 to 1; null where it was not counted.</param>
/// <param name="Remedy">What helps most often; empty where nothing does.</param>
public sealed record ResultFinding(FindingKind Kind, string Text, double? Share, string Remedy)
{
    internal static IReadOnlyList<ResultFinding>? Of(ComparedSide? side) => side is null ? null : [.. side.Findings.Select(f => new ResultFinding(f.Kind, f.Text, f.Share, f.Remedy))];
}

/// <summary>What one side of a line gave.</summary>
/// <param name="MedianMs">Elapsed time of an execution.</param>
/// <param name="P95Ms">Likewise, 95th percentile.</param>
/// <param name="MeanMs">Likewise, mean.</param>
/// <param name="CpuMs">Median CPU time of an execution; null where nobody tells it.</param>
/// <param name="ColdMs">The first execution on a fresh connection.</param>
/// <param name="Rows">Returned, or changed.</param>
/// <param name="Counters">Of one execution, by the engine's names.</param>
/// <param name="Plan">Null where there is none.</param>
/// <param name="ServerMs">Of a server, time in its executor alone; null where it tells none.</param>
/// <param name="Findings">The costliest first; null where its plan was not looked at for them.</param>
/// <param name="OnlyHere">Rows that the other side does not give; null where they are the same, or were not compared row by row.</param>
public sealed record ResultSide(
    double? MedianMs, double? P95Ms, double? MeanMs, double? CpuMs, double? ColdMs, long? Rows, IReadOnlyDictionary<string, long> Counters, ResultPlan? Plan, double? ServerMs = null, RowsOnlyHere? OnlyHere = null, IReadOnlyList<ResultFinding>? Findings = null)
{
    public static ResultSide Of(Inspection? i, double[] microseconds, double[] cpu) => new(
        microseconds.Length == 0 ? null : Quantile.Median(microseconds) / 1000,
        microseconds.Length == 0 ? null : Quantile.Of(microseconds, 0.95) / 1000,
        microseconds.Length == 0 ? null : microseconds.Average() / 1000,
        cpu.Length == 0 ? null : Quantile.Median(cpu) / 1000,
        i?.ColdMilliseconds, i?.Rows, i?.Counters ?? new Dictionary<string, long>(),
        i?.Plan is { } plan ? new(plan.Shape, plan.Text) : null, i?.ServerMilliseconds, i?.OnlyHere);
}

/// <summary>One line. Ratios are after / before. The sentence says what the engine does otherwise and why; null where there is nothing to tell, or that was not looked at.</summary>
public sealed record ResultLine(
    int Number,
    string Statement,
    string Pattern,
    string Case,
    string Binds,
    Verdict? Verdict,
    Basis? Basis,
    ResultTime? Time,
    ResultWork? Work,
    ResultSide Before,
    ResultSide After,
    bool Rewritten,
    bool? PlanChanged,
    bool? SameRows,
    bool? SameOrder,
    double? CallsPerDay,
    double TolerancePercent,
    string? Message,
    IReadOnlyList<string> Notices,
    Reason? Reason,
    IReadOnlyList<Notice> NoticeCodes,
    string? Sentence = null)
{
    /// <summary>With what its plans tell.</summary>
    /// <param name="line">One of the account's.</param>
    /// <param name="account">Of the trial.</param>
    public static ResultLine Of(Line line, TrialAccount account)
    {
        PlanComparison? plans = LinePlans.Compared(line, account);
        ResultLine plain = Of(line);
        return plain with { Sentence = plans?.Sentence, Before = plain.Before with { Findings = ResultFinding.Of(plans?.Before) }, After = plain.After with { Findings = ResultFinding.Of(plans?.After) } };
    }

    /// <summary>Without what its plans tell: that takes longer.</summary>
    public static ResultLine Of(Line line)
    {
        LineEvidence e = line.Evidence;
        LineJudgement judged = line.Judgement;
        return new(line.Number, e.Brief.Statement, e.Brief.Pattern, e.Brief.Case,
            string.Join(", ", e.Brief.BeforeBindings.Select(b => $"{b.Key}={b.Value}")),
            line.Decision?.Verdict, line.Decision?.Basis,
            TimeOf(line),
            e.Before?.Counters.TryGetValue(e.Counter.Name, out long before) == true
                && e.After?.Counters.TryGetValue(e.Counter.Name, out long after) == true
                ? new(e.Counter.Name, before, after) : null,
            ResultSide.Of(e.Before, judged.Before, [.. judged.Judged.Select(b => b.BeforeCpuMicroseconds)]),
            ResultSide.Of(e.After, judged.After, [.. judged.Judged.Select(b => b.AfterCpuMicroseconds)]),
            e.Brief.Rewritten, e.PlanChanged, e.SameRows, e.SameOrder, e.Brief.CallsPerDay, e.Brief.Tolerance * 100,
            line.Decision?.Message(), line.Decision?.Notes() ?? [], line.Decision?.Reason, line.Decision?.Notices ?? []);
    }

    private static ResultTime? TimeOf(Line line) => line.Judgement is { Comparison: { } c, Typical: { } typical } judged
        ? new(c.Ratio, judged.HasInterval ? Math.Exp(c.Low) : null, judged.HasInterval ? Math.Exp(c.High) : null, judged.HasInterval ? 1 - LookSchedule.TotalAlpha : null,
            c.Blocks, judged.MeanRatio, judged.P95Ratio, line.Evidence.Blocks.Count(b => b.LeftOut),
            judged.Confirmation is { } again ? again.Standing == c.Standing : null, typical.BeforeMicroseconds / 1000, typical.AfterMicroseconds / 1000)
        : null;
}
