using SwiftLedger.Core.Migrations;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Budgets;

/// <summary>Where a place of workload or change comes from.</summary>
/// <param name="part">Which of the two.</param>
/// <param name="place">In its text.</param>
public delegate SourcePlace OriginOf(InputPart part, TextPlace place);

/// <summary>Holds what was seen on the after side against rules of the house.</summary>
/// <param name="account">Inspected.</param>
/// <param name="origin">Where places come from.</param>
public sealed class HouseRuleCheck(TrialAccount account, OriginOf origin)
{
    private static readonly Dictionary<CheckRule, FindingKind[]> Findings = new()
    {
        [CheckRules.NoIndexServes] = [FindingKind.WrappedColumn, FindingKind.LeadingWildcard, FindingKind.AlternativesAcrossColumns],
        [CheckRules.NotInNull] = [FindingKind.NullInNotIn],
        [CheckRules.TypeChange] = [FindingKind.ConvertedColumn, FindingKind.OtherCollationOrType],
        [CheckRules.Repeated] = [FindingKind.StatementPerRow],
    };

    private const double Megabyte = 1e6;

    private readonly Dictionary<string, WorkloadStatement> _statements = account.Brief.Workload.Statements.ToDictionary(s => s.Name);
    private readonly Lazy<Dictionary<int, (PlanSide? Side, IReadOnlyList<Finding> Found)>> _seen = new(() => account.Lines.ToDictionary(l => l.Number, l => LinePlans.SideOf(l, account, Side.After) is { } side ? (side, PlanFindings.Of(side)) : ((PlanSide?)null, [])));

    /// <summary>What breaks a rule, the worst case of each statement; a rule that nothing breaks is kept.</summary>
    /// <param name="rules">Those that are on.</param>
    public IReadOnlyList<CheckItem> Of(IReadOnlyList<HouseRule> rules)
    {
        var items = new List<CheckItem>();
        bool all = account.Lines.All(l => l.Evidence is { AfterFailure: null, After: not null });
        foreach (HouseRule rule in rules)
        {
            List<CheckItem> broken = rule.Rule == CheckRules.ForeignKey ? [.. ForeignKeys(rule)]
                : rule.Rule == CheckRules.StepHolds ? [.. Steps(rule)]
                : rule.Rule == CheckRules.Temporary && account.Brief.Options.Engine.Counter!.Spilled is null ? [new(rule.Rule, CheckState.Noted, rule.Place, "", rule.Words, $"{account.Brief.Options.Engine.Name} does not count what goes through temporary files: the rule looks at nothing here.") { House = true }]
                : [.. Lines(rule)];
            items.AddRange(broken.Count > 0 ? broken : [new(rule.Rule, CheckState.Kept, rule.Place, "", rule.Words, all ? "Nothing breaks it." : "Nothing that could be looked at breaks it.") { House = true }]);
        }

        if (rules.Count > 0)
        {
            items.AddRange(account.Lines.Where(l => l.Evidence.AfterFailure is not null || l.Evidence.After is null)
                .Select(l => Item(rules[0], l, null, CheckState.NotJudged, l.Evidence.AfterFailure is { } failure ? $"It fails, and is held against no rule: {failure.Reason}" : "It was not looked at.")));
        }

        return items;
    }

    private IEnumerable<CheckItem> Lines(HouseRule rule)
    {
        foreach (IGrouping<string, Line> cases in account.Lines.Where(l => l.Evidence is { AfterFailure: null, After: not null }).GroupBy(l => l.Brief.Statement))
        {
            if (cases.FirstOrDefault(l => !CanBeTold(rule, l)) is { } unknown)
            {
                yield return Item(rule, unknown, null, CheckState.NotJudged, $"Its plan, or how large its tables are, is not known.{(unknown.Evidence.After!.PlanNote is { } note ? $" {note}" : "")}");
            }

            (Line Line, Broken Found)[] broken = [.. cases.Select(l => (l, Found: Worst(rule, l))).Where(f => f.Found is not null).Select(f => (f.l, f.Found!))];
            if (broken.Length > 0)
            {
                (Line line, Broken found) = broken.MaxBy(b => b.Found.Amount);
                yield return Item(rule, line, found.At, CheckState.Broken, found.Sentence) with { Room = rule.Limit > 0 ? 1 - (found.Amount / rule.Limit) : null };
            }
        }
    }

    /// <summary>What breaks a rule in a case.</summary>
    /// <param name="Amount">In the rule's unit.</param>
    /// <param name="Sentence">What is the case.</param>
    /// <param name="At">Where in the statement; null where that is not known.</param>
    private sealed record Broken(double Amount, string Sentence, TextSpan? At = null);

    /// <summary>Whether a case says anything of a rule; what it returns, and what went through files, is always counted.</summary>
    private bool CanBeTold(HouseRule rule, Line line) =>
        rule.Rule == CheckRules.WholeTable ? HasOwn(line) || BudgetCheck.WholeTable(line, account) is not null : !Findings.ContainsKey(rule.Rule) || _seen.Value[line.Number].Side is not null;

    /// <summary>A statement's own budget goes before the house's.</summary>
    private bool HasOwn(Line line) => _statements[line.Brief.Statement].Budgets.Any(b => b.Kind == BudgetKind.WholeTable);

    private Broken? Worst(HouseRule rule, Line line)
    {
        Inspection seen = line.Evidence.After!;
        if (rule.Rule == CheckRules.WholeTable)
        {
            return HasOwn(line) || BudgetCheck.WholeTable(line, account) is not (var table, var rows) || table is null || rows <= rule.Limit ? null
                : new(rows, $"It reads {table} whole, {Figures.Count(rows)} rows; {Allowed(rule)}.");
        }

        if (rule.Rule == CheckRules.WithoutLimit)
        {
            return seen is { Writes: false, Rows: { } rows } && rows > rule.Limit && !SaysLimit(line) ? new(rows, $"It returns {Figures.Count(rows)} rows and says no LIMIT; {Allowed(rule)}.") : null;
        }

        if (rule.Rule == CheckRules.Temporary)
        {
            double megabytes = account.Brief.Options.Engine.Counter!.Spilled is { } counter && account.Catalogs?.After is { } catalog && seen.Counters.TryGetValue(counter, out long pages) ? pages * (double)catalog.PageSize / Megabyte : 0;
            return megabytes > rule.Limit ? new(megabytes, $"{Figures.Three(megabytes)} MB went through temporary files; {Allowed(rule)}.") : null;
        }

        (PlanSide? side, IReadOnlyList<Finding> found) = _seen.Value[line.Number];
        return found.Where(f => Findings[rule.Rule].Contains(f.Kind))
            .Select(f => (Finding: f, Amount: rule.Rule == CheckRules.Repeated ? f[Fact.Starts] : rule.Rule == CheckRules.NoIndexServes ? Visited(f, side!) : 1))
            .Where(f => f.Amount > rule.Limit)
            .OrderByDescending(f => f.Amount)
            .Select(f => new Broken(f.Amount, f.Finding.Text, f.Finding.Places is [var at, ..] ? at : null))
            .FirstOrDefault();
    }

    /// <summary>Rows that were visited where a finding is; of the whole statement where it is about no operator.</summary>
    private static double Visited(Finding finding, PlanSide side) =>
        finding.Operator is { } at && side.Plan.Lines().ElementAtOrDefault(at).Operator is { } o ? o.Counts?.RowsVisited ?? side.Catalog?.Table(side.TableOf(o.Object ?? ""))?.Rows ?? 0
        : side.Plan.IsCounted ? RowFlow.Visited(side.Plan.Lines().Select(l => l.Operator))
        : side.Catalog?.Table(finding.Table)?.Rows ?? 0;

    /// <summary>What the grammar does not know, and the statements of a unit, are taken to say one: nothing is claimed of them.</summary>
    private bool SaysLimit(Line line) => line.Brief.AfterUnit is not null
        || SyntaxTree.Read(line.Brief.AfterSql, account.Brief.Options.Engine.Dialect).Statement is not Query query
        || query.Tail.OfType<Bound>().Any(b => b.Words is not ("OFFSET" or "LIMIT ALL"));

    private IEnumerable<CheckItem> ForeignKeys(HouseRule rule)
    {
        if (account.Catalogs?.After is not { } catalog)
        {
            return [new(rule.Rule, CheckState.NotJudged, rule.Place, "", rule.Words, "What the database holds could not be read.") { House = true }];
        }

        return CatalogFindings.Of(catalog, null).Where(f => f.Kind == FindingKind.ForeignKeyWithoutIndex).Select(f => (Finding: f, Table: catalog.Table(f.Table)!))
            .Where(f => f.Table.Rows is null || f.Table.Rows > rule.Limit)
            .Select(f =>
            {
                string subject = $"{f.Table.Name}.{string.Join(", ", f.Finding.Columns)}";
                return new CheckItem(rule.Rule, CheckState.Broken, rule.Place, subject, rule.Words, $"{f.Finding.Text}{(f.Table.Rows is { } rows ? $" It holds {Figures.Count(rows)} rows; {Allowed(rule)}." : "")}") { Subject = subject, House = true };
            });
    }

    private IEnumerable<CheckItem> Steps(HouseRule rule)
    {
        foreach (ChangeStep missing in account.Brief.Change.Steps.Where(s => account.Applied.All(a => a.Number != s.Number)))
        {
            yield return new(rule.Rule, CheckState.NotJudged, origin(InputPart.Change, missing.Place), "", rule.Words, "It did not run to its end before the time was over.") { House = true };
        }

        foreach (StepApplied step in account.Applied)
        {
            ChangeStep? asked = account.Brief.Change.Steps.FirstOrDefault(s => s.Number == step.Number);
            SourcePlace place = asked is null ? rule.Place : origin(InputPart.Change, asked.Place);
            if (step.Holds is null)
            {
                yield return new(rule.Rule, CheckState.NotJudged, place, "", rule.Words, "What it locks was not seen.") { House = true };
            }

            foreach (StepHold hold in (step.Holds ?? []).Where(h => h.Rows is null || h.Rows > rule.Limit))
            {
                string rows = hold.Rows is { } known ? $"{Figures.Count(known)} {(known == 1 ? "row" : "rows")} of {(hold.From == hold.Table ? "it" : hold.Table)}" : hold.From == hold.Table ? "it" : hold.Table;
                yield return new(rule.Rule, CheckState.Broken, place, "", rule.Words, $"It lets nobody {(hold.Held == HeldBack.Reads ? "read or write" : "write to")} {hold.From} while it {(hold.Rewritten ? "writes" : "goes through")} {rows}{(hold.Rewritten ? " anew" : "")} ({hold.By}); {Allowed(rule)}.") { Subject = hold.Table, House = true };
            }
        }
    }

    private CheckItem Item(HouseRule rule, Line line, TextSpan? at, CheckState state, string sentence)
    {
        TextPlace start = line.Brief.AfterPlace, inside = TextPlace.At(line.Brief.AfterSql, at?.Start ?? 0);
        TextPlace place = new(start.Line + inside.Line - 1, inside.Line == 1 ? start.Column + inside.Column - 1 : inside.Column);
        return new(rule.Rule, state, origin(line.Brief.Rewritten ? InputPart.Change : InputPart.Workload, place), BudgetCheck.NameOf(line.Brief.Statement, line.Brief.Case), rule.Words, sentence) { Subject = line.Brief.Statement, House = true };
    }

    private static string Allowed(HouseRule rule) => $"{Figures.Three(rule.Limit)} {(rule.Limit == 1 && rule.Rule.Unit == "rows" ? "is" : "are")} allowed";
}
