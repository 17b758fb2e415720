using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Core.Plans.Findings;

namespace SwiftLedger.Core.Plans.Writing;

/// <summary>One of two plans that are compared, with all that is found in it.</summary>
/// <param name="Side">The plan, with what is known around it.</param>
/// <param name="Sources">What of the statement each operator reads.</param>
/// <param name="Findings">The costliest first.</param>
/// <param name="Flows">How rows go through its joins; none where nothing was counted.</param>
public sealed record ComparedSide(PlanSide Side, PlanSources Sources, IReadOnlyList<Finding> Findings, IReadOnlyList<RowFlow> Flows)
{
    public static ComparedSide Of(PlanSide side)
    {
        var sources = new PlanSources(side);
        return new(side, sources, PlanFindings.Of(side, sources), RowFlow.Of(side, sources));
    }
}

/// <summary>A row of two plans side by side: places in <see cref="Plan.Lines"/>, null where a side has nothing there.</summary>
public sealed record ComparedRow(AlignedAs As, int? Before, int? After);

/// <summary>Two plans held against each other, whether they come from a trial, a capture, or were handed in.</summary>
/// <param name="Sentence">What the engine does otherwise and why; null where there is nothing to tell.</param>
/// <param name="SamePlan">Whether both have the same shape; false where one is missing.</param>
/// <param name="Rows">All operators of both, each once.</param>
/// <param name="Before">Null where there is no plan before.</param>
/// <param name="After">Null where there is no plan after.</param>
public sealed record PlanComparison(string? Sentence, bool SamePlan, IReadOnlyList<ComparedRow> Rows, ComparedSide? Before, ComparedSide? After)
{
    /// <param name="before">Null where there is none.</param>
    /// <param name="after">Null where there is none.</param>
    /// <param name="rewritten">Whether the statement itself is another one on the side after.</param>
    /// <param name="ratio">What the statement came to, after / before; null where that is not known.</param>
    public static PlanComparison Of(PlanSide? before, PlanSide? after, bool rewritten, double? ratio = null)
    {
        ComparedSide? x = before is null ? null : ComparedSide.Of(before), y = after is null ? null : ComparedSide.Of(after);
        y = y is null ? null : y with { Findings = [.. y.Findings.Select(f => WithIndexOf(f, before?.Catalog, after!.Catalog))] };
        if (before is null || after is null)
        {
            return new(null, false,
                [.. Places(before).Select(i => new ComparedRow(AlignedAs.Kept, i, null)), .. Places(after).Select(i => new ComparedRow(AlignedAs.Kept, null, i))], x, y);
        }

        // Aligned operators are the plans' own in their order, so that each is known by its place.
        IReadOnlyList<AlignedOperator> aligned = PlanAlignment.Of(before.ByTable(), after.ByTable());
        int i = 0, j = 0;
        List<ComparedRow> rows = [.. aligned.Select(r => new ComparedRow(r.As, r.Before is null ? null : i++, r.After is null ? null : j++))];
        return new(PlanReason.Sentence(before, after, rewritten, aligned, ratio), PlanLikeness.Alike(before, after), rows, x, y);
    }

    /// <summary>An expression that had an index of its own before the change leads to that.</summary>
    private static Finding WithIndexOf(Finding f, Catalog? before, Catalog? after) =>
        f.Kind == FindingKind.WrappedColumn && before?.Table(f.Table)?.Indexes.FirstOrDefault(i => after?.Index(i.Name) is null && i.Columns.Any(c => IsOver(c, f.Columns[0]))) is { } gone
            ? f with { Index = gone.Name } : f;

    /// <summary>Whether an index's column is an expression over a column, or one whose text is not known.</summary>
    private static bool IsOver(string expression, string column) =>
        expression == CatalogIndex.Expression || (expression.Contains('(', StringComparison.Ordinal) && expression.Contains(column, StringComparison.OrdinalIgnoreCase));

    private static IEnumerable<int> Places(PlanSide? side) => Enumerable.Range(0, side?.Plan.Lines().Count() ?? 0);
}
