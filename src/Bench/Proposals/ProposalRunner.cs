using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Bench.Proposals;

/// <summary>What was found, tried and measured.</summary>
/// <param name="Proposals">Those that were measured or refused, in the set first.</param>
/// <param name="Set">What all of the set bring together over the whole workload; null where the set is empty or its trial told nothing.</param>
/// <param name="Notes">What was left out, in sentences.</param>
/// <param name="Refusal">Why nothing could be measured; null where it could.</param>
public sealed record ProposalsFound(IReadOnlyList<Proposal> Proposals, MeasuredProposal? Set, IReadOnlyList<string> Notes, JobRefused? Refusal);

/// <summary>
/// Finds indexes to add and to drop and statements to put into other words for a whole workload: candidates from its statements, screened by the planner and by
/// exact counters on copies, each that is worth it measured by a trial of its own, and those that are kept measured together.
/// </summary>
/// <param name="home">Where copies are made.</param>
/// <param name="subject">Its address.</param>
/// <param name="workload">The workload's text.</param>
/// <param name="options">Of each trial; its bound on measuring is that of one trial.</param>
/// <param name="limits">Of the user.</param>
/// <param name="kinds">What is looked for.</param>
/// <param name="told">Told what goes on, in a few words.</param>
public sealed class ProposalRunner(LedgerHome home, string subject, string workload, TrialOptions options, ProposalLimits limits, IReadOnlyCollection<ProposalKind> kinds, Action<string> told)
{
    /// <summary>More candidates than these are not built at once: the most called statements' come first.</summary>
    public const int MostCandidates = 60;

    /// <summary>More indexes than these are not tried to be dropped.</summary>
    public const int MostDrops = 12;

    /// <summary>How many times as long the last trial may measure.</summary>
    private const int WholeTakes = 3;

    /// <summary>Where so many cannot be built, something else is wrong.</summary>
    private const int MostUnbuilt = 5;

    private readonly List<string> _notes = [];
    private IReadOnlyList<SchemaObject> _schema = [];

    /// <exception cref="BenchProcessException">The measuring process died.</exception>
    /// <exception cref="OperationCanceledException">It was stopped; the copies are gone.</exception>
    public async Task<ProposalsFound> RunAsync(CancellationToken stop)
    {
        told("looking at the subject");
        TrialAccount now = await InspectAsync("", stop);
        if (now.Refusal is not null || now.Catalogs?.Before is not { } catalog)
        {
            return new([], null, _notes, now.Refusal ?? new([new(InputPart.Subject, null, "Its catalogue cannot be read.")], false));
        }

        SqlDialect dialect = options.Engine.Dialect;
        Workload statements = now.Brief.Workload;
        Dictionary<string, UnknownSyntax> unknown = statements.Statements.Select(s => (s.Name, Tree: SyntaxTree.Read(s.Sql, dialect))).Where(s => s.Tree.Statement is null).ToDictionary(s => s.Name, s => s.Tree.Unknown[0]);
        _notes.AddRange(unknown.Select(u => $"{u.Key}: the grammar does not know '{u.Value.Construct}'; nothing was looked for there."));
        (string Name, StatementTables Tables)[] tables = [.. statements.Statements.Select(s => (s.Name, StatementTables.Of(s.Sql, dialect)))];
        Dictionary<string, string> made = OfKind("index");
        HashSet<string> views = new(OfKind("view").Keys.Select(v => v[(v.LastIndexOf('.') + 1)..].Trim('"')), StringComparer.OrdinalIgnoreCase);
        bool triggers = OfKind("trigger").Count > 0 || catalog.Tables.Any(t => t.Triggers.Count > 0);

        // Those that name the table, or a view, those that write where triggers may write further, and those that the grammar does not know.
        string[] Affected(string table) => [.. tables.Where(s => s.Tables.Names.Any(n => n.Equals(catalog.Table(table)!.OwnName, StringComparison.OrdinalIgnoreCase) || views.Contains(n))
            || (s.Tables.Written is not null && triggers) || unknown.ContainsKey(s.Name)).Select(s => s.Name)];

        var proposals = new List<Proposal>();
        IReadOnlyList<TakenCandidate> candidates = kinds.Contains(ProposalKind.Index) ? await ScreenedAsync(IndexCandidates.Of(TableAccess.Of(statements, catalog, dialect), catalog), stop) : [];
        var beyond = new List<TakenCandidate>();
        long bytes = 0;
        foreach (TakenCandidate taken in candidates)
        {
            if (!limits.Allow(proposals.Count(p => p.Fate == ProposalFate.InSet), proposals.Count, bytes, taken.Bytes))
            {
                beyond.Add(taken);
                continue;
            }

            proposals.Add(await MeasuredAsync(
                ProposalKind.Index, $"index on {taken.Candidate.Words}", $"{string.Join(", ", taken.Statements)}: the planner takes it, and does less work by it.",
                taken.Candidate.Sql, taken.Candidate.Undo, Affected(taken.Candidate.Table), stop));
            bytes += proposals[^1].Fate == ProposalFate.InSet ? taken.Bytes ?? 0 : 0;
        }

        if (beyond.Count > 0)
        {
            _notes.Add($"{beyond.Count} more that the planner takes go beyond the limits: {string.Join(", ", beyond.Select(t => t.Candidate.Name))}.");
        }

        if (kinds.Contains(ProposalKind.Statistics) && catalog.Tables.Where(t => t.Rows >= IndexCandidates.FewestRows && (t.IsStale || t.AnalyzedRows is null)).ToList() is { Count: > 0 } stale)
        {
            string names = string.Join(", ", stale.Select(t => t.Name).Order(StringComparer.Ordinal));
            proposals.Add(await MeasuredAsync(
                ProposalKind.Statistics, "fresh statistics", $"{names}: the statistics know another table than there is.", string.Join('\n', stale.Select(t => $"ANALYZE {SqlName.Of(t)};")), "", [.. stale.SelectMany(t => Affected(t.Name)).Distinct()], stop));
        }

        IReadOnlyList<SuperfluousIndex> superfluous = kinds.Contains(ProposalKind.Drop) ? SuperfluousIndex.Of(catalog, Screening.IndexesUsed(now, Side.Before), made, dialect) : [];
        if (superfluous.Count > MostDrops)
        {
            _notes.Add($"{superfluous.Count - MostDrops} more that may go were not tried: {string.Join(", ", superfluous.Skip(MostDrops).Select(s => s.Index))}.");
        }

        foreach (SuperfluousIndex index in superfluous.Take(MostDrops))
        {
            proposals.Add(await MeasuredAsync(ProposalKind.Drop, $"drop index {index.Index} on {index.Table}", ReasonOf(index), index.Sql, index.UndoBy(made), Affected(index.Table), stop));
        }

        var rewrites = new RewriteSearch(home, subject, (text, change, end) => InspectAsync(change, end, text), options, told);
        foreach (ProvenRewrite found in kinds.Contains(ProposalKind.Rewrite) ? await rewrites.FindAsync(workload, now, catalog, _schema, stop) : [])
        {
            proposals.Add(await OfRewriteAsync(found, stop));
        }

        _notes.AddRange(rewrites.Notes);
        proposals = await TogetherAsync(proposals, now, stop);
        string all = ChangeOf(proposals.Where(p => p.Fate == ProposalFate.InSet));
        MeasuredProposal? together = null;
        if (all.Length > 0)
        {
            told("measuring all of the set together over the whole workload");
            TrialAccount account = await RunTrialAsync(all, null, stop);
            together = account.Refusal is null ? MeasuredProposal.Of(account) : null;
            if (together is { Untold.Count: > 0 })
            {
                _notes.Add($"All together were not timed long enough for a bill, of which {together.Untold.Count} statements are missing: each trial needs more time.");
            }
            else if (together is { Change.High: >= 0 })
            {
                _notes.Add("All together do not bring the bill down: apply none of them unread.");
            }
        }

        return new([.. proposals.OrderBy(p => p.Fate).ThenBy(p => p.Measured is { } m ? m.Bill.Change : 0)], together, _notes, null);
    }

    private static string ReasonOf(SuperfluousIndex index) => index.Because switch
    {
        SuperfluousBecause.Doubled => $"{index.Instead} has the same columns.",
        SuperfluousBecause.Prefix => $"{index.Instead} begins with all of its columns.",
        _ => "No plan of the workload goes through it; each write pays for it.",
    };

    /// <summary>Candidates that the planner takes on a copy that has all of them, the most saving first.</summary>
    private async Task<IReadOnlyList<TakenCandidate>> ScreenedAsync(IReadOnlyList<IndexCandidate> candidates, CancellationToken stop)
    {
        List<IndexCandidate> left = [.. candidates.Take(MostCandidates)];
        if (candidates.Count > left.Count)
        {
            _notes.Add($"{candidates.Count - left.Count} of {candidates.Count} candidates, those of the fewest calls, were not tried.");
        }

        int unbuilt = 0;
        while (left.Count > 0)
        {
            told($"trying {left.Count} candidates on a copy");
            TrialAccount account = await InspectAsync(string.Join('\n', left.Select(c => c.Sql)), stop);
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

    private async Task<Proposal> MeasuredAsync(ProposalKind kind, string title, string reason, string sql, string undo, string[] affected, CancellationToken stop)
    {
        var proposal = new Proposal(kind, title, reason, sql, undo, affected, null, ProposalFate.NotTold, "");
        if (affected.Length == 0)
        {
            return proposal with { Message = "No statement of the workload names its table: nothing can be measured." };
        }

        told($"measuring: {title}");
        TrialAccount account = await RunTrialAsync(sql, affected, stop);
        if (account.Refusal is { } refusal)
        {
            return proposal with { Fate = ProposalFate.Failed, Message = string.Join(" ", refusal.Problems.Select(p => p.Message)) };
        }

        var measured = MeasuredProposal.Of(account);
        (ProposalFate fate, string message) = ProposalRule.Judge(kind, measured, limits);
        return proposal with { Measured = measured, Fate = fate, Message = message };
    }

    /// <summary>Builds the set by exact work over the whole workload.</summary>
    private async Task<List<Proposal>> TogetherAsync(List<Proposal> proposals, TrialAccount now, CancellationToken stop)
    {
        (TrialAccount last, double? best) = (now, Screening.WorkOf(now));
        var search = new SetSearch<Proposal>(AddsAsync, IsNeedlessAsync);
        await search.RunAsync(proposals.Where(p => p.Fate == ProposalFate.InSet).OrderBy(p => p.Measured?.Bill.Change ?? 0));
        Proposal Judged(Proposal p) => search.Set.Contains(p) || p.Fate != ProposalFate.InSet ? p : p with
        {
            Fate = ProposalFate.NoSaving,
            Message = search.Needless.Contains(p) ? "The others of the set make it needless."
                : p.Kind == ProposalKind.Drop ? "Beside the others of the set it costs: a statement needs it there." : "Beside the others of the set it does not save.",
        };
        return [.. proposals.OrderBy(p => p.Fate).ThenBy(p => p.Measured?.Bill.Change ?? 0).Select(Judged)];

        async Task<bool> AddsAsync(IReadOnlyList<Proposal> set, Proposal one)
        {
            if (one.Kind == ProposalKind.Rewrite && set.Any(p => p.Kind == ProposalKind.Rewrite && p.Statements[0] == one.Statements[0]))
            {
                return false;
            }

            told($"trying it beside the others: {one.Title}");
            TrialAccount beside = await InspectAsync(ChangeOf(set.Append(one)), stop);
            double? work = Screening.WorkOf(beside);

            // Other words are of one statement alone.
            bool adds = beside.Refusal is null && (one.Kind == ProposalKind.Rewrite ? Screening.EffortRatioOf(last, beside, one.Statements[0]) is < Screening.SavesFrom
                : work is not null && (best is not { } least || work <= least * (one.Kind == ProposalKind.Drop ? Screening.AsMuch : 1)));
            (last, best) = adds ? (beside, work) : (last, best);
            return adds;
        }

        async Task<bool> IsNeedlessAsync(IReadOnlyList<Proposal> others, Proposal one)
        {
            if (one.Kind == ProposalKind.Drop)
            {
                return false;
            }

            told($"trying the others without it: {one.Title}");
            TrialAccount without = await InspectAsync(ChangeOf(others), stop);
            double? work = Screening.WorkOf(without);
            bool needless = without.Refusal is null && (one.Kind == ProposalKind.Rewrite ? Screening.EffortRatioOf(without, last, one.Statements[0]) is >= Screening.SavesFrom : work is not null && work <= best);
            (last, best) = needless ? (without, work) : (last, best);
            return needless;
        }
    }

    private Dictionary<string, string> OfKind(string kind) =>
        _schema.Where(o => o.Kind.Contains(kind, StringComparison.Ordinal)).DistinctBy(o => o.Name, StringComparer.OrdinalIgnoreCase).ToDictionary(o => o.Name, o => o.Definition, StringComparer.OrdinalIgnoreCase);

    /// <summary>What alters the schema comes before what puts statements into other words.</summary>
    private static string ChangeOf(IEnumerable<Proposal> proposals) => string.Join('\n', proposals.OrderBy(p => p.Kind == ProposalKind.Rewrite).Select(p => p.Sql));

    private async Task<Proposal> OfRewriteAsync(ProvenRewrite found, CancellationToken stop)
    {
        string name = found.Statement.Name, sql = RewriteSearch.ChangeOf(name, found.Rewrite.Sql), undo = RewriteSearch.ChangeOf(name, found.Statement.Sql);
        string title = $"{name} in other words: {found.Rewrite.Words}";
        Proposal proposal = found.Proof.IsRefuted || found.WorkRatio is null
            ? new(ProposalKind.Rewrite, title, found.Rewrite.Reason, sql, undo, [name], null, ProposalFate.NotTheSame, found.WorkRatio is null ? "On the copies it gives other rows." : "It is another query.")
            : await MeasuredAsync(ProposalKind.Rewrite, title, found.Rewrite.Reason, sql, undo, [name], stop);
        return proposal with { Proof = found.Proof };
    }

    private Task<TrialAccount> RunTrialAsync(string change, string[]? only, CancellationToken stop)
    {
        // The whole workload has many times the lines of one table.
        TrialOptions own = options with { Only = only, NoiseCheck = false, MaxSeconds = only is null ? options.MaxSeconds * WholeTakes : options.MaxSeconds };
        return new TrialRunner(home).RunAsync(subject, workload, change, TrialBrief.Read(workload, change, own).Value, (_, _) => { }, stop: stop);
    }

    /// <summary>Plans and counters of all lines on both sides; nothing is timed.</summary>
    private async Task<TrialAccount> InspectAsync(string change, CancellationToken stop, string? text = null)
    {
        string asked = text ?? workload;
        TrialOptions own = options with { Only = options.Only, NoiseCheck = change.Length == 0, MaxSeconds = null };
        TrialAccount? latest = null;
        using var enough = CancellationTokenSource.CreateLinkedTokenSource(stop);
        try
        {
            return await new TrialRunner(home).RunAsync(subject, asked, change, TrialBrief.Read(asked, change, own).Value, See, stop: enough.Token);
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested && latest is not null)
        {
            return latest;
        }

        void See(BenchEvent happened, TrialAccount account)
        {
            latest = account;
            if (happened is SchemaRead read)
            {
                _schema = read.Objects;
            }
            else if (happened is StageReached { Stage: TrialStage.Measuring } or BlocksMeasured or LineEnded || (account.Catalogs is not null && account.Lines.All(l => l.Evidence.After is not null)))
            {
                enough.Cancel();
            }
        }
    }
}
