using SwiftLedger.Bench;
using SwiftLedger.Bench.Proposals;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Looks for what to change, one search after the other, and measures what was found by trials of the book.</summary>
public sealed class ProposalDesk(
    LedgerHome home, BookStore books, ProposalStore proposals, TrialStore trials, TrialDesk trialDesk, TrialFeed feed, SubjectPasswords passwords, ILogger<ProposalDesk> log) : TurnsDesk(log)
{
    private const int LongestTitle = 200;

    private volatile Running? _running;

    /// <summary>What a search is at, and the trial that it waits for; null where it does not run.</summary>
    public (string Told, int? Number, long? Trial)? AtOf(long search) => _running is { } running && running.Search == search ? (running.Told, running.Number, running.Trial) : null;

    /// <summary>How many searches come before this one.</summary>
    public int Ahead(ProposalSearchRecord search) => search.State != TrialState.Waiting ? 0 : proposals.Waiting().Count(s => s.Id < search.Id) + (_running is null ? 0 : 1);

    /// <summary>Ends a search that waits or runs; what it found and measured stays.</summary>
    public void Cancel(ProposalSearchRecord search)
    {
        if (!Stop(search.Id))
        {
            proposals.End(search.Id, TrialState.Cancelled, "It had not begun.");
        }
    }

    /// <summary>What a search found, and of each whether somebody turned it down.</summary>
    public IReadOnlyList<Proposal> ProposalsOf(ProposalSearchRecord search)
    {
        IReadOnlyList<TurnedDownRecord> down = proposals.TurnedDown(search.BookId);
        return [.. proposals.Proposals(search.Id).Select(p => down.FirstOrDefault(d => d.Covers(p)) is { } by ? p with { Fate = ProposalFate.TurnedDown, Message = $"{by.Author}, {by.At[..10]}: {by.Why}" } : p)];
    }

    protected override IEnumerable<long> Resume()
    {
        IReadOnlyList<ProposalSearchRecord> interrupted = proposals.InterruptRunning("The server ended while this search ran. What had been found and measured is kept.");
        LeftOvers.Sweep(interrupted.Select(s => books.Find(s.BookId)?.Subject), passwords, home, log);
        return proposals.Waiting().Select(s => s.Id);
    }

    protected override Task RunAsync(long id, CancellationToken stop, CancellationToken stopping) =>
        proposals.Find(id) is { State: TrialState.Waiting } search && books.Find(search.BookId) is { Subject: { } subject } ? RunAsync(search, subject, stop, stopping) : Task.CompletedTask;

    private async Task RunAsync(ProposalSearchRecord search, string subject, CancellationToken stop, CancellationToken stopping)
    {
        _running = new(search.Id, "beginning", null, null);
        try
        {
            if (!proposals.Start(search.Id))
            {
                return;
            }

            string address = passwords.ForConnecting(subject);
            ProposalsAsked asked = search.Wants;
            TrialOptions access = await CopyAccess.OfAsync(address, asked.TrustSql, "Proposals are tried on private copies", stop);
            TrialOptions options = access with { MaxSeconds = asked.MaxSeconds, StatementSeconds = asked.StatementSeconds, Quick = true };
            JobRefused? refusal = search.Step.Try ? await TryAsync(search, address, options, stop) : await FindAsync(search, address, options, stop);
            proposals.End(search.Id, refusal is null ? TrialState.Finished : TrialState.Refused, refusal is null ? null : string.Join(' ', refusal.Problems.Select(p => p.Message)));
        }
        catch (OperationCanceledException) when (!stopping.IsCancellationRequested)
        {
            proposals.End(search.Id, TrialState.Cancelled, "The copies are removed; what had been found and measured is kept.");
        }
        catch (OperationCanceledException)
        {
            proposals.End(search.Id, TrialState.Interrupted, "The server was stopped while this search ran. What had been found and measured is kept.");
        }
        catch (SubjectException e)
        {
            proposals.End(search.Id, TrialState.Refused, e.Problem.Message);
        }
        catch (Exception e) when (e is BenchProcessException or IOException or UnauthorizedAccessException)
        {
            log.LogWarning("Search {Search}: {Message}", search.Id, e.Message);
            proposals.End(search.Id, TrialState.Interrupted, e.Message);
        }
        finally
        {
            _running = null;
        }
    }

    private async Task<JobRefused?> FindAsync(ProposalSearchRecord search, string address, TrialOptions options, CancellationToken stop)
    {
        ProposalsFound found = await new ProposalSearch(home, address, search.Workload, options, search.Wants.Kinds, told => Told(search.Id, told)).FindAsync(stop);
        proposals.KeepFound(search.Id, found.Proposals, found.Notes);
        return found.Refusal;
    }

    private async Task<JobRefused?> TryAsync(ProposalSearchRecord search, string address, TrialOptions options, CancellationToken stop)
    {
        IReadOnlySet<int>? wanted = search.Step.Numbers?.ToHashSet();
        var measuring = new ProposalMeasuring(home, address, search.Workload, options, search.Wants.Limits, (one, end) => TrialAsync(search, one, end), told => Told(search.Id, told));
        IReadOnlyList<Proposal> found = [.. ProposalsOf(search).Select((p, n) => Anew(p, n, wanted))];
        IReadOnlyList<Proposal> measured = await measuring.EachAsync(found, wanted, (number, p) => Keep(search, number, p), stop);
        if (wanted is not null)
        {
            return null;
        }

        ProposalsFound together = await measuring.TogetherAsync(measured, stop);
        for (int n = 0; n < together.Proposals.Count; n++)
        {
            // What somebody turned down keeps what its trial told.
            if (together.Proposals[n].Fate != ProposalFate.TurnedDown)
            {
                proposals.Keep(search.Id, n, together.Proposals[n]);
            }
        }

        proposals.KeepTogether(search.Id, together.Set, [.. search.LeftOut.Where(n => !n.StartsWith(ProposalMeasuring.Together, StringComparison.Ordinal)), .. together.Notes]);
        return together.Refusal;
    }

    /// <summary>One that could not be measured, or went beyond the limits, is tried again when it is asked for.</summary>
    private static Proposal Anew(Proposal proposal, int number, IReadOnlySet<int>? wanted) =>
        proposal is { Fate: ProposalFate.Failed or ProposalFate.BeyondLimit, Measured: null } || (wanted?.Contains(number) == true && proposal.Fate is ProposalFate.NotTold && proposal.Statements.Count > 0)
            ? proposal with { Fate = ProposalFate.Open, Message = "" } : proposal;

    private void Keep(ProposalSearchRecord search, int number, Proposal proposal)
    {
        proposals.Keep(search.Id, number, proposal);
        if (proposal.Fate == ProposalFate.InSet)
        {
            // The set is another one now.
            proposals.KeepTogether(search.Id, null, (proposals.Find(search.Id) ?? search).LeftOut);
        }
    }

    private void Told(long search, string told) => _running = new(search, told, null, null);

    /// <summary>A trial of the book, by the desk that all trials wait at; one that was made before the server ended is not made twice.</summary>
    private async Task<TrialMade> TrialAsync(ProposalSearchRecord search, TrialWanted wanted, CancellationToken stop)
    {
        // One that has told already is asked for again because it told too little.
        Proposal? kept = wanted.Proposal is { } number ? proposals.Proposals(search.Id)[number] : null;
        TrialRecord trial = kept is { Trial: { } before, Measured: null } && trials.Find(before) is { State: TrialState.Waiting or TrialState.Running or TrialState.Finished } old
            && old.ChangeText == wanted.Change && old.Workload == search.Workload ? old : Add(search, wanted);
        try
        {
            await foreach (News news in feed.WatchAsync(trial.Id, stop))
            {
                if (news.Kind is "hello" or "trial" && trials.Find(trial.Id) is not { State: TrialState.Waiting or TrialState.Running })
                {
                    break;
                }
            }
        }
        catch (OperationCanceledException) when (trials.Find(trial.Id) is { } left)
        {
            trialDesk.Cancel(left);
            throw;
        }

        return trials.Find(trial.Id) is not { } ended ? new(null, "Its trial was deleted.", null)
            : ended.State == TrialState.Finished ? new(trialDesk.AccountOf(ended), null, ended.Id)
            : new(null, $"Its trial did not come to its end. {ended.Message}".TrimEnd(), ended.Id);
    }

    private TrialRecord Add(ProposalSearchRecord search, TrialWanted wanted)
    {
        string title = $"Proposal: {wanted.Title}";
        TrialRecord trial = trials.Add(search.BookId, null, title.Length > LongestTitle ? title[..LongestTitle] : title, search.Workload, wanted.Change, wanted.Options);
        proposals.KeepTrial(search.Id, wanted.Proposal, trial.Id);
        _running = new(search.Id, $"measuring: {wanted.Title}", wanted.Proposal, trial.Id);
        trialDesk.Enqueue(trial.Id);
        return trial;
    }

    private sealed record Running(long Search, string Told, int? Number, long? Trial);
}
