using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Bench.Proposals;

/// <summary>A trial that a proposal asks for.</summary>
/// <param name="Proposal">By its place among those that were found; null for the whole set.</param>
/// <param name="Title">In a few words.</param>
/// <param name="Change">Its text.</param>
/// <param name="Options">Of the trial.</param>
public sealed record TrialWanted(int? Proposal, string Title, string Change, TrialOptions Options);

/// <summary>What came of it.</summary>
/// <param name="Account">As it was settled; null where it did not come to its end.</param>
/// <param name="Problem">Why not; null where it did.</param>
/// <param name="Trial">By its number in the ledger; null where it is kept nowhere.</param>
public sealed record TrialMade(TrialAccount? Account, string? Problem, long? Trial);

/// <summary>Measures proposals by trials, each alone; builds the best set of those that save by exact work, and measures that.</summary>
/// <param name="home">Where copies are made.</param>
/// <param name="subject">Its address.</param>
/// <param name="workload">The workload's text.</param>
/// <param name="options">Of each trial; its bound on measuring is that of one trial.</param>
/// <param name="limits">Of the user.</param>
/// <param name="trial">Makes one trial.</param>
/// <param name="told">Told what goes on, in a few words.</param>
public sealed class ProposalMeasuring(
    LedgerHome home, string subject, string workload, TrialOptions options, ProposalLimits limits, Func<TrialWanted, CancellationToken, Task<TrialMade>> trial, Action<string> told)
{
    /// <summary>How many times as long the last trial may measure: the whole workload has many times the lines of one table.</summary>
    private const int WholeTakes = 3;

    /// <summary>What a note on the whole set begins with.</summary>
    public const string Together = "All together ";

    private readonly WorkloadLook _look = new(home, subject, workload, options);

    /// <summary>Measures those that no trial has told of yet, one after the other.</summary>
    /// <param name="found">All of them.</param>
    /// <param name="wanted">Which of them by their places; null for all that the limits allow.</param>
    /// <param name="kept">Told each proposal as it is measured, with its place.</param>
    /// <param name="stop">Ends it; what was told stays told.</param>
    public async Task<IReadOnlyList<Proposal>> EachAsync(IReadOnlyList<Proposal> found, IReadOnlySet<int>? wanted, Action<int, Proposal> kept, CancellationToken stop)
    {
        Proposal[] proposals = [.. found];
        for (int at = 0; at < proposals.Length; at++)
        {
            if (proposals[at].Fate != ProposalFate.Open || wanted?.Contains(at) == false)
            {
                continue;
            }

            // Who asks for one by name is not held to a number.
            proposals[at] = wanted is null && proposals[at].Kind == ProposalKind.Index && !IsAllowed(proposals, proposals[at])
                ? proposals[at] with { Fate = ProposalFate.BeyondLimit, Message = "It goes beyond the limits, and was not measured." }
                : await OneAsync(at, proposals[at], stop);
            kept(at, proposals[at]);
        }

        return proposals;
    }

    /// <summary>Builds the set of those that save, by exact work over the whole workload, and measures it.</summary>
    /// <param name="measured">Each alone.</param>
    /// <param name="stop">Ends it.</param>
    public async Task<ProposalsFound> TogetherAsync(IReadOnlyList<Proposal> measured, CancellationToken stop)
    {
        var notes = new List<string>();
        told("looking at the subject");
        TrialAccount now = await _look.SeeAsync("", stop);
        if (now.Refusal is { } refusal)
        {
            return new(measured, null, notes, refusal);
        }

        IReadOnlyList<Proposal> proposals = await ChosenAsync([.. measured.Select(Alone)], now, stop);
        string all = ChangeOf(proposals.Where(p => p.Fate == ProposalFate.InSet));
        if (all.Length == 0)
        {
            return new(proposals, null, notes, null);
        }

        told("measuring all of the set together over the whole workload");
        TrialMade made = await trial(new(null, "all proposals of the set together", all, options with { NoiseCheck = false, MaxSeconds = options.MaxSeconds * WholeTakes }), stop);
        MeasuredProposal? together = made.Account is { Refusal: null } account ? MeasuredProposal.Of(account) : null;
        if (together is null)
        {
            notes.Add($"{Together}could not be measured: {made.Problem}");
        }
        else if (together.Untold.Count > 0)
        {
            notes.Add($"{Together}were not timed long enough for a bill, without {string.Join(", ", together.Untold)}: each trial needs more time.");
        }
        else if (together.Change.High >= 0)
        {
            notes.Add(Together + "do not bring the bill down: apply none of them unread.");
        }

        return new(proposals, together, notes, null) { SetTrial = made.Trial };
    }

    private bool IsAllowed(Proposal[] proposals, Proposal next)
    {
        List<Proposal> tried = [.. proposals.Where(p => p.Kind == ProposalKind.Index && (p.Measured is not null || p.Fate == ProposalFate.Failed))];
        List<Proposal> saving = [.. tried.Where(p => p.Fate == ProposalFate.InSet)];
        return limits.Allow(saving.Count, tried.Count, saving.Sum(p => p.ExpectedBytes ?? 0), next.ExpectedBytes);
    }

    private async Task<Proposal> OneAsync(int at, Proposal proposal, CancellationToken stop)
    {
        told($"measuring: {proposal.Title}");
        TrialMade made = await trial(new(at, proposal.Title, proposal.Sql, options with { Only = proposal.Statements, NoiseCheck = false }), stop);
        return made.Account is not { Refusal: null } account
            ? proposal with { Fate = ProposalFate.Failed, Message = made.Problem ?? "Its trial could not be made.", Trial = made.Trial }
            : Alone(proposal with { Measured = MeasuredProposal.Of(account), Trial = made.Trial });
    }

    /// <summary>What its own trial says of it, whatever it is beside others.</summary>
    /// <param name="proposal">Measured or not.</param>
    public Proposal Alone(Proposal proposal)
    {
        if (proposal.Measured is not { } measured || proposal.Fate == ProposalFate.TurnedDown)
        {
            return proposal;
        }

        (ProposalFate fate, string message) = ProposalRule.Judge(proposal.Kind, measured, limits);
        return proposal with { Fate = fate, Message = message, Within = null };
    }

    private async Task<IReadOnlyList<Proposal>> ChosenAsync(IReadOnlyList<Proposal> proposals, TrialAccount now, CancellationToken stop)
    {
        (TrialAccount last, double? best) = (now, Screening.WorkOf(now));
        var within = new Dictionary<Proposal, double?>(ReferenceEqualityComparer.Instance);
        var search = new SetSearch<Proposal>(AddsAsync, IsNeedlessAsync);
        await search.RunAsync(proposals.Where(p => p.Fate == ProposalFate.InSet).OrderBy(p => p.Measured?.Bill.Change ?? 0));
        return [.. proposals.Select(Judged)];

        Proposal Judged(Proposal p) => p.Fate != ProposalFate.InSet ? p
            : search.Set.Contains(p, ReferenceEqualityComparer.Instance) ? p with { Within = within.GetValueOrDefault(p) }
            : p with
            {
                Fate = ProposalFate.Needless,
                Message = search.Needless.Contains(p, ReferenceEqualityComparer.Instance) ? "The others of the set make it needless."
                    : p.Kind == ProposalKind.Drop ? "Beside the others of the set it costs: a statement needs it there." : "Beside the others of the set it does not save.",
            };

        // One more or less is seen by the statements that it can alter; the others are as they were last.
        async Task<TrialAccount> SeeAsync(IEnumerable<Proposal> set, Proposal one)
        {
            TrialAccount seen = await _look.SeeAsync(ChangeOf(set), stop, only: one.Statements);
            var anew = seen.Lines.GroupBy(l => l.Brief.Statement).ToDictionary(g => g.Key, g => new Queue<Line>(g));
            return seen.Refusal is not null ? seen : last with { Lines = [.. last.Lines.Select(l => anew.TryGetValue(l.Brief.Statement, out Queue<Line>? next) && next.TryDequeue(out Line? other) ? other : l)] };
        }

        async Task<bool> AddsAsync(IReadOnlyList<Proposal> set, Proposal one)
        {
            if (one.Kind.IsOtherWords() && set.Any(p => p.Kind.IsOtherWords() && p.Statements[0] == one.Statements[0]))
            {
                return false;
            }

            told($"trying it beside the others: {one.Title}");
            TrialAccount beside = await SeeAsync(set.Append(one), one);
            double? work = Screening.WorkOf(beside);

            // Other words are of one statement alone.
            bool adds = beside.Refusal is null && (one.Kind.IsOtherWords() ? Screening.EffortRatioOf(last, beside, one.Statements[0]) is { } ratio && ratio < MostWorkOf(one)
                : work is not null && (best is not { } least || work <= least * (one.Kind is ProposalKind.Drop or ProposalKind.Setting ? Screening.AsMuch : 1)));
            within[one] = Fall(best, work);
            (last, best) = adds ? (beside, work) : (last, best);
            return adds;
        }

        async Task<bool> IsNeedlessAsync(IReadOnlyList<Proposal> others, Proposal one)
        {
            // What a setting spares is in no counter of work, and was measured.
            if (one.Kind is ProposalKind.Drop or ProposalKind.Setting)
            {
                return false;
            }

            told($"trying the others without it: {one.Title}");
            TrialAccount without = await SeeAsync(others, one);
            double? work = Screening.WorkOf(without);
            bool needless = without.Refusal is null && (one.Kind.IsOtherWords() ? Screening.EffortRatioOf(without, last, one.Statements[0]) is { } ratio && ratio >= MostWorkOf(one) : work is not null && work <= best);
            within[one] = Fall(work, best);
            (last, best) = needless ? (without, work) : (last, best);
            return needless;
        }
    }

    /// <summary>What other words save is seen in their work; what fewer round trips save is not, and was measured.</summary>
    private static double MostWorkOf(Proposal proposal) => proposal.Kind == ProposalKind.Unit ? RewriteSearch.WorthFewerTrips : Screening.SavesFrom;

    private static double? Fall(double? without, double? with) => without is > 0 and { } high && with is { } low ? (high - low) / high : null;

    /// <summary>What alters the schema comes before what puts statements into other words.</summary>
    private static string ChangeOf(IEnumerable<Proposal> proposals) => string.Join('\n', proposals.OrderBy(p => p.Kind.IsOtherWords()).Select(p => p.Sql));
}
