using System.Globalization;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Bench.Proposals;

/// <summary>A rewrite that does less work, with what speaks for it and against it.</summary>
/// <param name="Statement">That it is of.</param>
/// <param name="Rewrite">The other words.</param>
/// <param name="WorkRatio">Of its cases in a day, after / before, by exact counters; null where the sides gave other rows, so that it tells nothing.</param>
/// <param name="Proof">Why it is the same query, or that it is not.</param>
/// <param name="Sent">Of a unit, the statements that its costliest case sends; null where it is none, or was not counted.</param>
internal sealed record ProvenRewrite(WorkloadStatement Statement, RewriteCandidate Rewrite, double? WorkRatio, RewriteProof Proof, long? Sent);

/// <summary>Finds rewrites of a workload's statements: by rules, by the work that they save on a copy, and by a search for databases that tell them apart.</summary>
/// <param name="home">Where copies are made.</param>
/// <param name="subject">Its address.</param>
/// <param name="inspect">Looks at the lines of a workload before and after a change, those of the named statements or all, and times nothing.</param>
/// <param name="options">Of each trial.</param>
/// <param name="told">Told what goes on.</param>
internal sealed class RewriteSearch(LedgerHome home, string subject, Func<string, string, IReadOnlyList<string>?, CancellationToken, Task<TrialAccount>> inspect, TrialOptions options, Action<string> told)
{
    /// <summary>More statements than these are not written anew: those that cost most come first.</summary>
    public const int MostStatements = 100;

    /// <summary>Other texts of one statement that are tried.</summary>
    private const int MostEach = 6;

    /// <summary>That are named of those that do no less work.</summary>
    private const int MostIdle = 12;

    /// <summary>Of so much more work fewer round trips may still be cheaper: the trial tells.</summary>
    public const double WorthFewerTrips = 1.5;

    private const int Databases = 500;

    private const double SearchSeconds = 20;

    private readonly List<string> _notes = [];

    /// <summary>What was left out, in sentences.</summary>
    public IReadOnlyList<string> Notes => _notes;

    /// <summary>For each statement the rewrite that saves most of those that nothing speaks against, and those that look alike and give other rows: of them it is shown why.</summary>
    /// <param name="workload">The workload's text.</param>
    /// <param name="now">Inspected without a change.</param>
    /// <param name="catalog">Of the subject.</param>
    /// <param name="schema">Of the subject.</param>
    /// <param name="kinds">What is looked for.</param>
    /// <param name="stop">Ends it.</param>
    public async Task<IReadOnlyList<ProvenRewrite>> FindAsync(
        string workload, TrialAccount now, Catalog catalog, IReadOnlyList<SchemaObject> schema, IReadOnlyCollection<ProposalKind> kinds, CancellationToken stop)
    {
        SqlDialect dialect = options.Engine.Dialect;
        string counter = options.Engine.Counter!.Name;
        double CostOf(WorkloadStatement s) => now.Lines.Where(l => l.Brief.Statement == s.Name).Sum(l => (l.Evidence.Before?.Counters.GetValueOrDefault(counter) ?? 0) * (l.Brief.CallsPerDay ?? 1));
        List<(WorkloadStatement Statement, IReadOnlyList<RewriteCandidate> Rewrites)> found =
            [.. now.Brief.Workload.Statements.Select(s => (s, RewritesOf(s, now, catalog, kinds))).Where(f => f.Item2.Count > 0).OrderByDescending(f => CostOf(f.s))];
        foreach (WorkloadStatement statement in now.Brief.Workload.Statements)
        {
            if (statement.Unit is { } unit)
            {
                string? why = !kinds.Contains(ProposalKind.Unit) || found.Exists(f => f.Statement == statement) ? null : UnitRules.HindranceOf(unit, dialect) ?? "no rule knows one statement for it";
                _notes.AddRange(why is null ? [] : [$"{statement.Name}: {why}; the unit stays as it is."]);
                continue;
            }

            // What writes has no other words, and what the grammar does not know is told already.
            if (kinds.Contains(ProposalKind.Rewrite) && SyntaxTree.Read(statement.Sql, dialect) is { Statement: Query } tree && RewriteRules.HindranceOf(tree, dialect) is { } hindrance)
            {
                _notes.Add($"{statement.Name}: {hindrance}; no other words were looked for.");
            }
        }

        if (found.Count > MostStatements)
        {
            _notes.Add($"Other words were tried for {MostStatements} of {found.Count} statements that the rules know some for, the costliest.");
        }

        var saving = new List<(WorkloadStatement Statement, RewriteCandidate Rewrite, double? Ratio, bool? Same, int Cases)>();
        var idle = new List<string>();
        for (int round = 0; round < MostEach; round++)
        {
            List<(WorkloadStatement Statement, RewriteCandidate Rewrite)> tried = [.. found.Take(MostStatements).Where(f => f.Rewrites.Count > round).Select(f => (f.Statement, f.Rewrites[round]))];
            if (tried.Count == 0)
            {
                break;
            }

            told($"trying other words for {tried.Count} statements");
            TrialAccount account = await inspect(workload, string.Join('\n', tried.Select(t => ChangeOf(t.Statement.Name, t.Rewrite.Sql))), [.. tried.Select(t => t.Statement.Name)], stop);
            if (account.Refusal is { } refusal)
            {
                _notes.Add($"Other words could not be tried: {string.Join(" ", refusal.Problems.Select(p => p.Message))}");
                continue;
            }

            foreach ((WorkloadStatement statement, RewriteCandidate rewrite) in tried)
            {
                Line[] lines = [.. account.Lines.Where(l => l.Brief.Statement == statement.Name)];
                bool others = rewrite.IsAnother || lines.Any(l => l.Evidence.SameRows == false);
                double? ratio = Screening.EffortRatioOf(account, statement.Name);
                if (lines.Length > 0 && lines.All(l => l.Evidence is { BeforeFailure: null, AfterFailure: null }) && (others || ratio is < Screening.SavesFrom || (ratio is < WorthFewerTrips && lines.Any(SendsFewer))))
                {
                    saving.Add((statement, rewrite, others ? null : ratio, others ? false : lines.All(l => l.Evidence.SameRows == true) ? true : null, lines.Count(l => l.Evidence.SameRows == true)));
                }
                else if (ratio is { } asMuch)
                {
                    idle.Add($"{statement.Name}, {rewrite.Words} ({Figures.Three(asMuch)} of its work)");
                }
            }
        }

        if (idle.Count > 0)
        {
            _notes.Add($"Other words that do no less work on the copy: {string.Join("; ", idle.Take(MostIdle))}{(idle.Count > MostIdle ? $"; and {idle.Count - MostIdle} more" : "")}.");
        }

        IReadOnlySet<string> broken = await BrokenAsync([.. saving.SelectMany(s => s.Rewrite.Conditions).Where(c => !c.IsMet).Select(c => c.Violations!).Distinct()], stop);
        var proven = new List<ProvenRewrite>();
        foreach (var statement in saving.GroupBy(s => s.Statement.Name))
        {
            foreach (var tried in statement.OrderBy(s => s.Ratio ?? double.MaxValue))
            {
                told($"looking for a database that tells {statement.Key} from its other words");
                RewriteProof proof = await ProveAsync(tried.Statement, tried.Rewrite, tried.Same, tried.Cases, catalog, schema, broken, stop);
                proven.Add(new(tried.Statement, tried.Rewrite, tried.Ratio, proof, tried.Rewrite.IsOfUnit ? now.Lines.Where(l => l.Brief.Statement == statement.Key).Max(l => l.Evidence.Before?.Plan?.Sent) : null));
                if (tried.Ratio is not null && !proof.IsRefuted)
                {
                    break;
                }
            }
        }

        return proven;
    }

    private IReadOnlyList<RewriteCandidate> RewritesOf(WorkloadStatement statement, TrialAccount now, Catalog catalog, IReadOnlyCollection<ProposalKind> kinds)
    {
        SqlDialect dialect = options.Engine.Dialect;
        return statement.Unit is { } unit ? kinds.Contains(ProposalKind.Unit) ? UnitRules.Of(unit, dialect, catalog) : []
            : kinds.Contains(ProposalKind.Rewrite) ? [.. Reordered(statement, now), .. RewriteRules.Of(statement.Sql, dialect, catalog, [.. statement.Cases.Select(ValuesOf)])] : [];
    }

    /// <summary>The order of joins that was counted to be cheaper where the statement was looked at, written so that the engine keeps to it.</summary>
    private IEnumerable<RewriteCandidate> Reordered(WorkloadStatement statement, TrialAccount now)
    {
        Line? line = now.Lines.FirstOrDefault(l => l.Brief.Statement == statement.Name && l.Evidence.Before?.Plan?.CheaperOrder is not null);
        if (line is null || LinePlans.SideOf(line, now, Side.Before) is not { Plan.CheaperOrder: { } cheaper } side || RewriteRules.HindranceOf(SyntaxTree.Read(statement.Sql, options.Engine.Dialect), options.Engine.Dialect) is not null)
        {
            yield break;
        }

        if (JoinOrders.Of(side).FirstOrDefault(o => o.Tables.SequenceEqual(cheaper.Tables)).Sql is { } sql)
        {
            yield return new(
                RewriteKind.JoinOrder, sql, $"The planner begins with {cheaper.Before[0]}; from {cheaper.Tables[0]} on, {Figures.Count(cheaper.RowsVisited)} rows are visited instead of {Figures.Count(cheaper.RowsVisitedBefore)}. The text holds it to that order, whatever its statistics will say.",
                [RewriteCondition.Met("Inner joins give the same rows in any order.")]);
        }
    }

    /// <summary>Whether the after side sends fewer statements: what that saves no counter of the engine tells, and a trial does.</summary>
    private static bool SendsFewer(Line line) => line.Evidence is { Before.Plan.Sent: { } before, After.Plan.Sent: { } after } && after < before;

    /// <summary>What replaces a statement, as a change says it.</summary>
    internal static string ChangeOf(string statement, string sql) => $"-- rewrite: {statement}\n{sql.Trim().TrimEnd(';')};";

    private static Dictionary<string, SqlValue> ValuesOf(StatementCase one) => one.Bindings.ToDictionary(b => b.Key, b => b.Value);

    /// <summary>Which of some questions for rows that break a condition have an answer on a copy; what cannot be asked is broken.</summary>
    private async Task<IReadOnlySet<string>> BrokenAsync(IReadOnlyList<string> questions, CancellationToken stop)
    {
        if (questions.Count == 0)
        {
            return new HashSet<string>();
        }

        told("asking the copy whether its rows are as the rewrites need them");
        string Named(int n) => $"condition {n.ToString(CultureInfo.InvariantCulture)}";
        TrialAccount asked = await inspect(string.Join('\n', questions.Select((q, n) => $"-- name: {Named(n)}\n{q};\n")), "", null, stop);
        return questions.Where((_, n) => asked.Lines.FirstOrDefault(l => l.Brief.Statement == Named(n))?.Evidence.Before is not { Failure: null, Rows: 0 }).ToHashSet();
    }

    private async Task<RewriteProof> ProveAsync(
        WorkloadStatement statement, RewriteCandidate rewrite, bool? sameRows, int cases, Catalog catalog, IReadOnlyList<SchemaObject> schema, IReadOnlySet<string> broken, CancellationToken stop)
    {
        var search = new CounterexampleSearch(statement.Sql, rewrite, options.Engine.Dialect, catalog, []);
        ProofReply reply;
        if (search.Tables is not { } tables)
        {
            reply = ProofMain.Unsearched("it reads what is no table");
        }
        else
        {
            using CopyHold hold = home.NewCopyFolder();
            hold.Make();
            reply = await ProofProcess.SearchAsync(
                new(options.Engine, subject, hold.Folder, schema, catalog with { Tables = [.. tables.Select(Bare)] }, statement.Sql, rewrite, [.. statement.Cases.Select(c => c.BindText)], Databases, SearchSeconds), stop);
        }

        ProvenCondition Held(RewriteCondition condition) => new(
            condition.Sentence, condition.IsMet ? HeldBy.Schema : broken.Contains(condition.Violations!) ? HeldBy.Nobody : HeldBy.Rows, reply.Loosened.FirstOrDefault(l => l.Condition == condition.Sentence)?.Found?.ToSql());
        return RewriteProof.Of([.. rewrite.Conditions.Select(Held)], sameRows, cases, reply.Held, reply.Seconds);
    }

    /// <summary>Without what a search does not ask for.</summary>
    private static CatalogTable Bare(CatalogTable table) => table with { Columns = [.. table.Columns.Select(c => c with { Statistics = null })] };
}
