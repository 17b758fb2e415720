using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Runs the waiting rehearsals one after the other, and keeps what they tell as they tell it.</summary>
public sealed class RehearsalDesk(LedgerHome home, BookStore books, RehearsalStore rehearsals, SubjectPasswords passwords, ILogger<RehearsalDesk> log) : TurnsDesk(log)
{
    private volatile Running? _running;
    private volatile Shown? _shown;

    /// <summary>Whether one runs.</summary>
    public bool IsRunning => _running is not null;

    /// <summary>What is known of a rehearsal that runs; null where it does not.</summary>
    public RehearsalAccount? AccountOf(long rehearsal) => _running is { } running && running.Rehearsal == rehearsal ? running.Account : null;

    /// <summary>How many rehearsals come before this one.</summary>
    public int Ahead(RehearsalRecord rehearsal) => rehearsal.State != TrialState.Waiting ? 0 : rehearsals.Waiting().Count(s => s.Id < rehearsal.Id) + (_running is null ? 0 : 1);

    /// <summary>Ends a rehearsal that waits or runs; what it measured stays.</summary>
    public void Cancel(RehearsalRecord rehearsal)
    {
        if (Stop(rehearsal.Id))
        {
            return;
        }

        if (rehearsal.StartedAt is not null && books.Find(rehearsal.BookId) is { Subject: { } subject })
        {
            End(rehearsals.Account(rehearsal, KnownEngines.OfSubject(subject)), rehearsal, subject, TrialState.Cancelled, "It had not been carried on yet; what had been measured is kept.");
        }
        else
        {
            rehearsals.End(rehearsal.Id, TrialState.Cancelled, "It had not begun.");
        }
    }

    protected override IEnumerable<long> Resume()
    {
        IReadOnlyList<RehearsalRecord> interrupted = rehearsals.InterruptRunning("The server ended while this rehearsal ran. What had been measured is kept.");
        LeftOvers.Sweep(interrupted.Select(s => books.Find(s.BookId)?.Subject), passwords, home, log);
        foreach (RehearsalRecord cut in interrupted)
        {
            if (books.Find(cut.BookId) is { Subject: { } subject } && rehearsals.Account(cut, KnownEngines.OfSubject(subject)) is { Stints.Count: > 0 } account)
            {
                if (GoesOn(account))
                {
                    rehearsals.CarryOn(cut.Id, account.NextLeg.Pair);
                    continue;
                }

                RehearsalDocument document = DocumentOf(account, cut, subject, "interrupted");
                rehearsals.Settle(cut.Id, document.Headline, document.ToJson());
            }
        }

        return rehearsals.Waiting().Select(r => r.Id);
    }

    protected override Task RunAsync(long id, CancellationToken stop, CancellationToken stopping) =>
        rehearsals.Find(id) is { State: TrialState.Waiting } rehearsal && books.Find(rehearsal.BookId) is { Subject: { } subject } ? RunAsync(rehearsal, subject, stop, stopping) : Task.CompletedTask;

    /// <summary>Whether a soak is carried on: there is time left, and it measured something since it was last carried on. One that ends its server each time is not.</summary>
    private static bool GoesOn(RehearsalAccount account) => account.Brief.Options is { Soak: true, MaxSeconds: { } most } && account.Done is null && account.NextLeg.Seconds < most
        && account.NextLeg.Pair > (account.Resumed is [.., var last] ? last.BeforePair : 0);

    /// <summary>
    /// The result of one that runs, made once a stint however many look at it: it shares the processors with what is measured. Of many stints it is made when a twentieth
    /// more have come. Null while there is nothing, or it does not run.
    /// </summary>
    public RehearsalDocument? ShownOf(RehearsalRecord rehearsal, string subject)
    {
        if (AccountOf(rehearsal.Id) is not { } account || (account.Stints.Count == 0 && account.Capacity is null))
        {
            return null;
        }

        if (_shown is { } shown && shown.Rehearsal == rehearsal.Id && account.Stints.Count - shown.Stints.Count <= shown.Stints.Count / 20 && ReferenceEquals(shown.Capacity, account.Capacity))
        {
            return shown.Document;
        }

        RehearsalDocument document = DocumentOf(account, rehearsal, subject, "running");
        _shown = new(rehearsal.Id, account.Stints, account.Capacity, document);
        return document;
    }

    /// <summary>The result of a rehearsal as it stands.</summary>
    public static RehearsalDocument DocumentOf(RehearsalAccount account, RehearsalRecord rehearsal, string subject, string state) =>
        RehearsalDocument.Of(account, KnownEngines.Shown(subject), rehearsal.Load, rehearsal.Change, state, rehearsal.StartedAt ?? rehearsal.CreatedAt);

    private async Task RunAsync(RehearsalRecord rehearsal, string subject, CancellationToken stop, CancellationToken stopping)
    {
        RehearsalBrief brief = RehearsalBrief.Read(rehearsal.Load, rehearsal.Change, KnownEngines.OfSubject(subject), RehearsalStore.OptionsOf(rehearsal.Options)).Value;
        RehearsalAccount? before = rehearsal.StartedAt is null ? null : rehearsals.Account(rehearsal, KnownEngines.OfSubject(subject));
        _running = new(rehearsal.Id, before ?? new(brief, []));
        try
        {
            if (!rehearsals.Start(rehearsal.Id))
            {
                return;
            }

            string address = passwords.ForConnecting(subject);
            TrialOptions access = await CopyAccess.OfAsync(address, rehearsal.Trusted, "A rehearsal writes to private copies", stop)
                with
            { Seed = RehearsalStore.OptionsOf(rehearsal.Options).Seed };
            RehearsalAccount account = await new RehearsalRunner(home).RunAsync(
                address, rehearsal.Load, rehearsal.Change, brief, access,
                (happened, now) =>
                {
                    rehearsals.Tell(rehearsal.Id, happened);
                    _running = new(rehearsal.Id, now);
                },
                leftOver: left => log.LogWarning("{Message}", left), before: before, stop: stop);
            if (account.Refusal is { } refusal)
            {
                rehearsals.End(rehearsal.Id, TrialState.Refused, string.Join(' ', refusal.Problems.Select(Told)));
                return;
            }

            End(rehearsal, subject, TrialState.Finished, null);
        }
        catch (OperationCanceledException) when (!stopping.IsCancellationRequested)
        {
            End(rehearsal, subject, TrialState.Cancelled, "The copies are removed; what had been measured is kept.");
        }
        catch (OperationCanceledException) when (GoesOn(_running.Account))
        {
            log.LogInformation("Rehearsal {Rehearsal} is carried on when the server starts again.", rehearsal.Id);
        }
        catch (OperationCanceledException)
        {
            End(rehearsal, subject, TrialState.Interrupted, "The server was stopped while this rehearsal ran. What had been measured is kept.");
        }
        catch (SubjectException e)
        {
            rehearsals.End(rehearsal.Id, TrialState.Refused, e.Problem.Message);
        }
        catch (Exception e) when (e is BenchProcessException or IOException or UnauthorizedAccessException)
        {
            log.LogWarning("Rehearsal {Rehearsal}: {Message}", rehearsal.Id, e.Message);
            End(rehearsal, subject, TrialState.Interrupted, e.Message);
        }
        finally
        {
            _running = null;
            _shown = null;
        }
    }

    private static string Told(InputProblem problem) => problem.Part switch
    {
        InputPart.Workload => problem.Describe("The load"),
        InputPart.Change => problem.Describe("The change"),
        _ => problem.Message,
    };

    private void End(RehearsalRecord rehearsal, string subject, TrialState state, string? message) => End(_running!.Account, rehearsal, subject, state, message);

    private void End(RehearsalAccount account, RehearsalRecord rehearsal, string subject, TrialState state, string? message)
    {
        bool measured = account.Stints.Count > 0 || account.Capacity is not null;
        RehearsalDocument document = DocumentOf(account, rehearsal, subject, TrialStore.NameOf(state));
        rehearsals.End(rehearsal.Id, state, message ?? (measured ? null : account.Done?.Problem), measured ? document.Headline : null, measured ? document.ToJson() : null);
    }

    private sealed record Shown(long Rehearsal, IReadOnlyList<Stint> Stints, CapacityAccount? Capacity, RehearsalDocument Document);

    private sealed record Running(long Rehearsal, RehearsalAccount Account);
}
