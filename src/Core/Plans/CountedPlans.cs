namespace SwiftLedger.Core.Plans;

/// <summary>Brings the counts of one library to the plan of another.</summary>
public static class CountedPlans
{
    private const string BuildsIndex = "CREATE AUTOMATIC INDEX ";

    /// <summary>The plan with the counts of a counted one; null where they are not the same plan.</summary>
    /// <remarks>
    /// A library that counts tells of the building of an automatic index in a line of its own: its share goes to the search that follows.
    /// </remarks>
    public static Plan? Onto(Plan plan, Plan counted)
    {
        var rows = new List<PlanOperator>();
        var shapes = new List<(int, string)>();
        double building = 0;
        foreach ((int depth, PlanOperator o) in counted.Lines())
        {
            if (o.Text.StartsWith(BuildsIndex, StringComparison.Ordinal))
            {
                building += o.Counts?.Share ?? 0;
                continue;
            }

            bool takes = building > 0 && o.Index == PlanText.BuiltForThis && o.Counts is not null;
            rows.Add(takes ? o with { Counts = o.Counts! with { Share = (o.Counts.Share ?? 0) + building } } : o);
            shapes.Add((depth, PlanText.WithoutNumbers(o.Text)));
            building = takes ? 0 : building;
        }

        return plan.Lines().Select(l => (l.Depth, PlanText.WithoutNumbers(l.Operator.Text))).SequenceEqual(shapes)
            ? plan.Changed((i, o) => o with { EstimatedRows = rows[i].EstimatedRows, Counts = rows[i].Counts }) with { RestShare = counted.RestShare + building }
            : null;
    }
}
