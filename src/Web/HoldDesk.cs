using System.Collections.Concurrent;
using System.Globalization;
using SwiftLedger.Bench;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Holds;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>A statement that left its standing plan.</summary>
/// <param name="Pattern">As the daybook knows it.</param>
/// <param name="Turn">What was seen.</param>
/// <param name="Factor">That was asked for.</param>
internal sealed record Turned(PatternRecord Pattern, PlanTurn Turn, double Factor);

/// <summary>Watches standing plans as captures come in: a plan that got dearer by its factor brings the statement's fall-back into force, which is released when it does not help or the real fix is live.</summary>
internal sealed class HoldDesk(
    LedgerDatabase ledger, HoldStore holds, PlanStore plans, PlanUseStore uses, DaybookStore daybook, DeploymentStore deployments, EntryStore entries, BookStore books, SubjectPasswords passwords, CheckProcess checker, TrialStore kept, TrialDesk trials, RehearsalDesk rehearsals,
    ILogger<HoldDesk> log) : RestingDesk(ledger, TimeSpan.FromSeconds(1), "holds", trials, rehearsals, log)
{
    /// <summary>So many times as long is dearer, where no fall-back says otherwise.</summary>
    public const double UsualFactor = 1.5;

    private const int MostMinutes = 7 * 1_440;

    private readonly TrialDesk _trials = trials;

    // A text that cannot be prepared any more is told once, not at each look.
    private readonly ConcurrentDictionary<long, string> _unfit = new();

    // What is computed of a pattern's minutes is the same until more of them come.
    private readonly ConcurrentDictionary<(long Book, ulong Hash), (string State, Turned? Turned)> _turns = new();

    private readonly FoundBefore<long, IReadOnlyList<Turned>> _turned = new();

    /// <summary>Why a fall-back cannot come into force; null where nothing is known against it.</summary>
    public string? UnfitFor(long fallback) => _unfit.GetValueOrDefault(fallback);

    protected override IReadOnlyList<long> Books() => holds.Books();

    /// <summary>Looks at each fall-back of a book.</summary>
    protected override void Look(long book)
    {
        IReadOnlyList<HoldRecord> past = holds.Holds(book);
        Dictionary<long, HoldRecord> inForce = past.Where(h => h.ReleasedAt is null).ToDictionary(h => h.Pattern);
        IReadOnlyDictionary<ulong, string> standing = plans.StandingShapes(book);
        var seen = new Captured(daybook, book);
        var ledger = new Lazy<IReadOnlyList<EntryAccount>>(() => entries.Read(book).Accounts);
        List<FallbackRecord> kept = [.. holds.Fallbacks(book).Where(f => f.DroppedAt is null)];
        Dictionary<ulong, Turned> turns = Turns(seen, [.. kept.Where(f => !inForce.ContainsKey(f.Pattern)).Select(f => (Hash: unchecked((ulong)f.Pattern), f.Factor)).Where(f => standing.ContainsKey(f.Hash)).Select(f => (f.Hash, standing[f.Hash], f.Factor))]).ToDictionary(t => t.Pattern.Hash);
        foreach (FallbackRecord fallback in kept)
        {
            if (inForce.TryGetValue(fallback.Pattern, out HoldRecord? hold))
            {
                Verify(seen, ledger, fallback, hold);
            }
            else if (turns.GetValueOrDefault(unchecked((ulong)fallback.Pattern)) is { Turn.Course: TurnCourse.Dearer } turned && !WasTried(past, fallback, turned.Turn) && IsFit(book, fallback))
            {
                if (holds.Open(fallback, seen.To ?? 0, EntryDesk.Itself, turned.Turn))
                {
                    log.LogInformation("{Statement} of book {Book} is held: {Why}", fallback.Statement, book, HoldWords.Of(turned.Turn, fallback.Factor));
                }
            }
        }
    }

    /// <summary>Statements of a book that left their standing plan, with what that does to them.</summary>
    /// <param name="book">Its number.</param>
    /// <param name="atOnce">Whether only what is true now will do.</param>
    public IReadOnlyList<Turned> TurnedOf(long book, bool atOnce = false)
    {
        if (daybook.Extent(book) is not { } extent)
        {
            return [];
        }

        Dictionary<long, double> factors = holds.Fallbacks(book).Where(f => f.DroppedAt is null).ToDictionary(f => f.Pattern, f => f.Factor);
        (ulong Hash, string Shape, double Factor)[] standing = [.. plans.StandingShapes(book).OrderBy(s => s.Key).Select(s => (s.Key, s.Value, factors.GetValueOrDefault(unchecked((long)s.Key), UsualFactor)))];
        return _turned.Of(book, CapturesState.Of(book, extent, daybook, deployments), string.Join(';', standing), extent.To, atOnce, () => Turns(new(daybook, book), standing));
    }

    /// <summary>Whether a fall-back's text can be prepared: it may name an index that is gone.</summary>
    public bool IsFit(long book, FallbackRecord fallback)
    {
        string? subject = books.Find(book)?.Subject;
        Engine engine = KnownEngines.OfSubject(subject);
        string? complaint = subject is null || engine.Addresses is null ? null : ComplaintOf(engine, passwords.ForConnecting(subject), fallback.Sql);
        if (complaint is null)
        {
            _unfit.TryRemove(fallback.Id, out _);
            return true;
        }

        if (_unfit.GetValueOrDefault(fallback.Id) != complaint)
        {
            _unfit[fallback.Id] = complaint;
            log.LogWarning("{Statement} of book {Book} is not held: its text cannot be prepared: {Message}", fallback.Statement, book, complaint);
        }

        return false;
    }

    /// <summary>What the engine has against a text; null where it has nothing, or cannot be asked.</summary>
    private string? ComplaintOf(Engine engine, string subject, string sql)
    {
        if (SubjectEngines.Of(engine).Server is not { } server)
        {
            return checker.Missing(engine, subject, [sql]) is [var missing, ..] ? missing.Message : null;
        }

        try
        {
            server.Explain(subject, sql);
            return null;
        }
        catch (EngineException e) when (e.Code is not null)
        {
            return e.Message;
        }
        catch (Exception e) when (e is SubjectException or EngineException)
        {
            return null;
        }
    }

    /// <summary>Of some patterns those that left the plan that stands; what is read of the captures is read for all of them at once.</summary>
    private List<Turned> Turns(Captured captured, (ulong Hash, string Shape, double Factor)[] standing)
    {
        (long book, List<long> sources) = (captured.Book, captured.Sources);
        if (captured.To is not { } to || standing.Length == 0)
        {
            return [];
        }

        Dictionary<ulong, PatternRecord> patterns = daybook.PatternsOf(book, [.. standing.Select(s => s.Hash)]).ToDictionary(p => p.Hash);
        IReadOnlyDictionary<long, IReadOnlyList<CapturedPlanRecord>> used = uses.OfPatterns([.. uses.WithSeveral([.. patterns.Values.Select(p => p.Id)])], sources);
        var turned = new List<Turned>();
        var asked = new List<(PatternRecord Pattern, string Shape, double Factor, List<PlanInTime> Plans, string State)>();
        foreach ((ulong hash, string shape, double factor) in standing)
        {
            if (!patterns.TryGetValue(hash, out PatternRecord? pattern) || !used.TryGetValue(pattern.Id, out IReadOnlyList<CapturedPlanRecord>? seen))
            {
                continue;
            }

            List<PlanInTime> plansOf = [.. seen.Select(p => new PlanInTime(p.Shape, [.. p.Hours.Select(h => (h.First, h.Last))]))];
            string state = string.Create(CultureInfo.InvariantCulture, $"{shape} {factor} {to} {seen.Sum(p => p.Hours.Sum(h => h.Calls))}");
            if (_turns.TryGetValue((book, hash), out (string State, Turned? Turned) known) && known.State == state)
            {
                turned.AddRange(known.Turned is { } before ? [before] : Array.Empty<Turned>());
            }
            else if (PlanTurn.IsOff(shape, plansOf))
            {
                asked.Add((pattern, shape, factor, plansOf, state));
            }
            else
            {
                _turns[(book, hash)] = (state, null);
            }
        }

        if (asked.Count > 0)
        {
            IReadOnlyDictionary<long, IReadOnlyList<TimedCell>> minutes = daybook.Cells(sources, new(Stretch.Minute, to - MostMinutes, to), [.. asked.Select(a => a.Pattern.Id)]);
            foreach ((PatternRecord pattern, Turned? turn, string state) in asked.AsParallel().Select(a => (a.Pattern, Of(a.Pattern, a.Shape, a.Factor, a.Plans, minutes[a.Pattern.Id]), a.State)))
            {
                _turns[(book, pattern.Hash)] = (state, turn);
                turned.AddRange(turn is null ? [] : [turn]);
            }
        }

        return turned;
    }

    private static Turned? Of(PatternRecord pattern, string shape, double factor, List<PlanInTime> seen, IReadOnlyList<TimedCell> minutes) =>
        PlanTurn.Of(shape, seen, Timed(minutes), factor, pattern.Hash) is { } turn ? new(pattern, turn, factor) : null;

    private void Verify(Captured captured, Lazy<IReadOnlyList<EntryAccount>> ledger, FallbackRecord fallback, HoldRecord hold)
    {
        long book = captured.Book;
        if (FixOf(book, ledger.Value, fallback, hold) is { } fix)
        {
            End(book, fallback, hold, fix);
            return;
        }

        if (captured.To is not { } to || daybook.Pattern(book, unchecked((ulong)fallback.SqlPattern)) is not { } held || daybook.Pattern(book, unchecked((ulong)fallback.Pattern)) is not { } original)
        {
            return;
        }

        // By the daybook's own time: of what was executed in the minute of the hold nobody knows which it was.
        List<long> sources = captured.Sources;
        int since = hold.Seen?.Since ?? hold.OpenedMinute - MostMinutes;
        HoldEffect? effect = PlanTurn.Effect(Minutes(sources, original.Id, since, hold.OpenedMinute), Minutes(sources, held.Id, hold.OpenedMinute, to), unchecked((ulong)fallback.Pattern));
        if (effect is null || effect == hold.Brought)
        {
            return;
        }

        holds.Settle(hold.Id, effect.Course == TurnCourse.Cheaper ? HoldState.InForce : hold.State, effect);
        if (effect.Course is TurnCourse.Level or TurnCourse.Dearer && hold.Seen is not null)
        {
            End(book, fallback, hold, HoldWords.Of(effect));
        }
    }

    private void End(long book, FallbackRecord fallback, HoldRecord hold, string why)
    {
        if (holds.Release(book, hold.Id, why))
        {
            log.LogInformation("{Statement} of book {Book} is no longer held: {Why}", fallback.Statement, book, why);
        }
    }

    /// <summary>Whether the trial of an entry found a statement improved: by work alone it promises no time, and mends it all the same.</summary>
    private bool IsImproved(long book, Entry entry, string hash) =>
        entry.Trial is { } id && kept.Find(id) is { } trial && trial.BookId == book && trial.ChangeText == entry.Change
        && _trials.AccountOf(trial).Lines.Where(l => l.Brief.Pattern == hash).ToList() is { Count: > 0 } cases && cases.Exists(l => l.Decision?.Verdict == Verdict.Improved) && cases.TrueForAll(l => l.Decision?.Verdict is Verdict.Improved or Verdict.Level);

    /// <summary>The entry that is live since the hold and speaks of the statement, in a sentence; null for none.</summary>
    private string? FixOf(long book, IReadOnlyList<EntryAccount> ledger, FallbackRecord fallback, HoldRecord hold)
    {
        // Both by the daybook's time: a log may be read long after what it tells of.
        string hash = SqlPattern.NameOf(unchecked((ulong)fallback.Pattern)), opened = Iso.Of(Stretches.TimeOf(hold.OpenedMinute));
        return ledger.FirstOrDefault(e => e.State is EntryState.Deployed or EntryState.Reconciled && e.Deployment is { } live && string.CompareOrdinal(live.At, opened) > 0
            && (e.Begun.Promises.Any(p => p.Pattern == hash) || IsImproved(book, e.Begun, hash))) is { } fix ? string.Create(CultureInfo.InvariantCulture, $"The fix is live: entry {fix.Begun.Number}, {fix.Begun.Title}.") : null;
    }

    /// <summary>Whether the same turn was held before: what did not help, or was ended by hand, is not begun anew by itself.</summary>
    private static bool WasTried(IReadOnlyList<HoldRecord> past, FallbackRecord fallback, PlanTurn turn) =>
        past.Any(h => h.FallbackId == fallback.Id && h.Seen is { } seen && seen.Now == turn.Now && seen.Since == turn.Since);

    /// <summary>What a book's captures are, read once for all of its statements.</summary>
    private sealed class Captured(DaybookStore daybook, long book)
    {
        public long Book => book;

        public List<long> Sources { get; } = [.. daybook.Sources(book).Select(s => s.Id)];

        /// <summary>The minute behind the last; null without captures.</summary>
        public int? To { get; } = daybook.Extent(book)?.To;
    }

    private List<TimedMinute> Minutes(List<long> sources, long pattern, int from, int to) =>
        to <= from ? [] : Timed(daybook.Cells(sources, new(Stretch.Minute, from, to), [pattern])[pattern]);

    private static List<TimedMinute> Timed(IReadOnlyList<TimedCell> cells) => [.. cells.Where(c => c.Cell.Durations.Count > 0).Select(c => new TimedMinute(c.Minute, c.Cell.Durations, c.Cell.TotalTicks))];
}
