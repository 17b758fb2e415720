using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>What became of a budget.</summary>
public enum BudgetState
{
    Kept,
    Broken,

    /// <summary>It could not be judged: the statement fails, or what it limits was not counted.</summary>
    NotJudged,
}

/// <summary>A budget in one case of its statement.</summary>
/// <param name="Statement">Its name.</param>
/// <param name="Case">The case's label.</param>
/// <param name="Budget">What is allowed.</param>
/// <param name="State">What became of it.</param>
/// <param name="Is">What was counted, in what the budget limits; null where nothing was, or there is nothing to count.</param>
/// <param name="Sentence">What is the case, for people.</param>
/// <param name="Because">Of a broken one, what the plan does otherwise than before; null where that is not known.</param>
public sealed record BudgetResult(string Statement, string Case, Budget Budget, BudgetState State, double? Is, string Sentence, string? Because = null)
{
    /// <summary>What of the limit is left, as a fraction: 0 at the limit, below 0 where it is broken; null where that has no meaning.</summary>
    public double? Room => Is is { } counted && Budget is { Limit: > 0, Kind: not BudgetKind.PlanStays } ? 1 - (counted / Budget.Limit) : null;
}
