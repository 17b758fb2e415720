using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Plans;

/// <summary>What makes a plan cost more than it need; the glossary explains each at length.</summary>
public enum FindingKind
{
    WholeTableForFewRows,
    RowsReadPerRowReturned,
    LookUpsBehindIndex,
    IndexBuiltAnew,
    TemporaryStorage,
    EstimateOff,
    JoinWithoutCondition,
    RowsMultiplied,
    SubqueryPerRow,
    WrappedColumn,
    LeadingWildcard,
    AlternativesAcrossColumns,
    OtherCollationOrType,
    FirstColumnMissing,
    LargeOffset,
    NullInNotIn,
    PlanVaries,
    UnusedIndex,
    DuplicateIndex,
    PrefixIndex,
    SpillsToDisk,
    HashBatches,
    MemoizeMisses,
    LossyBitmap,
    HeapFetches,
    WorkersMissing,
    LoopOverWrongEstimate,
    CompilingCosts,
    InvalidIndex,
    ForeignKeyWithoutIndex,
    NeverAnalyzed,
    DueForVacuum,
    AnyValuesDearer,
    PlannedEachTime,
    DependentColumns,
}

/// <summary>One finding.</summary>
/// <param name="Text">What was found, with its evidence, in one or two sentences.</param>
/// <param name="Operator">The operator's place in <see cref="Plan.Lines"/>; null where it is about none.</param>
/// <param name="Share">Of the time, from 0 to 1; null where it was not counted.</param>
/// <param name="Places">Where the statement causes it.</param>
public sealed record Finding(FindingKind Kind, string Text, int? Operator, double? Share, IReadOnlyList<TextSpan> Places);
