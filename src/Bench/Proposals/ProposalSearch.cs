using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Bench.Proposals;

/// <summary>What was found, and what became of it.</summary>
/// <param name="Proposals">Each with what is expected of it, or what a trial told.</param>
/// <param name="Set">What all of the set bring together over the whole workload; null where the set is empty, was not measured, or its trial told nothing.</param>
/// <param name="Notes">What was left out, in sentences.</param>
/// <param name="Refusal">Why nothing could be measured; null where it could.</param>
public sealed record ProposalsFound(IReadOnlyList<Proposal> Proposals, MeasuredProposal? Set, IReadOnlyList<string> Notes, JobRefused? Refusal)
{
    /// <summary>The trial that measured the set, by its number in the ledger; null where it is kept nowhere.</summary>
    public long? SetTrial { get; init; }
}

/// <summary>
/// Finds indexes to add and to drop, statements to put into other words and stale statistics for a whole workload: candidates from its statements, screened by the
/// planner and by exact counters on copies. Nothing is timed.
/// </summary>
/// <param name="home">Where copies are made.</param>
/// <param name="subject">Its address.</param>
/// <param name="workload">The workload's text.</param>
/// <param name="options">Of each trial.</param>
/// <param name="kinds">What is looked for.</param>
/// <param name="told">Told what goes on, in a few words.</param>
public sealed class ProposalSearch(LedgerHome home, string subject, string workload, TrialOptions options, IReadOnlyCollection<ProposalKind> kinds, Action<string> told)
{
    /// <summary>More candidates than these are not built at once: those of the statements that do the most work come first.</summary>
    public const int MostCandidates = 60;

    /// <summary>More indexes than these are not tried to be dropped.</summary>
    public const int MostDrops = 12;

    /// <summary>Of statistics of several columns, that are tried.</summary>
    private const int MostTogether = 6;

    /// <summary>Where so many cannot be built, something else is wrong.</summary>
    private const int MostUnbuilt = 5;

    private readonly WorkloadLook _look = new(home, subject, workload, options);
    private readonly List<string> _notes = [];

    /// <exception cref="BenchProcessException">The measuring process died.</exception>
    /// <exception cref="OperationCanceledException">It was stopped; the copies are gone.</exception>
    public async Task<ProposalsFound> FindAsync(CancellationToken stop)
    {
        told("looking at the subject");
        TrialAccount now = await _look.SeeAsync("", stop);
        if (now.Refusal is not null || now.Catalogs?.Before is not { } catalog)
        {
            return new([], null, _notes, now.Refusal ?? new([new(InputPart.Subject, null, "Its catalogue cannot be read.")], false));
        }

        SqlDialect dialect = options.Engine.Dialect;
        Workload statements = now.Brief.Workload;
        double? work = Screening.WorkOf(now);
        Dictionary<string, UnknownSyntax> unknown = statements.Statements.SelectMany(s => s.Sent.Select(one => (s.Name, Tree: SyntaxTree.Read(one.Sql, dialect)))).Where(s => s.Tree.Statement is null).DistinctBy(s => s.Name).ToDictionary(s => s.Name, s => s.Tree.Unknown[0]);
        _notes.AddRange(unknown.Select(u => $"{u.Key}: the grammar does not know '{u.Value.Construct}'; nothing was looked for there."));
        (string Name, StatementTables Tables, HashSet<string> Written)[] tables = [.. statements.Statements.Select(s => (s.Name, TablesOf(s, dialect), WrittenBy(s, dialect)))];
        Dictionary<string, string> made = _look.OfKind("index");
        HashSet<string> views = new(_look.OfKind("view").Keys.Select(v => v[(v.LastIndexOf('.') + 1)..].Trim('"')), StringComparer.OrdinalIgnoreCase);
        bool triggers = _look.OfKind("trigger").Count > 0 || catalog.Tables.Any(t => t.Triggers.Count > 0);

        // Those that name the table, or a view, those that write to a table that it refers to, those that write where triggers may write further, and those that the grammar does not know.
        string[] Affected(string table) => [.. tables.Where(s => s.Tables.Names.Any(n => n.Equals(catalog.Table(table)!.OwnName, StringComparison.OrdinalIgnoreCase) || views.Contains(n))
            || (s.Written.Count > 0 && (triggers || catalog.Table(table)!.References.Any(r => s.Written.Contains(catalog.Table(r.Target)?.OwnName ?? r.Target)))) || unknown.ContainsKey(s.Name)).Select(s => s.Name)];
        ProposalGround Ground(IEnumerable<string> served, params IEnumerable<string> about) => ProposalGround.Of(statements, served, catalog, about);
        ExpectedWork? Saving(double saved) => work is { } before ? new(before, Math.Max(0, before - saved)) : null;

        IReadOnlyList<TakenCandidate> candidates = kinds.Contains(ProposalKind.Index) ? await ScreenedAsync(IndexCandidates.Of(TableAccess.Of(statements, catalog, dialect), catalog), s => Screening.WorkOf(now, s) ?? 0, stop) : [];
        List<Proposal> proposals =
        [
            .. candidates.Select(t => OfIndex(t, SuperfluousIndex.BesideOf(t.Candidate, catalog, made, dialect), made, Affected(t.Candidate.Table)) with
            {
                Expected = Saving(t.WorkSaved), ExpectedBytes = t.Bytes, Ground = Ground(t.Statements, t.Candidate.Table),
            }),
        ];
        if (kinds.Contains(ProposalKind.Statistics) && catalog.Tables.Where(t => t.Rows >= IndexCandidates.FewestRows && (t.IsStale || t.AnalyzedRows is null)).ToList() is { Count: > 0 } stale)
        {
            string[] affected = [.. stale.SelectMany(t => Affected(t.Name)).Distinct()];
            string names = string.Join(", ", stale.Select(t => t.Name).Order(StringComparer.Ordinal));
            proposals.Add(Of(
                ProposalKind.Statistics, "fresh statistics", $"{names}: the statistics know another table than there is.", string.Join('\n', stale.Select(t => $"ANALYZE {SqlName.Of(t)};")), "", affected) with
            {
                Ground = Ground(affected, stale.Select(t => t.Name)),
            });
        }

        proposals.AddRange(kinds.Contains(ProposalKind.Statistics) ? await TogetherAsync(now, catalog, Affected, Ground, stop) : []);
        IReadOnlyList<SuperfluousIndex> superfluous = kinds.Contains(ProposalKind.Drop) ? SuperfluousIndex.Of(catalog, Screening.IndexesUsed(now, Side.Before), made, dialect) : [];
        if (superfluous.Count > MostDrops)
        {
            _notes.Add($"{superfluous.Count - MostDrops} more that may go were not tried: {string.Join(", ", superfluous.Skip(MostDrops).Select(s => s.Index))}.");
        }

        proposals.AddRange(superfluous.Take(MostDrops).Select(i =>
            Of(ProposalKind.Drop, $"drop index {i.Index} on {i.Table}", ReasonOf(i), i.Sql, i.UndoBy(made), Affected(i.Table)) with { Ground = Ground(Affected(i.Table), i.Table) }));

        var rewrites = new RewriteSearch(home, subject, (text, change, only, end) => _look.SeeAsync(change, end, text, only), options, told);
        foreach (ProvenRewrite found in kinds.Any(k => k.IsOtherWords()) ? await rewrites.FindAsync(workload, now, catalog, _look.Schema, kinds, stop) : [])
        {
            string name = found.Statement.Name;
            proposals.Add(OfRewrite(found) with
            {
                // What fewer round trips save is in no counter.
                Expected = found.WorkRatio is { } ratio && !found.Proof.IsRefuted && !found.Rewrite.IsOfUnit ? Saving(Screening.WorkOf(now, name) * (1 - ratio) ?? 0) : null,
                Ground = Ground([name], tables.First(t => t.Name == name).Tables.Names),
            });
        }

        var settings = new SettingsSearch(_look, options, told);
        proposals.AddRange(kinds.Contains(ProposalKind.Setting) ? await settings.FindAsync(now, catalog, stop) : []);
        return new(proposals, null, [.. _notes, .. rewrites.Notes, .. settings.Notes], null);
    }

    /// <summary>Statistics of columns together, where an estimate multiplied shares that depend on each other, and where work falls by them.</summary>
    private async Task<IReadOnlyList<Proposal>> TogetherAsync(
        TrialAccount now, Catalog catalog, Func<string, string[]> affected, Func<IEnumerable<string>, string[], ProposalGround> ground, CancellationToken stop)
    {
        if (options.Engine.StatisticsTogether is not { } make)
        {
            return [];
        }

        var wanted = now.Lines.SelectMany(l => LinePlans.SideOf(l, now, Side.Before) is { } side ? PlanFindings.Of(side).Where(f => f is { Kind: FindingKind.DependentColumns, Table: not null }).Select(f => (l.Brief.Statement, Finding: f)) : [])
            .GroupBy(w => (w.Finding.Table, Columns: string.Join(", ", w.Finding.Columns.Order(StringComparer.Ordinal)))).Take(MostTogether).ToList();
        var proposals = new List<Proposal>();
        foreach (var same in wanted)
        {
            CatalogTable table = catalog.Table(same.Key.Table)!;
            string[] columns = [.. same.First().Finding.Columns.Order(StringComparer.Ordinal)], statements = [.. same.Select(w => w.Statement).Distinct()];
            string name = $"{table.OwnName}_{string.Join('_', columns)}_together", title = $"statistics of {string.Join(" and ", columns)} of {table.Name} together";
            (string sql, string undo) = make(SqlName.In(table.Schema, name), SqlName.Of(table), [.. columns.Select(SqlName.Quoted)]);
            told($"trying {title}");
            TrialAccount seen = await _look.SeeAsync(sql, stop, only: statements);
            double[] ratios = [.. statements.Select(s => seen.Refusal is null ? Screening.EffortRatioOf(seen, s) : null).OfType<double>()];
            if (seen.Refusal is not null || !ratios.Any(r => r < Screening.SavesFrom))
            {
                _notes.Add($"{title}: {(seen.Refusal is { } refused ? string.Join(" ", refused.Problems.Select(p => p.Message)) : "the estimate gets better, and no plan does less work by it")}.");
                continue;
            }

            proposals.Add(Of(
                ProposalKind.Statistics, title, $"{string.Join(", ", statements)}: the planner multiplies what part of the rows each condition keeps, and these columns depend on each other.", sql, undo, affected(table.Name)) with
            { Ground = ground(affected(table.Name), [table.Name]) });
        }

        return proposals;
    }

    /// <summary>The tables of a statement, or of all statements of a unit.</summary>
    private static StatementTables TablesOf(WorkloadStatement statement, SqlDialect dialect) =>
        statement.Sent.Select(s => StatementTables.Of(s.Sql, dialect)).Aggregate((a, b) => new(a.Kind, [.. a.Names.Union(b.Names)], a.Written ?? b.Written));

    /// <summary>The tables that it writes to, or that some statement of a unit does.</summary>
    private static HashSet<string> WrittenBy(WorkloadStatement statement, SqlDialect dialect) =>
        statement.Sent.Select(s => StatementTables.Of(s.Sql, dialect).Written).OfType<string>().ToHashSet(StringComparer.OrdinalIgnoreCase);

    private static string ReasonOf(SuperfluousIndex index) => index.Because switch
    {
        SuperfluousBecause.Doubled => $"{index.Instead} has the same columns.",
        SuperfluousBecause.Prefix => $"{index.Instead} begins with all of its columns.",
        _ => "No plan of the workload goes through it; each write pays for it.",
    };

    private static Proposal Of(ProposalKind kind, string title, string reason, string sql, string undo, string[] affected) =>
        affected.Length > 0 ? new(kind, title, reason, sql, undo, affected, null, ProposalFate.Open, "")
            : new(kind, title, reason, sql, undo, affected, null, ProposalFate.NotTold, "No statement of the workload names its table: nothing can be measured.");

    /// <summary>A wider index takes the place of those that begin with fewer of the same columns, rather than to be one more that each write pays for.</summary>
    private static Proposal OfIndex(TakenCandidate taken, IReadOnlyList<SuperfluousIndex> replaced, Dictionary<string, string> made, string[] affected)
    {
        IndexCandidate candidate = taken.Candidate;
        string[] names = [.. replaced.Select(r => r.Index)];
        string[] deleting = [.. taken.Statements.Where(candidate.Deleting.Contains)], taking = [.. taken.Statements.Except(deleting)];
        string reason = string.Join(
            " ",
            new[]
            {
                taking.Length > 0 ? $"{string.Join(", ", taking)}: the planner takes it, and does less work by it." : "",
                deleting.Length > 0 ? $"{string.Join(", ", deleting)}: for each deleted row the engine looks for rows of {candidate.Table} that refer to it, and no index begins with {string.Join(", ", candidate.Columns)}." : "",
            }.Where(r => r.Length > 0));
        return Of(
            ProposalKind.Index, $"index on {candidate.Words}{(names.Length > 0 ? $" instead of {string.Join(" and ", names)}" : "")}",
            $"{reason}{(names.Length > 0 ? $" It begins with all columns of {string.Join(" and ", names)}." : "")}",
            string.Join('\n', replaced.Select(r => r.SqlIfThere).Prepend(candidate.Sql)), string.Join('\n', replaced.Select(r => r.UndoBy(made)).Append(candidate.Undo)), affected) with
        { Replaces = names };
    }

    private static Proposal OfRewrite(ProvenRewrite found)
    {
        string name = found.Statement.Name, sql = RewriteSearch.ChangeOf(name, found.Rewrite.Sql), undo = RewriteSearch.ChangeOf(name, found.Statement.Unit?.ToScript() ?? found.Statement.Sql);
        string title = found.Rewrite.IsOfUnit ? $"one statement for {(found.Sent is > 1 and var many ? $"the {Figures.Count(many)} of " : "")}{name}" : $"{name} in other words: {found.Rewrite.Words}";
        string reason = found.Sent is { } sent ? $"{found.Rewrite.Reason} On the copy one execution sends {Figures.Count(sent)} statements." : found.Rewrite.Reason;
        bool refuted = found.Proof.IsRefuted || found.WorkRatio is null;
        string message = !refuted ? "" : found.Rewrite.IsAnother ? "It is another query: perhaps the one that was meant." : found.WorkRatio is null ? "On the copies it gives other rows." : "It is another query.";
        return new(found.Rewrite.IsOfUnit ? ProposalKind.Unit : ProposalKind.Rewrite, title, reason, sql, undo, [name], null, refuted ? ProposalFate.NotTheSame : ProposalFate.Open, message) { Proof = found.Proof };
    }

    /// <summary>Candidates that the planner takes on a copy that has all of them, the most saving first.</summary>
    /// <param name="candidates">The most called first.</param>
    /// <param name="workOf">Of a statement in a day.</param>
    /// <param name="stop">Ends it.</param>
    private async Task<IReadOnlyList<TakenCandidate>> ScreenedAsync(IReadOnlyList<IndexCandidate> candidates, Func<string, double> workOf, CancellationToken stop)
    {
        List<IndexCandidate> left = [.. candidates.OrderByDescending(c => c.Statements.Sum(workOf)).Take(MostCandidates)];
        if (candidates.Count > left.Count)
        {
            _notes.Add($"{candidates.Count - left.Count} of {candidates.Count} candidates, those of the statements that do the least work, were not tried.");
        }

        int unbuilt = 0;
        while (left.Count > 0)
        {
            told($"trying {left.Count} candidates on a copy");
            TrialAccount account = await _look.SeeAsync(string.Join('\n', left.Select(c => c.Sql)), stop);
            if (account.Refusal is null)
            {
                return Screening.Taken(account, left);
            }

            // One that cannot be built is left out, and the others are tried again.
            int at = account.Applied.Count;
            if (at >= left.Count || unbuilt++ >= MostUnbuilt || account.Refusal.Problems.All(p => p.Part != InputPart.Change))
            {
                _notes.Add($"No candidate could be tried: {string.Join(" ", account.Refusal.Problems.Select(p => p.Message))}");
                return [];
            }

            _notes.Add($"{left[at].Name} cannot be built: {string.Join(" ", account.Refusal.Problems.Select(p => p.Message))}");
            left.RemoveAt(at);
        }

        return [];
    }
}
