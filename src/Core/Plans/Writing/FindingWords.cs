using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Plans.Writing;

/// <summary>Puts findings into sentences: the only place that does.</summary>
public static class FindingWords
{
    extension(Finding finding)
    {
        /// <summary>What helps most often; empty where nothing does.</summary>
        public string Remedy => RemedyOf(finding);

        /// <summary>What was found, with its evidence, in one or two sentences.</summary>
        public string Text => Of(finding);
    }

    private static string Of(Finding f) => f.Kind switch
    {
        FindingKind.WholeTableForFewRows when f.Has(Fact.RowsPassed) => $"{f.Table} is read whole{(f.Has(Fact.Starts) ? $" {Count(f, Fact.Starts)} times" : "")}: {Count(f, Fact.RowsVisited)} rows for the {Count(f, Fact.RowsPassed)} that pass its conditions.",
        FindingKind.WholeTableForFewRows => $"{f.Table} is read whole, {Count(f, Fact.TableRows)} rows, although the statement has conditions on it.",
        FindingKind.RowsBeforeEnough => $"{f.Table} is read from its beginning until enough was found: {Count(f, Fact.RowsVisited)} rows, of which {Count(f, Fact.RowsPassed)} passed so far.",
        FindingKind.ConvertedColumn => $"`{f.Predicate}`: {f.Columns[0]} is {f.Columns[1]}, and each value of it is converted to {f.Other} before it is compared; an index on {f.Columns[0]} is in another order.",
        FindingKind.NeedlessDistinct => $"DISTINCT takes nothing away: {Listed(f.Columns)} {(f.Columns.Count == 1 ? "is" : "are")} in the list, and unique in {f.Table}.",
        FindingKind.DearerJoinOrder => $"Joined in the order {Listed(f.Columns)}, {Count(f, Fact.RowsVisited)} rows are visited; {Listed(f.OtherColumns)}, tried, visits {Count(f, Fact.RowsVisitedOtherwise)}.{(f.Statistics switch { StatisticsState.Missing => " Statistics of a table among them are missing.", StatisticsState.Stale => " Statistics of a table among them are stale.", _ => "" })}",
        FindingKind.RowsReadPerRowReturned => $"{Count(f, Fact.RowsVisited)} rows are visited for {Count(f, Fact.RowsReturned)} returned: {Figures.Three(f[Fact.RowsVisited] / Math.Max(f[Fact.RowsReturned], 1))} for each.{(f.Columns.Count > 0 ? $" An index that could lead to them begins with {Listed(f.Columns)}." : "")}",
        FindingKind.LookUpsBehindIndex => $"{f.Index} does not hold all that is needed: {Count(f, Fact.RowsVisited)} of its entries each lead to a look-up in {f.Table}{(f.Has(Fact.RowsPassed) ? $", of which {Count(f, Fact.RowsPassed)} pass" : "")}.",
        FindingKind.IndexBuiltAnew => $"No index of {f.Table} serves {f.Predicate ?? "the join"}, so each execution builds one{(f.Has(Fact.RowsVisited) ? $" of {Count(f, Fact.RowsVisited)} rows" : "")} and throws it away.",
        FindingKind.TemporaryStorage => $"{(f.Has(Fact.RowsVisited) ? $"{Count(f, Fact.RowsVisited)} rows are put in order" : "Rows are put in order")} for {f.Other} in temporary storage: no index gives that order.{(f.Has(Fact.PagesSpilled) ? $" {Count(f, Fact.PagesSpilled)} pages went out of the cache." : "")}",
        FindingKind.EstimateOff => $"The planner expected {Figures.Three(f[Fact.RowsExpected])} rows of {f.Other} at each start, {Figures.Three(f[Fact.RowsCame])} came: {Figures.Three(OffBy(f))}x off. {StatisticsOf(f)}",
        FindingKind.JoinWithoutCondition => $"{f.Table} is joined without a condition: each of its rows meets each of the {Count(f, Fact.RowsIn)} rows before it.",
        FindingKind.RowsMultiplied => $"Joins make {Count(f, Fact.RowsMade)} rows of {Count(f, Fact.RowsIn)}, and {f.Other} takes them back to {Count(f, Fact.RowsReturned)}.",
        FindingKind.SubqueryPerRow => $"A subquery runs once for each row around it{(f.Has(Fact.Starts) ? $": {Count(f, Fact.Starts)} times" : "")}, with all that stands below it.",
        FindingKind.StatementPerRow => $"Statement {f.Parts[0].Name} is sent {Count(f, Fact.Starts)} times in one execution, once for each row of statement {f.Other}: as many round trips, where one statement could do for all.",
        FindingKind.LargeOffset => $"OFFSET {Count(f, Fact.RowsSkipped)}: as many rows are found, put in order and thrown away before the first one is returned.",
        FindingKind.PlanVaries => $"With other values the statement runs by another plan: {string.Join(", ", f.Parts.Select(p => $"case {p.Name}{(p.Amount is { } m ? $" ({Figures.Duration(m)})" : "")}"))}{(f.Has(Fact.RunningMicroseconds) ? $", {Figures.Duration(f[Fact.RunningMicroseconds])} here" : "")}.",
        FindingKind.DependentColumns => $"The conditions on {string.Join(" and ", f.Parts.Select(p => p.Name))} were taken to be independent: {string.Join(" times ", f.Parts.Select(p => Figures.Percent(p.Amount ?? 0)))} of {f.Table} is {Figures.Three(f[Fact.RowsExpected])} rows, {Figures.Three(f[Fact.RowsCame])} came. No statistics tell of these columns together.",
        FindingKind.NullInNotIn or FindingKind.AlternativesAcrossColumns or FindingKind.WrappedColumn or FindingKind.LeadingWildcard or FindingKind.OtherCollationOrType or FindingKind.FirstColumnMissing => $"`{f.Predicate}`{OfCondition(f)}",
        FindingKind.DuplicateIndex => $"{f.Index} of {f.Table} holds the same columns as {f.Other}: {Listed(f.Columns)}.{Size(f)}",
        FindingKind.PrefixIndex => $"{f.Index} of {f.Table} ({Listed(f.Columns)}) is what {f.Other} ({Listed(f.OtherColumns)}) begins with.{Size(f)}",
        FindingKind.InvalidIndex => $"{f.Index} of {f.Table} is not valid: building it failed, and no statement uses it.{Size(f)}",
        FindingKind.UnusedIndex => $"No statement of the workload goes through {f.Index} of {f.Table} ({Listed(f.Columns)}); each write keeps it.{(f.Has(Fact.Scans) ? f[Fact.Scans] == 0 ? " The server went through it never since it counts." : $" The server went through it {Count(f, Fact.Scans)} times since it counts." : "")}{Size(f)}",
        FindingKind.ForeignKeyWithoutIndex => $"{f.Table} refers to another table by {Listed(f.Columns)}, and no index begins with that.",
        FindingKind.DueForVacuum => $"{f.Table} holds {Count(f, Fact.DeadRows)} dead rows beside {Count(f, Fact.TableRows)} live ones.",
        FindingKind.NeverAnalyzed => $"The statistics of {f.Table} were never gathered; it holds {Count(f, Fact.TableRows)} rows.",
        FindingKind.SpillsToDisk when f.Has(Fact.Batches) => $"Grouping did not fit into memory: {Kilobytes(f)} were written out, in {Figures.Three(f[Fact.Batches])} parts.",
        FindingKind.SpillsToDisk => $"The sort by {f.Other ?? "its key"} did not fit into memory: {Kilobytes(f)} were written out and read again.",
        FindingKind.HashBatches => $"The hash table of a join did not fit into memory: it was cut into {Figures.Three(f[Fact.Batches])} parts{(f.Has(Fact.BatchesPlanned) ? $", {Figures.Three(f[Fact.BatchesPlanned])} of them planned" : "")}, and both sides were written out and read again.",
        FindingKind.MemoizeMisses => $"Remembered results served {Figures.Percent(f[Fact.Hits] / (f[Fact.Hits] + f[Fact.Misses]))} of {Figures.Three(f[Fact.Hits] + f[Fact.Misses])} look-ups by {f.Other ?? "their key"}.",
        FindingKind.LossyBitmap => $"The bitmap kept only whole pages for {Figures.Three(f[Fact.Pages])} of them: each of their rows was checked again ({Figures.Three(f[Fact.InVain])} in vain).",
        FindingKind.HeapFetches => $"{f.Index} holds all that is needed, yet {Figures.Three(f[Fact.InVain])} of {Count(f, Fact.RowsVisited)} entries were looked up in the table to see whether their row is visible.",
        FindingKind.WorkersMissing => $"{Figures.Three(f[Fact.WorkersPlanned])} workers were planned, {Figures.Three(f[Fact.WorkersCame])} came: the plan was chosen for more hands than it got.",
        FindingKind.LoopOverWrongEstimate => $"The inner side of a nested loop was started {Count(f, Fact.Starts)} times, because {Count(f, Fact.RowsCame)} rows came where {Figures.Three(f[Fact.RowsExpected])} were expected.",
        FindingKind.CompilingCosts => $"Compiling the statement took {Figures.Duration(f[Fact.PreparingMicroseconds])} of {Figures.Duration(f[Fact.RunningMicroseconds])}.",
        FindingKind.AnyValuesDearer => $"The server keeps a plan for any values, which touches {Count(f, Fact.BlocksForAnyValues)} blocks here; a plan for these values touches {Count(f, Fact.BlocksForTheseValues)}.",
        FindingKind.PlannedEachTime => $"It is planned anew at every execution: {Figures.Duration(f[Fact.PreparingMicroseconds])} of planning for {Figures.Duration(f[Fact.RunningMicroseconds])} of running.",
        _ => throw new ArgumentOutOfRangeException(nameof(f), f.Kind, "A finding without words."),
    };

    /// <summary>A pattern for what values end with is served by what they begin with when read backwards; one for what they hold is not.</summary>
    private static string RemedyOf(Finding f) => f.Kind switch
    {
        FindingKind.LeadingWildcard when f.Other!.TrimEnd('\'') is not [.., '%' or '_' or '*' or '?'] => "A column, or an index on an expression, that holds the value reversed: what values end with is then what they begin with.",
        FindingKind.LeadingWildcard => "An index over parts of words (three letters each), or a full-text index where whole words are meant.",
        FindingKind.DearerJoinOrder when f.Statistics is StatisticsState.Fresh or StatisticsState.NotKnown => $"See what holds the planner to that order: {f.Other ?? "how the joins are written"}; or conditions whose columns depend on each other.",
        _ => Glossary.Entries.First(e => e.Kind == f.Kind).Remedies is [var first, ..] ? first : "",
    };

    private static string OfCondition(Finding f) => f.Kind switch
    {
        FindingKind.NullInNotIn => ": one NULL among the values of the subquery, and no row passes. NOT EXISTS says what is meant.",
        FindingKind.AlternativesAcrossColumns => ": alternatives on different columns, which one index cannot serve.",
        FindingKind.WrappedColumn => $": {(char.IsLetter(f.Other![0]) ? $"{f.Other}() around {f.Columns[0]}" : $"'{f.Other}' with {f.Columns[0]}")} keeps an index on {f.Columns[0]} from being used.{(f.Index is null ? "" : $" {f.Index}, an index on the expression itself, was there before the change.")}",
        FindingKind.LeadingWildcard => $" with {f.Other}: an index is in the order of first characters, and the pattern gives none.",
        FindingKind.OtherCollationOrType when f.OtherColumns.Count == 0 => $": the collation {f.Other} differs from that of an index made without it.",
        FindingKind.OtherCollationOrType => $": {f.Table}.{f.Columns[0]} is {f.Columns[1]}, {f.Other}.{f.OtherColumns[0]} is {f.OtherColumns[1]}; values of different types meet only after a conversion.",
        _ => $": {f.Index} holds {f.Columns[0]}, but behind {f.OtherColumns[0]}, on which the statement has no condition.",
    };

    /// <summary>Whether statistics explain a wrong estimate.</summary>
    private static string StatisticsOf(Finding f) => f.Statistics switch
    {
        StatisticsState.Missing => $"There are no statistics of {f.Table}.",
        StatisticsState.Stale when f.Has(Fact.RowsChanged) && f[Fact.RowsChanged] > 0 => $"{StatisticsWords.ByWrites(f.Table, (long)f[Fact.RowsChanged])}; it holds {Count(f, Fact.TableRows)}.",
        StatisticsState.Stale when f.Has(Fact.ValuesKnown) => StatisticsWords.ByValues(f.Table, f.Columns[0], (long)f[Fact.ValuesKnown], (long)f[Fact.ValuesCounted]),
        StatisticsState.Stale => StatisticsWords.ByRows(f.Table, (long)f[Fact.RowsKnown], (long)f[Fact.TableRows]),
        StatisticsState.Fresh => $"The statistics of {f.Table} are fresh.",
        StatisticsState.Uneven => $"The statistics of {f.Table} are fresh: averages hide that some values are far more frequent than others.",
        _ => "",
    };

    private static double OffBy(Finding f)
    {
        double expected = Math.Max(f[Fact.RowsExpected], 1), came = Math.Max(f[Fact.RowsCame], 1);
        return Math.Max(expected / came, came / expected);
    }

    private static string Count(Finding f, Fact fact) => Figures.Count((long)f[fact]);

    private static string Listed(IReadOnlyList<string> columns) => string.Join(", ", columns);

    private static string Size(Finding f) => f.Has(Fact.Mebibytes) ? $" It takes {Figures.Three(f[Fact.Mebibytes])} MiB." : "";

    private static string Kilobytes(Finding f) => !f.Has(Fact.Kilobytes) ? "rows" : f[Fact.Kilobytes] >= 1024 ? $"{Figures.Three(f[Fact.Kilobytes] / 1024)} MiB" : $"{Figures.Three(f[Fact.Kilobytes])} KiB";
}
