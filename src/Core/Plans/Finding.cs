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
    RowsBeforeEnough,
    ConvertedColumn,
    NeedlessDistinct,
    DearerJoinOrder,
    StatementPerRow,
}

/// <summary>What a number of a finding counts.</summary>
public enum Fact
{
    /// <summary>Rows that an operator, or all of them, looked at.</summary>
    RowsVisited,

    /// <summary>Rows that were looked at when the tables were joined in another order.</summary>
    RowsVisitedOtherwise,

    /// <summary>Rows that passed its conditions.</summary>
    RowsPassed,

    /// <summary>Rows that the table holds.</summary>
    TableRows,

    /// <summary>Rows that the statement returned.</summary>
    RowsReturned,

    /// <summary>Rows that the planner expected at each start.</summary>
    RowsExpected,

    /// <summary>Rows that came at each start.</summary>
    RowsCame,

    /// <summary>Rows that the statistics know of.</summary>
    RowsKnown,

    /// <summary>Different values of a column that the statistics know of.</summary>
    ValuesKnown,

    /// <summary>Different values that it holds.</summary>
    ValuesCounted,

    /// <summary>Rows that were written since the statistics were gathered.</summary>
    RowsChanged,

    /// <summary>Rows that come to a table, from those before it.</summary>
    RowsIn,

    /// <summary>The most rows that a chain of joins made.</summary>
    RowsMade,

    /// <summary>Rows that are found and thrown away before the first is returned.</summary>
    RowsSkipped,

    DeadRows,
    Starts,
    PagesSpilled,
    Pages,

    /// <summary>Rows, or pages, that were looked at for nothing.</summary>
    InVain,
    Mebibytes,
    Kilobytes,

    /// <summary>Parts that a hash table was cut into.</summary>
    Batches,
    BatchesPlanned,
    Hits,
    Misses,
    WorkersPlanned,
    WorkersCame,

    /// <summary>How often a server went through an index since it counts.</summary>
    Scans,

    /// <summary>Microseconds of making a plan, or of compiling it.</summary>
    PreparingMicroseconds,

    /// <summary>Microseconds of running.</summary>
    RunningMicroseconds,
    BlocksForAnyValues,
    BlocksForTheseValues,
}

/// <summary>What statistics may have to do with a wrong estimate.</summary>
public enum StatisticsState
{
    NotKnown,
    Missing,
    Stale,
    Fresh,

    /// <summary>Fresh, and what was asked for is a value of a column whose values are known to be unevenly frequent.</summary>
    Uneven,
}

/// <summary>One of several things that a finding is about.</summary>
/// <param name="Name">A column; or a case.</param>
/// <param name="Amount">The share that a condition on the column is believed to pass; or the microseconds of the case, null where it was not measured.</param>
public sealed record FindingPart(string Name, double? Amount);

/// <summary>One finding, as data; <c>Writing.FindingWords</c> puts it into sentences.</summary>
/// <param name="Kind">What was found.</param>
/// <param name="Operator">The operator's place in <see cref="Plan.Lines"/>; null where it is about none.</param>
/// <param name="Share">Of the time, from 0 to 1; null where it was not counted.</param>
/// <param name="Places">Where the statement causes it.</param>
public sealed record Finding(FindingKind Kind, int? Operator, double? Share, IReadOnlyList<TextSpan> Places)
{
    /// <summary>The table by its own name; null where it is about none.</summary>
    public string? Table { get; init; }

    /// <summary>Columns of the table, or of the index, in their order.</summary>
    public IReadOnlyList<string> Columns { get; init; } = [];

    /// <summary>The condition as the statement or the plan has it, on one line; null where it is about none.</summary>
    public string? Predicate { get; init; }

    public string? Index { get; init; }

    /// <summary>What it is held against: another index, another column with its table, the words that stand around.</summary>
    public string? Other { get; init; }

    /// <summary>Columns of what it is held against.</summary>
    public IReadOnlyList<string> OtherColumns { get; init; } = [];

    public StatisticsState Statistics { get; init; }

    /// <summary>The columns or cases that it names with an amount each.</summary>
    public IReadOnlyList<FindingPart> Parts { get; init; } = [];

    public IReadOnlyDictionary<Fact, double> Counts { get; init; } = new Dictionary<Fact, double>();

    /// <summary>A number of it; 0 where it has none of that.</summary>
    public double this[Fact fact] => Counts.GetValueOrDefault(fact);

    /// <summary>Whether it has a number of that.</summary>
    public bool Has(Fact fact) => Counts.ContainsKey(fact);

    /// <summary>The same with numbers; those that are null are left out.</summary>
    public Finding With(params ReadOnlySpan<(Fact Fact, double? Count)> counts)
    {
        var all = new Dictionary<Fact, double>(Counts);
        foreach ((Fact fact, double? count) in counts)
        {
            if (count is { } known)
            {
                all[fact] = known;
            }
        }

        return this with { Counts = all };
    }
}
