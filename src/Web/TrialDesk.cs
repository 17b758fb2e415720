using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using SwiftLedger.Bench;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>Runs the waiting trials one after the other, keeps what they tell, and tells it on.</summary>
public sealed class TrialDesk(LedgerHome home, BookStore books, TrialStore trials, SubjectPasswords passwords, TrialFeed feed, ILogger<TrialDesk> log) : TurnsDesk(log)
{
    private const int AccountsKept = 16, MostStemsMade = 100;

    private readonly ConcurrentDictionary<long, TrialAccount> _settled = new();
    private volatile Running? _running;

    /// <summary>The trial that is measured now.</summary>
    public long? Current => _running?.Trial;

    /// <summary>How many trials come before this one.</summary>
    public int Ahead(TrialGlance trial) => trial.State != TrialState.Waiting ? 0
        : trials.Waiting().Count(t => t.Id < trial.Id) + (_running is null ? 0 : 1);

    /// <summary>Cancels a trial that waits or runs.</summary>
    /// <returns>False where it has ended already.</returns>
    public bool Cancel(TrialRecord trial)
    {
        // One that has ended may still be putting its things away.
        if (trial.State is TrialState.Waiting or TrialState.Running && Stop(trial.Id))
        {
            return true;
        }

        if (trial.State != TrialState.Waiting)
        {
            return false;
        }

        End(trial.Id, TrialState.Cancelled, "It had not begun.", null);
        return true;
    }

    /// <summary>The account as it stands: live, or read back with what was decided when the trial ended.</summary>
    public TrialAccount AccountOf(TrialRecord trial)
    {
        // What has ended is settled before anybody is told, and its process may still be putting its things away.
        if (_settled.TryGetValue(trial.Id, out TrialAccount? known))
        {
            return known;
        }

        if (_running is { } running && running.Trial == trial.Id)
        {
            return running.Account;
        }

        TrialAccount account = trials.Load(trial);
        account = trials.Settlements(trial.Id) is [{ Decided: var kept }, ..] ? account.As(kept) : account;
        if (trial.State is not (TrialState.Waiting or TrialState.Running))
        {
            Remember(trial.Id, account);
        }

        return account;
    }

    protected override IEnumerable<long> Resume()
    {
        home.SweepCopies();
        SweepServers(trials.InterruptRunning("The server ended while this trial ran. What had been measured is kept; run it again for verdicts on the rest."));
        foreach (TrialRecord open in trials.Undecided())
        {
            if (Settlement.Of(trials.Load(open).Settled()) is { } decided)
            {
                trials.Settle(open.Id, decided);
            }
        }

        foreach (TrialRecord old in trials.WithoutStems(MostStemsMade))
        {
            TrialAccount account = AccountOf(old);
            trials.KeepStems(old.Id, Stem.Of(account.Lines, Bill.Of(account.Lines, account.Brief.Options.Seed)));
        }

        return trials.Waiting().Select(t => t.Id);
    }

    protected override Task RunAsync(long id, CancellationToken stop, CancellationToken stopping) =>
        trials.Find(id) is { State: TrialState.Waiting } trial && books.Find(trial.BookId) is { } book ? RunAsync(trial, book, stop, stopping) : Task.CompletedTask;

    private void SweepServers(IReadOnlyList<TrialRecord> interrupted) =>
        LeftOvers.Sweep(interrupted.SelectMany(t => new[] { books.Find(t.BookId)?.Subject, TrialStore.OptionsOf(t).Dump?.On }), passwords, home, log);

    private async Task RunAsync(TrialRecord trial, BookRecord book, CancellationToken stop, CancellationToken stopping)
    {
        TrialBrief brief = TrialBrief.Read(trial.Workload, trial.ChangeText, TrialStore.OptionsOf(trial)).Value;
        _running = new(trial.Id, TrialAccount.Open(brief));
        try
        {
            if (!trials.Start(trial.Id))
            {
                return;
            }

            feed.Tell(trial.Id, new("trial", new { state = TrialState.Running }));
            string subject = passwords.ForConnecting(book.Subject ?? throw new InvalidOperationException("A trial's book has a subject."));
            string? other = brief.Options.OtherAddress is { } second ? passwords.ForConnecting(second) : null;
            TrialAccount account = await new TrialRunner(home).RunAsync(
                subject, trial.Workload, trial.ChangeText, brief, (happened, now) => Observe(trial.Id, happened, now),
                leftOver: left => log.LogWarning("Trial {Trial}: {Message}", trial.Id, left), otherAddress: other, stop: stop);
            End(trial.Id, account.Refusal is null ? TrialState.Finished : TrialState.Refused,
                account.Refusal?.Problems[0].Message, account);
        }
        catch (OperationCanceledException) when (!stopping.IsCancellationRequested)
        {
            End(trial.Id, TrialState.Cancelled, "What had been measured is kept, and the copies are removed.", _running?.Account.Settled());
        }
        catch (OperationCanceledException)
        {
            End(trial.Id, TrialState.Interrupted, "The server was stopped while this trial ran.", _running?.Account.Settled());
        }
        catch (BenchProcessException e)
        {
            log.LogWarning("Trial {Trial}: {Message}", trial.Id, e.Message);
            End(trial.Id, TrialState.Interrupted, e.Message, _running?.Account.Settled());
        }
        catch (Exception e) when (e is SqliteException or IOException or UnauthorizedAccessException)
        {
            string message = e is SqliteException s ? LedgerException.Of(s).Message : e.Message;
            log.LogError("Trial {Trial}: {Message}", trial.Id, message);
            EndWhereTheLedgerCan(trial.Id, message);
        }
        finally
        {
            _running = null;
            feed.Tell(trial.Id, new("trial", new { state = "ended" }));
        }
    }

    /// <summary>A ledger that cannot be written keeps the trial as running; the next start tells it as interrupted.</summary>
    private void EndWhereTheLedgerCan(long trial, string message)
    {
        try
        {
            End(trial, TrialState.Interrupted, message, _running?.Account.Settled());
        }
        catch (SqliteException)
        {
            feed.Tell(trial, new("trial", new { state = TrialState.Interrupted }));
        }
    }

    private void Observe(long trial, BenchEvent happened, TrialAccount account)
    {
        trials.Keep(trial, happened, account.Confirming ? 2 : 1);
        int? touched = happened switch
        {
            LineInspected i => i.Line,
            BlocksMeasured m => m.Line,
            LineEnded e => e.Line,
            _ => null,
        };
        if (touched is { } number && account.Find(number) is { } line)
        {
            // Only a line that has just ended is decided anew; the others keep what they have.
            Decision? decision = line.Evidence.End is null ? null : line.Decision ?? VerdictRule.Decide(line);
            Line decided = line with { Decision = happened is BlocksMeasured && account.Confirming ? null : decision };
            feed.Tell(trial, new("line", LineView.Of(decided, TrialState.Running)));
        }

        _running = new(trial, account);
        if (account.Stage is { } stage && happened is StageReached or LineEnded)
        {
            feed.Tell(trial, new("stage", TrialPage.StageOf(account, stage)));
        }
    }

    /// <summary>Decides a trial that has ended by today's rules, beside what was decided before.</summary>
    public void DecideAnew(TrialRecord trial)
    {
        if (Settlement.Of(trials.Load(trial).Settled()) is { } decided)
        {
            trials.Settle(trial.Id, decided);
        }
    }

    private void End(long trial, TrialState state, string? message, TrialAccount? account)
    {
        if (account is not null)
        {
            Remember(trial, account);
        }

        trials.End(trial, state, message, account is null ? null : Settlement.Of(account));

        feed.Tell(trial, new("trial", new { state }));
    }

    private void Remember(long trial, TrialAccount account)
    {
        if (_settled.Count >= AccountsKept)
        {
            _settled.TryRemove(_settled.Keys.Min(), out _);
        }

        _settled[trial] = account;
    }

    private sealed record Running(long Trial, TrialAccount Account);
}
