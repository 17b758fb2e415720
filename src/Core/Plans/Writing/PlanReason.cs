using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Writing;

/// <summary>Why a line moved, in one sentence: what the engine does otherwise, and what of the change made it do so.</summary>
public static class PlanReason
{
    private const double RestatedFrom = 1.5;

    /// <summary>ln of a ratio that is no direction.</summary>
    private const double Unmoved = 0.05;

    /// <summary>The sentence; null where neither plan nor catalogue tell of a difference.</summary>
    /// <param name="rewritten">Whether the statement itself is another one on the side after.</param>
    /// <param name="after">The side after.</param>
    /// <param name="before">The side before.</param>
    /// <param name="ratio">What the statement came to, after / before: its causes go that way. Null where that is not known.</param>
    public static string? Sentence(PlanSide before, PlanSide after, bool rewritten, double? ratio = null) =>
        Sentence(before, after, rewritten, PlanAlignment.Of(before.ByTable(), after.ByTable()), ratio);

    /// <param name="rows">Both plans <see cref="PlanSide.ByTable"/>, aligned.</param>
    /// <param name="after">The side after.</param>
    /// <param name="before">The side before.</param>
    /// <param name="rewritten">Whether the statement itself is another one on the side after.</param>
    /// <param name="ratio">What the statement came to, after / before: its causes go that way. Null where that is not known.</param>
    public static string? Sentence(PlanSide before, PlanSide after, bool rewritten, IReadOnlyList<AlignedOperator> rows, double? ratio = null)
    {
        IReadOnlyList<PlanDifference> differences = PlanDifference.Between(before, after, rows);

        // Where the plan is another one, what the planner expects of the operators that stayed is beside the point.
        List<PlanDifference> told = [.. differences.Where(d => d.Kind != DifferenceKind.EstimateMoved)];
        told = told.Count > 0 ? told : [.. differences];
        int way = ratio is { } moved && Math.Abs(Math.Log(Math.Max(moved, 1e-9))) > Unmoved ? Math.Sign(moved - 1) : 0;
        told = [.. told.OrderByDescending(d => way == 0 ? 0 : WayOf(d) * way).ThenByDescending(WeightOf)];
        string? cause = CauseOf(told, before, after);
        if (rewritten)
        {
            string visits = told is [{ TellsVisits: true }] ? "" : VisitsOf(before, after);
            string sent = SentOf(before.Plan, after.Plan);
            return (OtherMeaning(before, after) + sent + (told.Count == 0 && visits.Length == 0 ? sent.Length > 0 ? "" : "The rewrite runs by the same plan."
                : $"As rewritten{(visits.Length > 0 ? visits + (told.Count > 0 ? ": " : "") : ", ")}{(told.Count > 0 ? PlanDifference.Sentence(told) : ".")}")).Trim();
        }

        // What a table's indexes and triggers cost a write, and how its rows are found, may move in opposite ways: only what moved it is why.
        string? write = WriteReason(before, after, way);
        string? plan = told.Count == 0 ? null : cause is null ? PlanDifference.Sentence(told) : $"{PlanDifference.Sentence(told)![..^1]}, {cause}.";
        if (write is not null && plan is not null && before.Plan.Shape != after.Plan.Shape)
        {
            int found = told.Select(WayOf).FirstOrDefault(w => w != 0);
            return found == 0 || way == 0 || found == way ? $"{char.ToUpperInvariant(plan[0])}{plan[1..]} {write}" : write;
        }

        return write ?? plan ?? after.Language.DifferenceOfPlanning(before.Plan, after.Plan) ?? SettingsMoved(before, after, "The plan is the same; ");
    }

    /// <summary>1 where a difference makes a statement dearer, -1 where cheaper; 0 where it does not tell.</summary>
    private static int WayOf(PlanDifference d) => d.TellsVisits ? Math.Sign(d.After!.Counts!.RowsVisited!.Value - d.Before!.Counts!.RowsVisited!.Value) : d.Kind switch
    {
        DifferenceKind.ScanInsteadOfSearch or DifferenceKind.IndexBuiltAnew or DifferenceKind.SubqueryPerRowAdded or DifferenceKind.CoveringLost or DifferenceKind.SortAdded or DifferenceKind.ReadAsWell => 1,
        DifferenceKind.SearchInsteadOfScan or DifferenceKind.SubqueryPerRowRemoved or DifferenceKind.CoveringGained or DifferenceKind.SortRemoved or DifferenceKind.NoLongerRead => -1,
        _ => 0,
    };

    /// <summary>By how many rows a difference moved, where that was counted; else by its share of the time.</summary>
    private static double WeightOf(PlanDifference d) =>
        d.Kind is DifferenceKind.SubqueryPerRowAdded or DifferenceKind.SubqueryPerRowRemoved ? RowFlow.Visited(new Plan([(d.After ?? d.Before)!]).Lines().Select(l => l.Operator))
        : d.TellsVisits ? Math.Abs(d.After!.Counts!.RowsVisited!.Value - d.Before!.Counts!.RowsVisited!.Value) : Math.Max(d.Before?.Counts?.Share ?? 0, d.After?.Counts?.Share ?? 0);

    /// <summary>Settings that the sides do not share; null where there are none.</summary>
    private static string? SettingsMoved(PlanSide before, PlanSide after, string lead)
    {
        Dictionary<string, string> x = SettingsOf(before.Plan), y = SettingsOf(after.Plan);
        List<string> moved = [.. y.Where(s => x.GetValueOrDefault(s.Key) != s.Value).Select(s => $"{s.Key} is now {s.Value}").Concat(x.Keys.Except(y.Keys).Select(s => $"{s} is as it is by default again"))];
        return moved.Count == 0 ? null : lead + string.Join(", ", moved.Take(3)) + (lead.EndsWith("; ", StringComparison.Ordinal) ? "." : "");
    }

    /// <summary>As the engine tells those that bear on planning and are not as usual: <c>a = 'b', c = 'd'</c>.</summary>
    private static Dictionary<string, string> SettingsOf(Plan plan) => plan.Details.GetValueOrDefault("Settings", "").Split("', ", StringSplitOptions.RemoveEmptyEntries)
        .Select(s => s.Split(" = ", 2)).Where(s => s.Length == 2).GroupBy(s => s[0]).ToDictionary(s => s.Key, s => s.Last()[1].TrimEnd('\'') + "'");

    /// <summary>What of the catalogue explains the differences: an index that is gone or new, or statistics.</summary>
    private static string? CauseOf(List<PlanDifference> differences, PlanSide before, PlanSide after)
    {
        string? settings = SettingsMoved(before, after, "because ");
        if (settings is not null || before.Catalog is not { } x || after.Catalog is not { } y)
        {
            return settings;
        }

        foreach (PlanDifference d in differences)
        {
            if (x.Index(d.Before?.Index) is var (_, gone) && y.Index(d.Before?.Index) is null)
            {
                return $"because {gone.Name}, the index on {string.Join(", ", gone.Columns)}, is gone";
            }

            if (y.Index(d.After?.Index) is var (_, made) && x.Index(d.After?.Index) is null)
            {
                return $"now that there is {made.Name}, an index on {string.Join(", ", made.Columns)}";
            }
        }

        List<string> restated = [.. y.Tables.Where(t => before.Tables.Names.Contains(t.Name, StringComparer.OrdinalIgnoreCase))
            .Select(t => (After: t, Before: x.Table(t.Name)))
            .Where(t => t.Before is not null && t.Before.AnalyzedRows != t.After.AnalyzedRows && Moved(t.Before.AnalyzedRows, t.After.AnalyzedRows))
            .Select(t => $"{t.After.Name} {Known(t.After.AnalyzedRows)} instead of {Known(t.Before!.AnalyzedRows)}")];
        return restated.Count > 0 ? $"because statistics changed: they now know of {string.Join(" and of ", restated.Take(2))}" : null;
    }

    private static bool Moved(long? before, long? after) => before is not { } x || after is not { } y || Math.Max(x, y) >= Math.Max(1, Math.Min(x, y)) * RestatedFrom;

    private static string Known(long? rows) => rows is { } known ? $"{Figures.Count(known)} rows" : "nothing";

    /// <summary>A write by the same plan pays for what its table keeps: indexes and triggers.</summary>
    /// <param name="way">1 where it got dearer, -1 where cheaper: only such clauses; 0 for all.</param>
    /// <param name="before">The side before.</param>
    /// <param name="after">The side after.</param>
    private static string? WriteReason(PlanSide before, PlanSide after, int way)
    {
        if (after.Tables.Kind is not ("insert" or "update" or "delete" or "replace") || after.Tables.Names.Count == 0
            || before.Catalog?.Table(after.Tables.Names[0]) is not { } x || after.Catalog?.Table(after.Tables.Names[0]) is not { } y)
        {
            return null;
        }

        List<string> made = [.. y.Indexes.Select(i => i.Name).Except(x.Indexes.Select(i => i.Name))], gone = [.. x.Indexes.Select(i => i.Name).Except(y.Indexes.Select(i => i.Name))];
        string kind = after.Tables.Kind == "replace" ? "insert" : after.Tables.Kind;
        List<string> triggers = [.. y.Triggers.Except(x.Triggers).Where(t => t.Event == kind).Select(t => t.Name)], silent = [.. x.Triggers.Except(y.Triggers).Where(t => t.Event == kind).Select(t => t.Name)];
        var clauses = new List<string>();
        string row = after.Tables.Kind switch { "insert" or "replace" => "row put into", "delete" => "row taken out of", _ => "row changed in" };
        if (made.Count > 0 && way >= 0)
        {
            clauses.Add($"each {row} {y.Name} now goes into {y.Indexes.Count} index{(y.Indexes.Count == 1 ? "" : "es")} instead of {x.Indexes.Count}: {string.Join(", ", made)} {(made.Count == 1 ? "is" : "are")} new");
        }
        else if (gone.Count > 0 && way <= 0)
        {
            clauses.Add($"each {row} {y.Name} no longer goes into {string.Join(", ", gone)}");
        }

        if (triggers.Count > 0 && way >= 0)
        {
            clauses.Add($"each {row} {y.Name} now runs the trigger{(triggers.Count == 1 ? "" : "s")} {string.Join(", ", triggers)}");
        }
        else if (silent.Count > 0 && way <= 0)
        {
            clauses.Add($"each {row} {y.Name} no longer runs {string.Join(", ", silent)}");
        }

        return clauses.Count == 0 ? null : "E" + string.Join(", and ", clauses)[1..] + ".";
    }

    /// <summary>Why a rewrite gives other rows, where the statement before tells it by itself.</summary>
    private static string OtherMeaning(PlanSide before, PlanSide after) =>
        before.Rows != after.Rows && before.Outline.Blocks.SelectMany(b => b.Conditions).FirstOrDefault(c => c is { Operator: "NOT IN", HasSubquery: true }) is not null
            ? "NOT IN passes no row once its list holds a NULL, and the rewrite says something else. " : "";

    /// <summary>How many statements one execution sends, where that is another number.</summary>
    private static string SentOf(Plan before, Plan after) => before.Sent is { } x && after.Sent is { } y && x != y
        ? $"{Figures.Count(y)} statement{(y == 1 ? " is" : "s are")} sent instead of {Figures.Count(x)}. " : "";

    private static string VisitsOf(PlanSide before, PlanSide after)
    {
        if (!before.Plan.IsCounted || !after.Plan.IsCounted)
        {
            return "";
        }

        long x = RowFlow.Visited(before.Plan.Lines().Select(l => l.Operator)), y = RowFlow.Visited(after.Plan.Lines().Select(l => l.Operator));
        return x == y ? "" : $" it visits {Figures.Count(y)} row{(y == 1 ? "" : "s")} instead of {Figures.Count(x)}";
    }
}
