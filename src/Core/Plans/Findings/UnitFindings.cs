using System.Globalization;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Plans.Findings;

/// <summary>What is found in a unit of work: what its statements' own plans tell, and what is sent again and again.</summary>
internal static class UnitFindings
{
    /// <summary>Fewer are not worth a word, as in captures.</summary>
    private const long OftenFrom = 4;

    /// <param name="side">The unit.</param>
    /// <param name="statements">Its own.</param>
    public static IReadOnlyList<Finding> Of(PlanSide side, IReadOnlyList<(PlanSide Side, int Text, int Operator)> statements)
    {
        var found = new List<Finding>();
        WorkUnit unit = WorkUnit.Of(side.Sql, side.Language.Dialect)!;
        for (int i = 0; i < statements.Count; i++)
        {
            if (unit.Statements[i].ForEachRowOf is { } list && side.Plan.Statements![i].Sent is >= OftenFrom and var sent)
            {
                found.Add(new Finding(FindingKind.StatementPerRow, null, null, [unit.Statements[i].Body]) { Parts = [new(Number(i), null)], Other = Number(list) }.With((Fact.Starts, sent)));
            }
        }

        // The time of one statement is not known by itself: no finding has a share of the unit's.
        return [.. found, .. statements.SelectMany(s => PlanFindings.Of(s.Side).Select(f => f with
        {
            Operator = f.Operator + s.Operator,
            Share = null,
            Places = [.. f.Places.Select(p => new TextSpan(p.Start + s.Text, p.Length))],
        }))];
    }

    private static string Number(int statement) => (statement + 1).ToString(CultureInfo.InvariantCulture);
}
