using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>Holds a whole workload against its budgets: by work x calls, and by the catalogue.</summary>
public static class FileBudgetCheck
{
    /// <summary>What an exception names them by.</summary>
    private const string All = "all statements";

    private const double Megabyte = 1e6;
    private const int MostNamed = 3;

    /// <summary>All of them.</summary>
    /// <param name="account">Inspected.</param>
    /// <param name="stated">The workload that states them.</param>
    /// <param name="file">As its reader calls it.</param>
    /// <param name="fresh">Statements without a before: they are no change of a bill.</param>
    public static IReadOnlyList<CheckItem> Of(TrialAccount account, Workload stated, string file, IReadOnlyList<string> fresh) =>
        [.. stated.Budgets.Select(b => b.Kind == FileBudgetKind.Indexes ? Room(account, b, file) : Dearer(account, b, file, fresh))];

    private static CheckItem Room(TrialAccount account, FileBudget budget, string file)
    {
        CheckItem Told(CheckState state, string sentence, double? room) => new(CheckRules.IndexSize, state, new(file, budget.Place), All, budget.Words, sentence) { Room = room > 1 ? 1 : room, Subject = All };
        static double? Of(Catalog? catalog) => catalog is null || catalog.Tables.Any(t => t.Indexes.Any(i => i.Pages is null)) ? null : catalog.Tables.Sum(t => t.Indexes.Sum(i => i.Pages!.Value)) * (double)catalog.PageSize / Megabyte;
        string before = Of(account.Catalogs?.Before) is { } was ? $", {Figures.Three(was)} MB before the change" : "";
        return Of(account.Catalogs?.After) is not { } now ? Told(CheckState.NotJudged, "How large its indexes are is not known.", null)
            : Told(now > budget.Limit ? CheckState.Broken : CheckState.Kept, $"Indexes take {Figures.Three(now)} MB{before}; {Figures.Three(budget.Limit)} MB are allowed.", budget.Limit > 0 ? 1 - (now / budget.Limit) : null);
    }

    private static CheckItem Dearer(TrialAccount account, FileBudget budget, string file, IReadOnlyList<string> fresh)
    {
        CheckRule rule = budget.Kind == FileBudgetKind.Bill ? CheckRules.Bill : CheckRules.Writes;
        CheckItem Told(CheckState state, string sentence, double? room) => new(rule, state, new(file, budget.Place), All, budget.Words, sentence) { Room = room > 1 ? 1 : room, Subject = All };
        WorkCounterOf counter = new(account.Brief.Options.Engine.Counter!.Name);
        Line[] lines = [.. account.Lines.Where(l => !fresh.Contains(l.Brief.Statement) && (budget.Kind == FileBudgetKind.Bill || l.Evidence.After?.Writes == true || l.Evidence.Before?.Writes == true))];

        // Without any calls each statement counts as often as any other.
        bool called = lines.Any(l => l.Brief.CallsPerDay is not null);
        Line[] counted = called ? [.. lines.Where(l => l.Brief.CallsPerDay > 0)] : lines;
        double Calls(Line line) => called ? line.Brief.CallsPerDay!.Value : account.Brief.Workload.Statements.First(s => s.Name == line.Brief.Statement).Cases.First(c => c.Label == line.Brief.Case).Share;
        string[] missing = [.. counted.Where(l => counter.Of(l.Evidence.Before) is null || counter.Of(l.Evidence.After) is null).Select(l => BudgetCheck.NameOf(l.Brief.Statement, l.Brief.Case))];
        if (missing.Length > 0)
        {
            return Told(CheckState.NotJudged, $"{string.Join(", ", missing.Take(MostNamed))}{(missing.Length > MostNamed ? $" and {Figures.Count(missing.Length - MostNamed)} more" : "")} could not be counted on both sides: without {(missing.Length == 1 ? "it" : "them")} the sum says nothing.", null);
        }

        if (counted.Length == 0)
        {
            return Told(CheckState.Kept, budget.Kind == FileBudgetKind.Writes ? "No statement writes." : "No statement has calls.", null);
        }

        double before = counted.Sum(l => Calls(l) * counter.Of(l.Evidence.Before)!.Value), after = counted.Sum(l => Calls(l) * counter.Of(l.Evidence.After)!.Value);
        double dearer = before > 0 ? (after / before) - 1 : after > 0 ? double.PositiveInfinity : 0;
        Line worst = counted.MaxBy(l => Calls(l) * (counter.Of(l.Evidence.After)!.Value - counter.Of(l.Evidence.Before)!.Value))!;
        string by = dearer > 0 ? $" Most of it is {BudgetCheck.NameOf(worst.Brief.Statement, worst.Brief.Case)}: {Figures.Count(counter.Of(worst.Evidence.After)!.Value)} instead of {Figures.Count(counter.Of(worst.Evidence.Before)!.Value)}." : "";
        string how = dearer == 0 ? "as much as before" : $"{(double.IsFinite(dearer) ? $"{Percent(Math.Abs(dearer))} " : "")}{(dearer > 0 ? "more" : "less")} than before";
        return Told(dearer > budget.Limit ? CheckState.Broken : CheckState.Kept,
            $"{(called ? "Work x calls a day" : "Work, each statement once,")} of {Figures.Count(counted.Length)} {(counted.Length == 1 ? "case" : "cases")} is {Figures.Three(after)} {counter.Name}, {how}; {Percent(budget.Limit)} more are allowed.{by}", budget.Limit > 0 && double.IsFinite(dearer) ? 1 - (dearer / budget.Limit) : null);
    }

    private static string Percent(double fraction) => $"{Figures.Three(fraction * 100)} %";

    private sealed record WorkCounterOf(string Name)
    {
        public long? Of(Inspection? seen) => seen is { Failure: null } && seen.Counters.TryGetValue(Name, out long counted) ? counted : null;
    }
}
