using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>What a book's changes have to keep, as text.</summary>
/// <param name="Workload">With budgets and exceptions above its statements.</param>
/// <param name="Rules">Of the house, as <see cref="HouseRules"/> reads them; empty for none.</param>
public sealed record LimitsText(string Workload, string Rules)
{
    private const string RulesName = "rules";

    /// <summary>What cannot be read, as a check would tell it: the workload's first.</summary>
    /// <param name="dialect">Of the workload.</param>
    public IReadOnlyList<InputProblem> Problems(SqlDialect dialect)
    {
        // A book that begins with a capture has no workload yet, and may have rules.
        (Workload workload, IReadOnlyList<InputProblem> found) = string.IsNullOrWhiteSpace(Workload) ? new Parsed<Workload>(Workloads.Workload.Empty, []) : WorkloadFile.Parse(Workload, dialect);
        return [.. found, .. CheckException.Of("workload", workload).Problems, .. HouseRules.Read(Rules, RulesName).Problems.Select(p => new InputProblem(InputPart.Rules, p.Place.Place, p.Message))];
    }
}
