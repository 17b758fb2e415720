using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>A rehearsal to begin with.</summary>
/// <param name="Left">Statements that were asked for and are not in it, with why; empty for none.</param>
public sealed record RehearsalDraft(string Title, string Load, string Change, string Left);

/// <summary>Loads made of what the ledger knows already: a trial, or what the daybook saw.</summary>
internal static class RehearsalDrafts
{
    private const int MostStatements = 20, MostCases = 40, Steps = 24, UsualSessions = 8, OpenSessions = 16, UsualStint = 5, FewArrivals = 200;

    /// <summary>What a trial measured, sent by several sessions.</summary>
    /// <param name="trial">Its texts.</param>
    /// <param name="subject">The book's.</param>
    /// <param name="only">Name of the one statement that is sent; null for all.</param>
    public static RehearsalDraft OfTrial(TrialRecord trial, string? subject, string? only)
    {
        SqlDialect dialect = KnownEngines.OfSubject(subject).Dialect;
        string workload = (only is null ? null : OnlyOf(trial.Workload, only, dialect)) ?? WithoutUnits(trial.Workload, dialect);
        string of = only is null ? "" : $", {only}";
        return new($"{trial.Title}{of}, under load", string.Create(CultureInfo.InvariantCulture,
            $"-- Trial {trial.Id} under load: as many sessions as there are, each at once with its next statement.\n-- part: application\n-- sessions: {UsualSessions}\n\n{workload.TrimStart()}"), trial.ChangeText, "");
    }

    /// <summary>What was executed in a span of the daybook: its mix, its rates, its values.</summary>
    /// <param name="id">The book.</param>
    /// <param name="hashes">Of patterns, with commas between them; null for the most frequent.</param>
    public static Results<Ok<RehearsalDraft>, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>> OfDaybook(
        long id, string? from, string? to, Whose whose, string? hashes, string? subject, DaybookStore daybook, SampleStore samples)
    {
        if (daybook.Extent(id) is not { } extent)
        {
            return DaybookApi.Nothing("capture");
        }

        var span = AnsweredSpan.Of(from, to, whose, daybook, id, extent);
        List<long> chosen = whose.Chosen(daybook, id);
        Dictionary<long, PatternRecord> known = daybook.Patterns(id).Where(p => p.Hash != CaptureFold.EverythingElse).ToDictionary(p => p.Id);
        HashSet<string> wanted = (hashes ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries).ToHashSet(StringComparer.Ordinal);
        PatternCost[] sent = [.. daybook.Costs(chosen, span.Sums, 1)
            .Where(c => c.Sum.Calls > 0 && known.TryGetValue(c.Pattern, out PatternRecord? p) && (wanted.Count == 0 || wanted.Contains(SqlPattern.NameOf(p.Hash))))
            .OrderByDescending(c => c.Sum.Calls).Take(wanted.Count == 0 ? MostStatements : int.MaxValue)];
        SqlDialect dialect = KnownEngines.OfSubject(subject).Dialect;
        var names = new HashSet<string>(StringComparer.Ordinal);
        var statements = new StringBuilder();
        List<string> left = [];
        double days = Math.Max((span.To - span.From).TotalDays, 1e-6);
        foreach (PatternCost cost in sent)
        {
            PatternRecord pattern = known[cost.Pattern];
            string name = CapturedWorkload.NameFor(pattern.Kind, pattern.Tables, names);

            // The slowest are kept because they are slow: where others are, only these say with which values it is usually called.
            List<SampleRecord> kept = [.. samples.Samples(pattern.Id).Where(s => s.SqlState.Length == 0)];
            List<SampleRecord> drawn = [.. kept.Where(s => s.Place == (int)SamplePlace.Random)];
            if (CapturedWorkload.Load(name, cost.Sum.Calls / days, [.. (drawn.Count > 0 ? drawn : kept).Select(s => new CaseSource(s.Sql, s.Binds, s.Duration))], MostCases, dialect) is not { } text)
            {
                left.Add(pattern.Text);
                continue;
            }

            names.Add(name);
            statements.Append('\n').Append(text);
        }

        if (names.Count == 0)
        {
            return TypedResults.UnprocessableEntity(ProblemReport.Because("request", "No execution of these statements was kept to take values from."));
        }

        long[] ids = [.. sent.Select(c => c.Pattern)];
        double[] course = Course(span, [.. span.CourseOf(daybook, chosen, ids, percentiles: false).Select(p => (DateTimeOffset.Parse(p.At, CultureInfo.InvariantCulture).UtcDateTime, p.Calls))]);
        var load = new StringBuilder();
        load.Append(CultureInfo.InvariantCulture, $"-- From the daybook, {Iso.Of(span.From)} to {Iso.Of(span.To)}: {sent.Sum(c => c.Sum.Calls)} calls, {sent.Sum(c => c.Sum.Calls) / (days * 86_400):0.###} a second, at the most {course.Max():0.###}.\n");
        double mean = course.Average();
        load.Append(mean * UsualStint < FewArrivals ? string.Create(CultureInfo.InvariantCulture, $"-- A stint of {UsualStint} s holds {mean * UsualStint:0.#} arrivals on average: longer stints or higher rates tell sooner.\n") : "");
        load.Append(course.Length > 1 ? "-- A stint goes through the whole course; one rate alone would hold it where you like.\n" : "");
        load.Append(CultureInfo.InvariantCulture, $"-- part: application\n-- sessions: {OpenSessions}\n-- rate: {string.Join(", ", course.Select(r => r.ToString("0.###", CultureInfo.InvariantCulture)))}/second poisson\n");
        load.Append(statements);
        return TypedResults.Ok(new RehearsalDraft($"{(names.Count == 1 ? names.First() : $"{names.Count} statements")} as the daybook saw them", load.ToString(), "",
            left.Count == 0 ? "" : $"No execution was kept to take values from: {string.Join("; ", left.Select(Short))}."));
    }

    /// <summary>Rates of a span in at most so many even steps, executions per second; of a span in one piece, one.</summary>
    private static double[] Course(AnsweredSpan span, List<(DateTime At, long Calls)> points)
    {
        double seconds = Math.Max(1, (span.To - span.From).TotalSeconds);
        int steps = (int)Math.Clamp(seconds / (span.PointMinutes * 60), 1, Steps);
        double[] calls = new double[steps];
        foreach ((DateTime at, long count) in points)
        {
            calls[(int)Math.Clamp((at - span.From).TotalSeconds / seconds * steps, 0, steps - 1)] += count;
        }

        double[] course = [.. calls.Select(c => Math.Round(c / (seconds / steps), 3))];
        return course.Any(r => r > 0) ? course : [0.001];
    }

    /// <summary>A rehearsal plays no loops: units stay out, and it is said which.</summary>
    private static string WithoutUnits(string workload, SqlDialect dialect)
    {
        string text = workload;
        SqlScript script = SqlScript.Split(workload, dialect);
        foreach (WorkloadStatement unit in WorkloadFile.Parse(workload, dialect).Value.Statements.Where(s => s.Unit is not null).Reverse())
        {
            List<ScriptStatement> own = [.. script.Statements.Where(s => s.Body.Start >= unit.Body.Start && s.Body.End <= unit.Body.End)];
            text = $"{text[..own[0].Whole.Start]}\n-- Left out: {unit.Name.ReplaceLineEndings(" ")} is a unit of several statements, which a rehearsal would play one by one.\n{text[own[^1].Whole.End..]}";
        }

        return text;
    }

    private static string? OnlyOf(string workload, string name, SqlDialect dialect)
    {
        Workload read = WorkloadFile.Parse(workload, dialect).Value;
        SqlScript script = SqlScript.Split(workload, dialect);

        // A rehearsal plays no loops: a unit is no draft.
        return read.WithoutUnits().Statements.FirstOrDefault(s => s.Name == name) is { } statement
            ? script.Statements.First(s => s.Body.Start == statement.Body.Start).Whole.Of(workload).Trim() + "\n" : null;
    }

    private static string Short(string pattern) => pattern.Length > 60 ? pattern[..60] + "..." : pattern;
}
