using System.Collections.Concurrent;
using System.IO.Hashing;
using System.Text;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What statements that name a table took in a span.</summary>
/// <param name="ReadShare">Of the time of all statements; a statement that names several tables counts for each.</param>
/// <param name="Statements">How many name it.</param>
public sealed record TableCostRow(string Table, double ReadSeconds, double WriteSeconds, double ReadShare, double WriteShare, long ReadCalls, long WriteCalls, int Statements);

/// <param name="Error">Its SQLSTATE; empty of one that worked.</param>
public sealed record ExecutionView(long Id, string At, double Ms, string Hash, string Error);

/// <summary>Kept executions of a span, the longest first.</summary>
/// <param name="Count">How many are kept there: perhaps more than are told.</param>
/// <param name="Texts">Of their patterns, by hash.</param>
public sealed record ExecutionsPage(string From, string To, long Count, IReadOnlyList<ExecutionView> Executions, IReadOnlyDictionary<string, string> Texts);

/// <param name="Low">Lower end of the range in which the hour is expected, seconds.</param>
public sealed record UsualPoint(string At, double Seconds, double Usual, double Low, double High);

/// <summary>Hours that took more or less than they usually do.</summary>
/// <param name="Of">"all", "table" or "statement".</param>
/// <param name="Name">The table's name, or the statement's text; empty of all.</param>
/// <param name="Hash">Of a statement; else null.</param>
/// <param name="Why">What explains it as far as the capture tells, in sentences.</param>
/// <param name="Course">The hours around it.</param>
public sealed record DepartureView(string Of, string Name, string? Hash, string From, string To, double Seconds, double Usual, IReadOnlyList<string> Why, IReadOnlyList<UsualPoint> Course);

/// <param name="TooShort">Whether the capture is too short to tell what is usual.</param>
/// <param name="FalseShare">Expected share of false ones among them, at most.</param>
public sealed record DeparturesPage(bool TooShort, double FalseShare, IReadOnlyList<DepartureView> Departures);

/// <summary>What a captured plan does that costs more than it need.</summary>
/// <param name="SecondsPerDay">What the pattern takes in a day of the span, times the finding's share of the time.</param>
public sealed record CapturedFindingView(string Hash, string Text, double SecondsPerDay, string At, FindingView Finding);

/// <summary>A statement that runs through an index.</summary>
public sealed record IndexUserView(string Index, string Hash, string Text, string Since, string Last, long Calls);

/// <summary>Where a book's time goes: by table, by execution, by hour, by finding, by index.</summary>
internal static class CostsApi
{
    private const int MostTables = 200, MostPoints = 3_000, MostSeries = 120, MostDepartures = 60, MostFindings = 200, HoursAround = 30, HoursAtOnce = 168, MostPlansLookedAt = 300;

    private const double AlmostAll = 0.8;

    private static readonly TimeSpan NearDeployment = TimeSpan.FromHours(3);
    private static readonly ConcurrentDictionary<UInt128, IReadOnlyList<Finding>> Known = new();

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/tables", Tables);
        api.MapGet("/books/{id:long}/executions", Executions);
        api.MapGet("/books/{id:long}/departures", Departures);
        api.MapGet("/books/{id:long}/findings", Findings);
        api.MapGet("/books/{id:long}/indexes", Indexes);
    }

    private static Results<Ok<List<TableCostRow>>, NotFound<ProblemReport>> Tables(
        long id, string? from, string? to, [AsParameters] Whose whose, BookStore books, DaybookStore daybook)
    {
        if (books.Find(id) is not { } book)
        {
            return DaybookApi.Nothing("book");
        }

        if (daybook.Extent(id) is not { } extent)
        {
            return TypedResults.Ok(new List<TableCostRow>());
        }

        IReadOnlyList<PatternCost> costs = daybook.Costs(whose.Chosen(daybook, id), AnsweredSpan.Of(from, to, whose, daybook, id, extent).Sums, 1);
        Dictionary<long, PatternRecord> records = daybook.Patterns(id).ToDictionary(p => p.Id);
        double all = Math.Max(1, costs.Sum(c => (double)c.Sum.TotalTicks));
        return TypedResults.Ok(TableCost.Of(costs.Where(c => records.ContainsKey(c.Pattern)).Select(c => (records[c.Pattern].Text, c)), KnownEngines.OfSubject(book.Subject).Dialect).Take(MostTables)
            .Select(t => new TableCostRow(t.Table, t.ReadTicks / (double)TimeSpan.TicksPerSecond, t.WriteTicks / (double)TimeSpan.TicksPerSecond, t.ReadTicks / all, t.WriteTicks / all, t.ReadCalls, t.WriteCalls, t.Patterns)).ToList());
    }

    private static Results<Ok<ExecutionsPage>, NotFound<ProblemReport>> Executions(
        long id, string? from, string? to, string? sources, string? text, string? kind, string? table, string? tag, double? slow, BookStore books, DaybookStore daybook, SampleStore samples, ExecutionStore executions)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        if (daybook.Extent(id) is not { } extent)
        {
            return TypedResults.Ok(new ExecutionsPage("", "", 0, [], new Dictionary<string, string>()));
        }

        var whose = new Whose { Sources = sources };
        var span = AnsweredSpan.Of(from, to, whose, daybook, id, extent);
        (IReadOnlyList<ExecutionPoint> points, long count) = executions.Longest(whose.SourcesOf(daybook, id), span.From.Ticks, span.To.Ticks, (long)((slow ?? 0) * TimeSpan.TicksPerMillisecond), MostPoints);
        Dictionary<long, PatternRecord> records = new PatternFilter(text, kind, table, tag).Of(daybook.Patterns(id), samples, id).ToDictionary(p => p.Id);
        List<ExecutionPoint> fitting = [.. points.Where(p => records.ContainsKey(p.Pattern))];
        return TypedResults.Ok(new ExecutionsPage(Iso.Of(span.From), Iso.Of(span.To), records.Count == 0 ? 0 : count - (points.Count - fitting.Count),
            [.. fitting.Select(p => new ExecutionView(p.Id, Iso.Of(new DateTime(p.At, DateTimeKind.Utc)), p.Duration / (double)TimeSpan.TicksPerMillisecond, SqlPattern.NameOf(records[p.Pattern].Hash), p.SqlState))],
            fitting.Select(p => records[p.Pattern]).Distinct().ToDictionary(p => SqlPattern.NameOf(p.Hash), p => p.Text)));
    }

    /// <summary>What is looked at by hours: all, each table, and the patterns that take the most.</summary>
    private sealed record Series(string Of, string Name, ulong? Hash, double[] Seconds, IReadOnlyList<long> Patterns);

    private static Results<Ok<DeparturesPage>, NotFound<ProblemReport>> Departures(
        long id, string? from, string? to, [AsParameters] Whose whose, BookStore books, DaybookStore daybook, DeploymentStore deployments, PlanUseStore plans, ValueStore values)
    {
        if (books.Find(id) is not { } book)
        {
            return DaybookApi.Nothing("book");
        }

        if (daybook.Extent(id) is not { } extent)
        {
            return TypedResults.Ok(new DeparturesPage(true, Departure.FalseShare, []));
        }

        IReadOnlyList<long> chosen = whose.Chosen(daybook, id);
        int first = Stretch.Hour.StartOf(extent.From), hours = (extent.To - first + 59) / 60;
        if (hours > 100_000)
        {
            return TypedResults.Ok(new DeparturesPage(true, Departure.FalseShare, []));
        }

        // Hours of which the captures hold nothing at all are no quiet ones: nobody looked.
        HashSet<int> covered = [.. daybook.Timeline(chosen, Stretch.Hour, first, extent.To, durations: false).Where(c => c.Cell.Calls > 0).Select(c => c.Minute)];
        List<Series> series = SeriesOf(book, daybook, chosen, daybook.Patterns(id).ToDictionary(p => p.Id), first, hours);
        List<(Series Of, IReadOnlyList<ExpectedHour> Hours)> expected = [.. series.AsParallel().AsOrdered()
            .Select(s => (s, UsualHours.Of([.. Enumerable.Range(0, hours).Select(h => (Minute: first + (h * 60), Seconds: s.Seconds[h])).Where(h => covered.Contains(h.Minute))])))
            .Where(s => s.Item2 is not null).Select(s => (s.s, s.Item2!))];
        if (expected.Count == 0)
        {
            return TypedResults.Ok(new DeparturesPage(true, Departure.FalseShare, []));
        }

        var span = AnsweredSpan.Of(from, to, whose, daybook, id, extent);
        double hour = Quantile.Median([.. expected[0].Hours.Select(h => h.Seconds)]);
        List<DeploymentRecord> deployed = [.. deployments.OfBook(id)];
        List<(int Series, Departure Found)> told = [.. Departure.In([.. expected.Select(e => e.Hours)], hour)
            .Where(f => Stretches.TimeOf(f.Found.To) > span.From && Stretches.TimeOf(f.Found.From) < span.To)];
        List<DepartureView> found = [.. told.Where(f => !OfOneStatement(f, told, expected)).Take(MostDepartures)
            .Select(f => ViewOf(expected[f.Series].Of, f.Found, expected[f.Series].Hours, series, first, covered, chosen, whose.SourcesOf(daybook, id), daybook, deployed, plans, values))];
        return TypedResults.Ok(new DeparturesPage(false, Departure.FalseShare, found));
    }

    /// <summary>Whether a table's departure, or that of the whole, is that of one statement, which is told by itself.</summary>
    private static bool OfOneStatement((int Series, Departure Found) f, List<(int Series, Departure Found)> told, List<(Series Of, IReadOnlyList<ExpectedHour> Hours)> expected) =>
        expected[f.Series].Of.Of == "table" && told.Exists(o => expected[o.Series].Of is { Of: "statement" } s && expected[f.Series].Of.Patterns.Contains(s.Patterns[0])
            && o.Found.From <= f.Found.From && o.Found.To >= f.Found.To && (o.Found.Seconds - o.Found.Usual) / (f.Found.Seconds - f.Found.Usual) > AlmostAll);

    /// <summary>The whole comes first. Hours are read some at a time: all patterns of a year's hours together would not fit into memory.</summary>
    private static List<Series> SeriesOf(BookRecord book, DaybookStore daybook, IReadOnlyList<long> chosen, Dictionary<long, PatternRecord> records, int first, int hours)
    {
        SqlDialect dialect = KnownEngines.OfSubject(book.Subject).Dialect;
        IReadOnlyList<PatternCost> whole = daybook.Costs(chosen, [new(Stretch.Hour, first, first + (hours * 60))], 1);
        Dictionary<long, IReadOnlyList<string>> named = whole.Where(c => records.ContainsKey(c.Pattern)).ToDictionary(c => c.Pattern, c => StatementTables.Of(records[c.Pattern].Text, dialect).Names);
        List<Series> tables = [.. whole.Where(c => named.ContainsKey(c.Pattern)).SelectMany(c => named[c.Pattern].Select(t => (Table: t, Cost: c))).GroupBy(t => t.Table)
            .OrderByDescending(g => g.Sum(t => t.Cost.Sum.TotalTicks)).Take(MostSeries / 2).Select(g => new Series("table", g.Key, null, new double[hours], [.. g.Select(t => t.Cost.Pattern)]))];
        List<Series> statements = [.. whole.Where(c => records.TryGetValue(c.Pattern, out PatternRecord? r) && r.Hash != CaptureFold.EverythingElse).OrderByDescending(c => c.Sum.TotalTicks).Take(MostSeries)
            .Select(c => new Series("statement", records[c.Pattern].Text, records[c.Pattern].Hash, new double[hours], [c.Pattern]))];
        List<Series> series = [new("all", "", null, new double[hours], [.. whole.Select(c => c.Pattern)]), .. tables, .. statements];
        ILookup<long, double[]> addTo = series.SelectMany(s => s.Patterns.Select(p => (Pattern: p, s.Seconds))).ToLookup(p => p.Pattern, p => p.Seconds);
        for (int begin = 0; begin < hours; begin += HoursAtOnce)
        {
            int some = Math.Min(HoursAtOnce, hours - begin);
            foreach (PatternCost c in daybook.Costs(chosen, [new(Stretch.Hour, first + (begin * 60), first + ((begin + some) * 60))], some))
            {
                foreach (double[] sum in addTo[c.Pattern])
                {
                    for (int h = 0; h < some; h++)
                    {
                        sum[begin + h] += c.Course[h] / (double)TimeSpan.TicksPerSecond;
                    }
                }
            }
        }

        return series;
    }

    private static DepartureView ViewOf(
        Series of, Departure d, IReadOnlyList<ExpectedHour> hours, List<Series> all, int first, HashSet<int> covered, IReadOnlyList<long> chosen, IReadOnlyList<long> servers, DaybookStore daybook, List<DeploymentRecord> deployed, PlanUseStore plans, ValueStore values)
    {
        var why = new List<string>();
        long[] like = [.. hours.Where(h => h.Minute < d.From || h.Minute >= d.To).Select(h => (long)h.Minute).Where(m => SameHours(m, d))];
        if (of.Of == "statement")
        {
            why.AddRange(OfStatement(of, d, like, first, chosen, servers, daybook, plans, values));
        }
        else
        {
            // What made it: the statement with the largest part of the difference.
            Series? most = all.Where(s => s.Of == "statement" && of.Patterns.Contains(s.Patterns[0])).MaxBy(s => Excess(s, d, like, first) * Math.Sign(d.Seconds - d.Usual));
            if (most is not null && Excess(most, d, like, first) is var part && part / (d.Seconds - d.Usual) is > 0.2 and var share)
            {
                why.Add($"{Figures.Percent(Math.Min(1, share))} of the difference is of {Figures.Shortened(most.Name)}");
            }
        }

        if (deployed.Select(x => (Deployment: x, Away: (new DateTime(x.At, DateTimeKind.Utc) - Stretches.TimeOf(d.From)).Duration())).Where(x => x.Away <= NearDeployment).OrderBy(x => x.Away).FirstOrDefault().Deployment is { } near)
        {
            why.Add($"{(near.Version.Length > 0 ? near.Version : "A change that was not announced")} went live at {new DateTime(near.At, DateTimeKind.Utc):yyyy-MM-dd HH:mm} UTC");
        }

        return new(of.Of, of.Name, of.Hash is { } hash ? SqlPattern.NameOf(hash) : null, Iso.Of(Stretches.TimeOf(d.From)), Iso.Of(Stretches.TimeOf(d.To)), d.Seconds, d.Usual, why,
            [.. hours.Where(h => h.Minute >= d.From - (HoursAround * 60) && h.Minute < d.To + (HoursAround * 60)).Select(h => new UsualPoint(Iso.Of(Stretches.TimeOf(h.Minute)), h.Seconds, h.Usual, h.Low, h.High))]);
    }

    /// <summary>Whether it was called more often, each call took longer, by another plan, or with other values.</summary>
    private static IEnumerable<string> OfStatement(Series of, Departure d, long[] like, int first, IReadOnlyList<long> chosen, IReadOnlyList<long> servers, DaybookStore daybook, PlanUseStore plans, ValueStore values)
    {
        long pattern = of.Patterns[0];
        IReadOnlyList<TimedCell> cells = daybook.Hours(chosen, first, Math.Max(d.To, like.Length > 0 ? (int)like.Max() + 60 : 0), [pattern])[pattern];
        HashSet<long> usual = [.. like];
        (Cell now, Cell then) = (SumOf(cells.Where(c => c.Minute >= d.From && c.Minute < d.To)), SumOf(cells.Where(c => usual.Contains(c.Minute))));
        double hoursNow = (d.To - d.From) / 60.0, hoursThen = Math.Max(1, like.Length);
        double callsNow = now.Calls / hoursNow, callsThen = then.Calls / hoursThen;
        if (callsNow > 0 && callsThen > 0)
        {
            yield return $"{TimesOf(callsNow / callsThen)} usual in these hours";
            double eachNow = now.TotalTicks / (double)now.Calls, eachThen = then.TotalTicks / (double)then.Calls;
            if (eachNow > 0 && eachThen > 0)
            {
                yield return $"each call took {(Math.Abs(Math.Log(eachNow / eachThen)) < 0.1 ? "about as long as usual" : eachNow > eachThen ? $"{Figures.Three(eachNow / eachThen)} times as long" : $"{Figures.Three(eachThen / eachNow)} times less")}";
            }
        }
        else if (callsNow == 0)
        {
            yield return "it was not called at all";
        }

        List<CapturedPlanRecord> used = [.. plans.OfPattern(pattern, servers)];
        string[] here = [.. used.Where(p => p.Hours.Any(h => h.Hour >= d.From && h.Hour < d.To)).Select(p => p.Shape)], otherwise = [.. used.Where(p => p.Hours.Any(h => usual.Contains(h.Hour))).Select(p => p.Shape)];
        if (here.Except(otherwise).FirstOrDefault() is { } other && otherwise.Length > 0)
        {
            yield return $"it ran by another plan: {Figures.Shortened(used.First(p => p.Shape == other).Outline.ReplaceLineEndings("; "))}";
        }

        List<TimedValues> valued = [.. values.Hours([pattern], servers, first, Math.Max(d.To, first + 60))[pattern]];
        if (valued.Count > 0 && ParameterMix.Between([.. valued.Where(v => v.Minute < d.From || v.Minute >= d.To)], [.. valued.Where(v => v.Minute >= d.From && v.Minute < d.To)], (ulong)pattern) is { Moved: true } mix)
        {
            yield return mix.Sentence.TrimEnd('.');
        }
    }

    private static string TimesOf(double ratio) => Math.Abs(Math.Log(ratio)) < 0.1 ? "about as many calls as" : ratio > 1 ? $"{Figures.Three(ratio)} times as many calls as" : $"{Figures.Three(1 / ratio)} times fewer calls than";

    private static bool SameHours(long minute, Departure d)
    {
        int hour = (int)(minute / 60 % 24);
        for (int m = d.From; m < d.To && m < d.From + 1440; m += 60)
        {
            if (m / 60 % 24 == hour)
            {
                return true;
            }
        }

        return false;
    }

    private static double Excess(Series s, Departure d, long[] like, int first)
    {
        double now = Enumerable.Range((d.From - first) / 60, (d.To - d.From) / 60).Where(h => h < s.Seconds.Length).Sum(h => s.Seconds[h]);
        return now - (like.Length == 0 ? 0 : Quantile.Median([.. like.Select(m => s.Seconds[(m - first) / 60])]) * ((d.To - d.From) / 60));
    }

    private static Cell SumOf(IEnumerable<TimedCell> cells)
    {
        var sum = new Cell();
        foreach (TimedCell c in cells)
        {
            sum.Add(c.Cell);
        }

        return sum;
    }

    private static Results<Ok<List<CapturedFindingView>>, NotFound<ProblemReport>> Findings(
        long id, string? from, string? to, [AsParameters] Whose whose, BookStore books, DaybookStore daybook, ExecutionStore executions)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        if (daybook.Extent(id) is not { } extent)
        {
            return TypedResults.Ok(new List<CapturedFindingView>());
        }

        var span = AnsweredSpan.Of(from, to, whose, daybook, id, extent);
        double days = Math.Max(1 / 1440.0, (span.To - span.From).TotalDays);
        Dictionary<long, PatternCost> costs = daybook.Costs(whose.Chosen(daybook, id), span.Sums, 1).ToDictionary(c => c.Pattern);
        Dictionary<long, PatternRecord> records = daybook.Patterns(id).ToDictionary(p => p.Id);

        // Plans are read and looked through one by one: those of what costs the most.
        List<long> dearest = [.. costs.Values.Where(c => records.ContainsKey(c.Pattern)).OrderByDescending(c => c.Sum.TotalTicks).Take(MostPlansLookedAt).Select(c => c.Pattern)];
        return TypedResults.Ok(executions.Planned(whose.SourcesOf(daybook, id), dearest)
            .SelectMany(e => FindingsOf(e).Select(f => (Execution: e, Finding: f)))
            .Select(f => new CapturedFindingView(SqlPattern.NameOf(records[f.Execution.Pattern].Hash), records[f.Execution.Pattern].Text,
                costs[f.Execution.Pattern].Sum.TotalTicks / (double)TimeSpan.TicksPerSecond / days * (f.Finding.Share ?? 1), Iso.Of(new DateTime(f.Execution.At, DateTimeKind.Utc)), FindingView.Of(f.Finding)))
            .OrderByDescending(f => f.SecondsPerDay).Take(MostFindings).ToList());
    }

    /// <summary>What is found in a plan is found once.</summary>
    private static IReadOnlyList<Finding> FindingsOf(PlannedExecution e)
    {
        if (Known.Count > 20_000)
        {
            Known.Clear();
        }

        return Known.GetOrAdd(XxHash128.HashToUInt128(Encoding.UTF8.GetBytes($"{e.RowsReturned}\0{e.Sql}\0{e.Plan}")), _ => PastedPlan.Read(e.Plan) is { Plan: { } plan, Engine.Plans: { } language } ? PlanFindings.Of(new(plan, e.Sql, language) { Rows = e.RowsReturned }) : []);
    }

    private static Results<Ok<List<IndexUserView>>, NotFound<ProblemReport>> Indexes(long id, BookStore books, PlanUseStore plans)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        return TypedResults.Ok(plans.OfBook(id)
            .SelectMany(p => p.Indexes.Where(i => i != "rowid").Select(i => (Index: i, Use: p)))
            .GroupBy(u => (u.Index, u.Use.Hash))
            .Select(g => new IndexUserView(g.Key.Index, SqlPattern.NameOf(g.Key.Hash), g.First().Use.Text, Iso.Of(Stretches.TimeOf(g.Min(u => u.Use.First))), Iso.Of(Stretches.TimeOf(g.Max(u => u.Use.Last) + 60)), g.Sum(u => u.Use.Calls)))
            .OrderBy(u => u.Index, StringComparer.Ordinal).ThenByDescending(u => u.Calls).ToList());
    }
}
