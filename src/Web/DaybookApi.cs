using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What was executed: the questions that the daybook and its statements ask.</summary>
internal static class DaybookApi
{
    internal const int MostRows = 20_000;

    /// <summary>Of so many repetitions the unit is written out: those that a page shows.</summary>
    private const int MostUnits = 20;

    private const int CourseParts = 28, MostEffects = 60, MostTags = 4, MostEvents = 100, MostJumping = 40, MostStretches = 160, LeastStretches = 20, CallsOfStretch = 6, MostPages = 100;
    private const double SlowMs = 1_000;

    private static readonly TimeSpan NearDeployment = TimeSpan.FromHours(2);

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/daybook", Daybook);
        api.MapGet("/books/{id:long}/patterns", Patterns);
        api.MapGet("/books/{id:long}/statements/{hash}", Statement);
        api.MapGet("/books/{id:long}/deployments/{deployment:long}", Effects);
        api.MapGet("/books/{id:long}/repeats", Repeats);
        api.MapGet("/books/{id:long}/callers", Callers);
        api.MapGet("/books/{id:long}/events", Events);
        api.MapGet("/books/{id:long}/jumps", Jumps);
        api.MapGet("/books/{id:long}/pages", Pages);
    }

    internal static NotFound<ProblemReport> Nothing(string what) => TypedResults.NotFound(ProblemReport.Because("request", $"There is no such {what}."));

    internal static Results<Ok<DaybookPage>, NotFound<ProblemReport>> Daybook(
        long id, string? from, string? to, [AsParameters] Whose whose, string? text, string? kind, string? table, string? tag, bool? percentiles, bool? apart,
        BookStore books, DaybookStore daybook, DeploymentStore deployments, CaptureStore captures, SampleStore samples)
    {
        if (books.Find(id) is not { } book)
        {
            return Nothing("book");
        }

        IReadOnlyList<SourceRecord> all = daybook.Sources(id);
        List<CaptureFileView> files = captures.Files(id).Select(f => new CaptureFileView(
            f.Name, f.Source, f.Form, f.ReadTo, f.Statements, f.ReadAt, JsonSerializer.Deserialize<List<Rejection>>(f.Rejections)!)).ToList();
        List<DeploymentView> deployed = deployments.OfBook(id).Select(DeploymentView.Of).ToList();
        List<SourceView> names = all.Select(s => new SourceView(s.Id, s.Name)).ToList();
        if (daybook.Extent(id) is not { } extent)
        {
            return TypedResults.Ok(new DaybookPage(id, book.Name, null, null, null, null, 60, names, deployed, [], [], files));
        }

        var span = AnsweredSpan.Of(from, to, whose, daybook, id, extent);
        var filter = new PatternFilter(text, kind, table, tag);
        IReadOnlyCollection<long>? patterns = filter.IsEmpty ? null : filter.Of(daybook.Patterns(id), samples, id).Select(p => p.Id).ToList();
        List<long> chosen = whose.Chosen(daybook, id);
        List<CoursePoint> CourseOf(IReadOnlyList<long> some) => span.CourseOf(daybook, some, patterns, percentiles ?? true);
        List<SourceCourse> each = apart == true ? whose.SourcesOf(daybook, id).Select(s => new SourceCourse(s, CourseOf(whose.IsOfCallers ? (whose with { Sources = s.ToString(CultureInfo.InvariantCulture) }).Chosen(daybook, id) : [s]))).ToList() : [];
        return TypedResults.Ok(new DaybookPage(id, book.Name, Iso.Of(Stretches.TimeOf(extent.From)), Iso.Of(Stretches.TimeOf(extent.To)),
            Iso.Of(span.From), Iso.Of(span.To), span.PointMinutes, names, deployed, CourseOf(chosen), each, files));
    }

    internal static Results<Ok<PatternsPage>, NotFound<ProblemReport>> Patterns(
        long id, string? from, string? to, [AsParameters] Whose whose, string? text, string? kind, string? table, string? tag, string? rank, int? limit, double? slow,
        BookStore books, DaybookStore daybook, SampleStore samples) =>
        books.Find(id) is null ? Nothing("book")
        : TypedResults.Ok(PatternsOf(id, from, to, whose, new(text, kind, table, tag), RankOf(rank), Math.Clamp(limit ?? 200, 1, MostRows), slow ?? SlowMs, daybook, samples));

    private static PatternsPage PatternsOf(
        long id, string? from, string? to, Whose whose, PatternFilter filter, RankBy rank, int limit, double slow, DaybookStore daybook, SampleStore samples)
    {
        if (daybook.Extent(id) is not { } extent)
        {
            return new("", "", 0, 0, 0, 0, rank, [], [], []);
        }

        var span = AnsweredSpan.Of(from, to, whose, daybook, id, extent);
        List<long> chosen = whose.Chosen(daybook, id);
        IReadOnlyList<Run> runs = span.Sums;
        Task<IReadOnlyList<PatternRecord>> book = Task.Run(() => daybook.Patterns(id));
        IReadOnlyList<PatternCost> costs = daybook.Costs(chosen, runs, CourseParts);
        IReadOnlyList<PatternRecord> known = book.GetAwaiter().GetResult();
        Dictionary<long, PatternRecord> records = filter.Of(known, samples, id).ToDictionary(p => p.Id);
        long total = costs.Sum(c => c.Sum.TotalTicks);
        List<(PatternCost Cost, PatternRecord Record)> fitting = costs.Where(c => records.ContainsKey(c.Pattern)).Select(c => (c, records[c.Pattern])).ToList();

        // Durations are many: they are read for what is shown, unless it is they that decide what is.
        bool byDurations = PatternRanking.NeedsDurations(rank);
        if (byDurations)
        {
            daybook.AddDurations(fitting.Select(f => f.Cost).ToList(), chosen, runs);

            // What came in is put in order on all processors; ranking finds it so.
            fitting.AsParallel().ForAll(f => f.Cost.Sum.Durations.Quantile(0.5));
        }

        List<(PatternCost Cost, PatternRecord Record)> shown = [.. fitting.Ranked(rank, f => f.Cost, f => f.Record.KeptAtTop).Take(limit)];
        if (!byDurations)
        {
            daybook.AddDurations(shown.Select(f => f.Cost).ToList(), chosen, runs);
        }

        List<PatternRow> rows = shown.Select(f => RowOf(f.Cost, f.Record, total, slow)).ToList();
        return new(Iso.Of(span.From), Iso.Of(span.To), fitting.Sum(f => f.Cost.Sum.Calls), fitting.Sum(f => f.Cost.Sum.Errors),
            fitting.Sum(f => f.Cost.Sum.TotalTicks) / (double)TimeSpan.TicksPerSecond, fitting.Count, rank,
            known.Select(p => p.Kind).Where(k => k.Length > 0).Distinct().Order(StringComparer.Ordinal).ToList(),
            known.SelectMany(p => p.Tables).Distinct().Order(StringComparer.Ordinal).Take(500).ToList(), rows);
    }

    /// <summary>What the list is ranked by; by total where the name is unknown.</summary>
    private static RankBy RankOf(string? name) => Enum.TryParse(name, ignoreCase: true, out RankBy rank) && Enum.IsDefined(rank) ? rank : RankBy.Total;

    private static PatternRow RowOf(PatternCost cost, PatternRecord record, long total, double slow)
    {
        Cell sum = cost.Sum;
        double? worst = sum.Timed > 0 ? sum.MaxTicks / (double)TimeSpan.TicksPerMillisecond : null;
        return new(SqlPattern.NameOf(record.Hash), record.Text, record.Kind, record.Tables, record.KeptAtTop, sum.Calls, sum.Errors,
            sum.TotalTicks / (double)TimeSpan.TicksPerSecond, total > 0 ? sum.TotalTicks / (double)total : 0,
            cost.AverageTicks / TimeSpan.TicksPerMillisecond, CoursePoint.Quantile(sum, 0.95), worst, sum.RowsRead, sum.RowsReturned, cost.RowsReadPerReturned,
            cost.Spread, worst > slow, cost.Course.Select(t => t / (double)TimeSpan.TicksPerSecond).ToList());
    }

    private static Results<Ok<EventsPage>, NotFound<ProblemReport>> Events(
        long id, string? from, string? to, string? sources, string? hash, BookStore books, DaybookStore daybook, EventStore events)
    {
        if (books.Find(id) is null || (hash is not null && PatternOf(daybook, id, hash) is null))
        {
            return Nothing("book, or statement in it");
        }

        List<long> servers = new Whose { Sources = sources }.SourcesOf(daybook, id);
        (DateTime first, DateTime last) = from is not null && to is not null && daybook.Extent(id) is { } extent && AnsweredSpan.Of(from, to, new Whose { Sources = sources }, daybook, id, extent) is var span
            ? (span.From, span.To) : (DateTime.UnixEpoch, DateTime.UnixEpoch.AddYears(1000));
        long? pattern = hash is null ? null : PatternOf(daybook, id, hash)!.Id;
        IReadOnlyList<EventRecord> kept = events.Kept(servers, first.Ticks, last.Ticks, MostEvents, pattern);
        Dictionary<long, PatternRecord> patterns = daybook.PatternsOf(id, [.. kept.Select(e => e.Pattern).Distinct()]).ToDictionary(p => p.Id);
        return TypedResults.Ok(new EventsPage(events.Counts(servers, Stretches.MinuteOf(first), Stretches.MinuteOf(last), pattern), [.. kept.Select(e => new EventView(e.Kind, Iso.Of(new DateTime(e.At, DateTimeKind.Utc)),
            patterns.TryGetValue(e.Pattern, out PatternRecord? p) ? SqlPattern.NameOf(p.Hash) : null, p?.Text, e.Amount, e.Message, e.Database, e.User, e.Application))]));
    }

    /// <summary>Who sends how much, those of applications first, by time.</summary>
    private static Results<Ok<List<CallerRow>>, NotFound<ProblemReport>> Callers(long id, string? from, string? to, string? sources, BookStore books, DaybookStore daybook)
    {
        if (books.Find(id) is null)
        {
            return Nothing("book");
        }

        if (daybook.Extent(id) is not { } extent)
        {
            return TypedResults.Ok(new List<CallerRow>());
        }

        // Callers are kept by hours alone.
        var whose = new Whose { Sources = sources, Load = nameof(LoadKind.Own) };
        IReadOnlyList<Run> runs = AnsweredSpan.Of(from, to, whose, daybook, id, extent).Sums;
        IReadOnlyList<CallerRecord> callers = daybook.Callers(whose.SourcesOf(daybook, id));
        List<(Caller Caller, Cell Sum)> sums = [.. callers.GroupBy(c => c.Caller).Select(g => (g.Key, SumOf(daybook, [.. g.Select(c => c.Id)], runs))).Where(c => c.Item2.Calls > 0)];
        double all = Math.Max(1, sums.Where(c => c.Caller.Kind == LoadKind.Application).Sum(c => (double)c.Sum.TotalTicks));
        return TypedResults.Ok(sums.OrderBy(c => c.Caller.Kind).ThenByDescending(c => c.Sum.TotalTicks).Select(c => new CallerRow(c.Caller.Database, c.Caller.User, c.Caller.Application, c.Caller.Kind,
            c.Sum.Calls, c.Sum.Errors, c.Sum.TotalTicks / (double)TimeSpan.TicksPerSecond, c.Sum.TotalTicks / all)).ToList());
    }

    private static Cell SumOf(DaybookStore daybook, IReadOnlyList<long> rows, IReadOnlyList<Run> runs)
    {
        var sum = new Cell();
        foreach (TimedCell cell in runs.SelectMany(r => daybook.Timeline(rows, r.Stretch, r.From, r.To, durations: false)))
        {
            sum.Add(cell.Cell);
        }

        return sum;
    }

    private static Results<Ok<StatementPage>, NotFound<ProblemReport>> Statement(
        long id, string hash, [AsParameters] Whose whose, BookStore books, DaybookStore daybook, DeploymentStore deployments, SampleStore samples, PlanUseStore plans, ValueStore values, EventStore events)
    {
        if (books.Find(id) is not { } book || PatternOf(daybook, id, hash) is not { } pattern || daybook.Extent(id) is not { } extent)
        {
            return Nothing("statement");
        }

        IReadOnlyList<long> chosen = whose.Chosen(daybook, id);
        var span = AnsweredSpan.Of(null, null, whose, daybook, id, extent);
        long[] only = [pattern.Id];
        IReadOnlyList<CoursePoint> course = span.CourseOf(daybook, chosen, only, percentiles: true);
        IReadOnlyList<TimedCell> days = daybook.Timeline(chosen, Stretch.Day, Stretch.Day.StartOf(extent.From), extent.To, only);
        var whole = new Cell();
        foreach (TimedCell day in days)
        {
            whole.Add(day.Cell);
        }

        SqlDialect dialect = KnownEngines.OfSubject(book.Subject).Dialect;
        bool inWorkload = WorkloadFile.Parse(book.Workload, dialect).Value.Statements.Any(s => s.Sent.Any(one => SqlPattern.HashOf(one.Sql, dialect) == pattern.Hash));
        return TypedResults.Ok(new StatementPage(id, book.Name, hash, pattern.Text, pattern.Kind, pattern.Tables, pattern.KeptAtTop, span.PointMinutes,
            days.Count > 0 ? CoursePoint.Of(new(days[0].Minute, whole)) : null, course, days.Select(CoursePoint.Of).ToList(),
            deployments.OfBook(id).Select(DeploymentView.Of).ToList(), samples.Samples(pattern.Id).Select(SampleView.Of).ToList(), samples.Tags(pattern.Id),
            samples.Errors(pattern.Id).Select(e => new ErrorView(e.SqlState, e.Calls, e.Retried, Iso.Of(Stretches.TimeOf((int)e.FirstHour)), Iso.Of(Stretches.TimeOf((int)e.LastHour)))).ToList(),
            samples.Notes(pattern.Id), plans.OfPattern(pattern.Id, whose.SourcesOf(daybook, id)).Select(PlanOf).ToList(), SharesOf(daybook, daybook.Sources(id), extent, pattern.Id), inWorkload,
            ListSlope.Of(values.Hours([pattern.Id], whose.SourcesOf(daybook, id), extent.From - Stretch.Hour.Minutes(), extent.To)[pattern.Id])?.Sentence ?? "", events.Counts(whose.SourcesOf(daybook, id), extent.From, extent.To, pattern.Id)));
    }

    private static PlanView PlanOf(CapturedPlanRecord p)
    {
        long calls = p.Hours.Sum(h => h.Calls);
        return new(p.Shape, p.Outline, Iso.Of(Stretches.TimeOf(p.Hours[0].Hour)), Iso.Of(Stretches.TimeOf(p.Hours[^1].Hour + Stretch.Hour.Minutes())), calls,
            p.Hours.Sum(h => h.Total) / (double)Math.Max(1, calls) / TimeSpan.TicksPerMillisecond, p.Hours.Select(h => Iso.Of(Stretches.TimeOf(h.Hour))).ToList());
    }

    private static List<SourceShare> SharesOf(DaybookStore daybook, IReadOnlyList<SourceRecord> sources, (int From, int To) extent, long pattern)
    {
        var shares = new List<SourceShare>();
        foreach (SourceRecord source in sources)
        {
            var sum = new Cell();
            foreach (TimedCell day in daybook.Timeline([source.Id], Stretch.Day, Stretch.Day.StartOf(extent.From), extent.To, [pattern]))
            {
                sum.Add(day.Cell);
            }

            if (sum.Calls > 0)
            {
                shares.Add(new(source.Name, sum.Calls, sum.TotalTicks / (double)TimeSpan.TicksPerSecond, CoursePoint.Quantile(sum, 0.95), sum.Errors));
            }
        }

        return shares;
    }

    internal static Results<Ok<EffectPage>, NotFound<ProblemReport>> Effects(
        long id, long deployment, double? days, [AsParameters] Whose whose, int? limit, BookStore books, DaybookStore daybook, ValueStore values, PageStore pages, DeploymentStore deployments)
    {
        IReadOnlyList<DeploymentRecord> all = deployments.OfBook(id);
        if (books.Find(id) is null || all.FirstOrDefault(d => d.Id == deployment) is not { } chosen || daybook.Extent(id) is not { } extent)
        {
            return Nothing("deployment with captures around it");
        }

        return TypedResults.Ok(new DeploymentAccount(daybook, values, pages).Of(id, chosen, all, extent, days, whose.Chosen(daybook, id), whose.SourcesOf(daybook, id), Math.Clamp(limit ?? MostEffects, 1, MostRows)));
    }

    private static Results<Ok<List<RepeatView>>, NotFound<ProblemReport>> Repeats(
        long id, BookStore books, RepeatStore repeats, DaybookStore daybook, SampleStore samples)
    {
        if (books.Find(id) is not { } book)
        {
            return Nothing("book");
        }

        Dictionary<ulong, string> texts = daybook.Patterns(id).ToDictionary(p => p.Hash, p => p.Text);
        (int, int)? extent = daybook.Extent(id);
        SqlDialect dialect = KnownEngines.OfSubject(book.Subject).Dialect;
        return TypedResults.Ok(repeats.OfBook(id).Select((r, i) => new RepeatView(
            r.Before is { } b ? SqlPattern.NameOf(b.Hash) : null, r.Before?.Text, SqlPattern.NameOf(r.Repeated.Hash), r.Repeated.Text,
            r.Then is { } t ? SqlPattern.NameOf(t.Hash) : null, r.Then?.Text, r.Repeat.PerRow,
            samples.Tags(r.Repeated.Id).Take(MostTags).Select(t => $"{t.Key}={t.Value}").ToList(), r.Repeat.Units, r.Repeat.Statements,
            r.Repeat.Least, r.Repeat.Most, r.Repeat.Statements - r.Repeat.Units, r.Repeat.Ticks / (double)TimeSpan.TicksPerSecond,
            r.Repeat.Gaps > 0 ? r.Repeat.GapTicks / (double)r.Repeat.Gaps / TimeSpan.TicksPerMillisecond : null, r.Repeat.OneForEachRow / (double)r.Repeat.Units,
            r.Repeat.Example.Select(e => new StepView(SqlPattern.NameOf(e.Pattern), texts.GetValueOrDefault(e.Pattern, ""), Iso.Of(e.At), e.Milliseconds, e.Binds)).ToList(),
            i < MostUnits ? UnitOf(r, extent, samples, dialect) : null)).ToList());
    }

    /// <summary>A list and what was repeated for its rows, as a workload says it; a write behind each repetition makes it another thing.</summary>
    private static string? UnitOf(RepeatRecord repeat, (int From, int To)? extent, SampleStore samples, SqlDialect dialect)
    {
        if (repeat.Before is not { } before || repeat.Then is not null || extent is not var (from, to)
            || samples.Samples(before.Id).FirstOrDefault(s => s.SqlState.Length == 0) is not { } list || samples.Samples(repeat.Repeated.Id).Where(s => s.SqlState.Length == 0).ToList() is not { Count: > 0 } kept)
        {
            return null;
        }

        // Within one unit it shows which values are another for each row; where the text has its values written into it, other executions do.
        string?[] within = [.. repeat.Repeat.Example.Where(e => e.Pattern == repeat.Repeated.Hash).Select(e => e.Binds).Where(b => b.Length > 0)];
        string first = repeat.Repeat.Example.FirstOrDefault(e => e.Pattern == before.Hash)?.Binds is { Length: > 0 } own ? own : list.Binds;
        CaseSource[] each = within.Length > 1 ? [.. within.Select(b => new CaseSource(kept[0].Sql, b!, null))] : [.. kept.Select(s => new CaseSource(s.Sql, s.Binds, s.Duration))];
        return CapturedUnit.Text($"{CapturedWorkload.NameFor(before.Kind, before.Tables, new HashSet<string>())} and each row", repeat.Repeat.Units / Math.Max(1.0 / 24, (to - from) / 1440.0), new(list.Sql, first, list.Duration), each, dialect);
    }

    internal static PatternRecord? PatternOf(DaybookStore daybook, long id, string hash) =>
        ulong.TryParse(hash, NumberStyles.HexNumber, CultureInfo.InvariantCulture, out ulong value) ? daybook.Pattern(id, value) : null;

    /// <summary>How many statements each page sends for a unit, the dearest first.</summary>
    private static Results<Ok<List<PageRow>>, NotFound<ProblemReport>> Pages(long id, string? from, string? to, string? sources, BookStore books, DaybookStore daybook, PageStore pages)
    {
        if (books.Find(id) is null)
        {
            return Nothing("book");
        }

        var whose = new Whose { Sources = sources, Load = nameof(LoadKind.Own) };
        (int first, int last) = daybook.Extent(id) is { } extent && AnsweredSpan.Of(from, to, whose, daybook, id, extent) is var span
            ? (Stretches.MinuteOf(span.From), Stretches.MinuteOf(span.To)) : (0, 0);
        return TypedResults.Ok(pages.Spans(whose.SourcesOf(daybook, id), first, last).Select(p => (Page: p.Key, p.Value.Sum))
            .OrderByDescending(p => p.Sum.Ticks).Take(MostPages).Select(p => new PageRow(p.Page, p.Sum.Units, p.Sum.PerUnit, p.Sum.MsPerUnit)).ToList());
    }

    /// <summary>Statements that take far longer or less since some time, where no deployment is known near it.</summary>
    private static Results<Ok<List<JumpView>>, NotFound<ProblemReport>> Jumps(
        long id, string? from, string? to, [AsParameters] Whose whose, BookStore books, DaybookStore daybook, DeploymentStore deployments)
    {
        if (books.Find(id) is null)
        {
            return Nothing("book");
        }

        if (daybook.Extent(id) is not { } extent)
        {
            return TypedResults.Ok(new List<JumpView>());
        }

        var span = AnsweredSpan.Of(from, to, whose, daybook, id, extent);
        List<long> chosen = whose.Chosen(daybook, id);
        Dictionary<long, PatternRecord> known = daybook.Patterns(id).Where(p => p.Hash != CaptureFold.EverythingElse).ToDictionary(p => p.Id);
        List<long> patterns = [.. daybook.Costs(chosen, span.Sums, 1).Where(c => known.ContainsKey(c.Pattern)).OrderByDescending(c => c.Sum.TotalTicks).Take(MostJumping).Select(c => c.Pattern)];
        List<DateTime> deployed = [.. deployments.OfBook(id).Select(d => d.Time)];
        JumpView? JumpOf(long pattern, IReadOnlyList<TimedCell> cells)
        {
            int length = StretchOf(span.Course, cells.Sum(c => c.Cell.Timed));
            TimeSpan near = ((span.TimeOf(length) - span.TimeOf(0)) * 2) + TimeSpan.FromTicks(Math.Min(NearDeployment.Ticks, (span.To - span.From).Ticks / 10));
            List<(int Minute, double Ms)> medians = Jump.Medians(cells, length);
            return Jump.In([.. medians.Select(m => m.Ms)], patterns.Count) is { } jump && span.TimeOf(medians[jump.At].Minute) is var at && !deployed.Exists(d => (d - at).Duration() <= near)
                ? new(SqlPattern.NameOf(known[pattern].Hash), known[pattern].Text, Iso.Of(at), jump.BeforeMs, jump.AfterMs, jump.Ratio, jump.Sentence) : null;
        }

        List<JumpView> jumps = [.. daybook.Cells(chosen, span.Course, patterns).AsParallel().Select(c => JumpOf(c.Key, c.Value)).OfType<JumpView>()];
        return TypedResults.Ok(jumps.OrderByDescending(j => Math.Abs(Math.Log(j.Ratio))).ToList());
    }

    /// <summary>How long the stretches are of which medians are made: with a few calls in each, and neither too many of them nor too few.</summary>
    private static int StretchOf(Run run, long calls)
    {
        int cells = (run.To - run.From) / run.Stretch.Minutes(), least = (int)Math.Min(cells, CallsOfStretch * (long)cells / Math.Max(1, calls)) + 1;
        return run.Stretch.Minutes() * Math.Clamp(Math.Max(least, cells / MostStretches), 1, Math.Max(1, cells / LeastStretches));
    }
}
