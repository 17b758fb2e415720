using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>
/// What one session does in a stint. Arrivals are claimed in their order by whichever session is free, and latency counts from when an arrival was
/// due: an arrival that finds all sessions busy waits, and its wait is told.
/// </summary>
/// <param name="session">Executes.</param>
/// <param name="clock">Of the stint.</param>
/// <param name="log">Takes what was executed.</param>
public sealed class SessionLoop(ILoadSession session, ILoadClock clock, ExecutionLog log)
{
    /// <summary>A task that has to begin anew does so this often, at once; then it counts as failed.</summary>
    public const int MostRetries = 5;

    private SqlValue[] _values = [];
    private int _inTransaction;
    private bool _lost;

    /// <summary>Sends to the end of the turn.</summary>
    /// <param name="turn">Shared with the other sessions of the part.</param>
    /// <param name="number">This session's number in its part, from 0.</param>
    /// <param name="lastStart">Arrivals that could not begin by then, in nanoseconds of the stint, are given up.</param>
    public void Run(PartTurn turn, int number, long lastStart)
    {
        if (turn.Recorded is { } recorded)
        {
            RunRecorded(turn, recorded[number], lastStart);
        }
        else if (turn.Due is { } due)
        {
            RunOpen(turn, due, lastStart);
        }
        else
        {
            RunClosed(turn, number);
        }

        if (_inTransaction > 0 && !_lost)
        {
            session.Commit();
            _inTransaction = 0;
        }
    }

    private void RunOpen(PartTurn turn, long[] due, long lastStart)
    {
        while (!_lost)
        {
            int i = turn.Claim();
            if (i >= due.Length || clock.IsBrokenOff)
            {
                return;
            }

            var random = new SplitMix(PartTurn.SeedOf(turn.Seed, i));
            LoadTask task = Drawn(turn, ref random);
            bool free = clock.Now <= due[i];
            if (free)
            {
                clock.SleepUntil(due[i]);
            }

            if (clock.Now > lastStart || clock.IsBrokenOff)
            {
                log.Abandon();
                continue;
            }

            Execute(turn.Part, task, due[i], free);
        }
    }

    /// <summary>One session's executions in their order: each waits for those before it, as it did, and its latency counts from when it came.</summary>
    private void RunRecorded(PartTurn turn, IReadOnlyList<(long Due, RecordedArrival Arrival)> mine, long lastStart)
    {
        for (int i = 0; i < mine.Count && !_lost && !clock.IsBrokenOff; i++)
        {
            (long due, RecordedArrival arrival) = mine[i];
            LoadTask task = turn.Part.Tasks[arrival.Task];
            var random = new SplitMix(PartTurn.SeedOf(turn.Seed, i));
            Fill(task, ref random, turn.Counters);
            for (int v = 0; v < arrival.Values.Length; v++)
            {
                _values[v] = arrival.Values[v] ?? _values[v];
            }

            bool free = clock.Now <= due;
            if (free)
            {
                clock.SleepUntil(due);
            }

            if (clock.Now > lastStart || clock.IsBrokenOff)
            {
                log.Abandon();
            }
            else if (arrival.Transaction == 0)
            {
                Execute(turn.Part, task, due, free);
            }
            else if (!ExecuteOfTransaction(turn.Part, mine, i, free))
            {
                // What the transaction still held is lost with it.
                while (i + 1 < mine.Count && mine[i + 1].Arrival.Transaction == arrival.Transaction)
                {
                    i++;
                }
            }
        }
    }

    /// <summary>Opens the transaction where this is its first execution here, and commits it behind its last.</summary>
    /// <returns>Whether it goes on, or is committed.</returns>
    private bool ExecuteOfTransaction(LoadPart part, IReadOnlyList<(long Due, RecordedArrival Arrival)> mine, int at, bool free)
    {
        (long due, RecordedArrival arrival) = mine[at];
        int last = at;
        while (last + 1 < mine.Count && mine[last + 1].Arrival.Transaction == arrival.Transaction)
        {
            last++;
        }

        LoadTask task = part.Tasks[arrival.Task];
        long start = clock.Now;
        LoadOutcome outcome = _inTransaction > 0 ? LoadOutcome.Done
            : session.Begin(task with { Steps = [.. Enumerable.Range(at, last - at + 1).SelectMany(i => part.Tasks[mine[i].Arrival.Task].Steps)] });
        if (outcome == LoadOutcome.Done)
        {
            _inTransaction++;
            outcome = session.Execute(task.Steps[0].Index, _values);
        }

        if (outcome == LoadOutcome.Done && at == last)
        {
            _inTransaction = 0;
            outcome = session.Commit();
        }

        long end = clock.Now;
        if (outcome != LoadOutcome.Done)
        {
            log.Messages.TryAdd(task.Steps[0].Index, session.Message);
            _lost = outcome == LoadOutcome.Lost;
            if (!_lost)
            {
                session.Rollback();
            }

            _inTransaction = 0;
        }

        log.Note(new(task.Steps[0].Index, IsTask: true, free, outcome, 0, due, start, end, 0));
        return outcome == LoadOutcome.Done;
    }

    private void RunClosed(PartTurn turn, int number)
    {
        var random = new SplitMix(PartTurn.SeedOf(turn.Seed, -2 - number));

        // Sessions that think begin somewhere in their first pause: all at once would be a load of its own.
        long due = turn.From + (long)(random.Unit() * turn.Part.Think.Draw(random.Unit()));
        bool thinks = turn.Part.Think.Kind != ThinkKind.None, waits = true;
        while (!_lost && !clock.IsBrokenOff)
        {
            if (due >= turn.Until || (turn.Part.Executions is { } most && turn.Claim() >= most))
            {
                return;
            }

            LoadTask task = Drawn(turn, ref random);
            if (waits)
            {
                clock.SleepUntil(due);
                if (clock.IsBrokenOff)
                {
                    return;
                }
            }

            // Who does not think is due at once.
            due = Execute(turn.Part, task, due, free: true);
            waits = thinks;
            if (thinks)
            {
                due += turn.Part.Think.Draw(random.Unit());
            }
        }
    }

    private LoadTask Drawn(PartTurn turn, ref SplitMix random)
    {
        LoadTask task = turn.Part.TaskAt(random.Unit());
        Fill(task, ref random, turn.Counters);
        return task;
    }

    private void Fill(LoadTask task, ref SplitMix random, SideCounters counters)
    {
        if (_values.Length < task.Keys.Count)
        {
            _values = new SqlValue[task.Keys.Count];
        }

        task.Values.Draw(_values, ref random, counters);
    }

    /// <returns>When it ended.</returns>
    private long Execute(LoadPart part, LoadTask task, long due, bool free)
    {
        long start = clock.Now, end = start;
        LoadOutcome outcome = LoadOutcome.Done;
        int retries = 0, deadlocks = 0;
        bool together = part.CommitEvery > 1, alone = task.Steps.Count == 1;
        for (; ; retries++)
        {
            outcome = alone && !together ? session.Execute(task.Steps[0].Index, _values) : InTransaction(part, task, ref end);
            end = clock.Now;
            // What others of a shared transaction did is lost with it, and is not done again.
            if (outcome is not (LoadOutcome.Deadlock or LoadOutcome.Conflict) || together || retries == MostRetries || clock.IsBrokenOff)
            {
                break;
            }

            deadlocks += outcome == LoadOutcome.Deadlock ? 1 : 0;
            session.Rollback();
            _inTransaction = 0;
        }

        if (outcome != LoadOutcome.Done)
        {
            log.Messages.TryAdd(alone ? task.Steps[0].Index : -1, session.Message);
            _lost = outcome == LoadOutcome.Lost;
            if (!_lost)
            {
                session.Rollback();
                _inTransaction = 0;
            }
        }

        log.Note(new(alone ? task.Steps[0].Index : -1, IsTask: true, free, outcome, (byte)retries, due, start, end, (byte)deadlocks));
        return end;
    }

    /// <summary>All steps of a task in one transaction, or in the one that several executions share.</summary>
    private LoadOutcome InTransaction(LoadPart part, LoadTask task, ref long at)
    {
        if (_inTransaction == 0 && session.Begin(task) is var begun and not LoadOutcome.Done)
        {
            return begun;
        }

        for (int i = 0; i < task.Steps.Count; i++)
        {
            long start = clock.Now;
            LoadOutcome outcome = session.Execute(task.Steps[i].Index, _values);
            at = clock.Now;
            if (task.Steps.Count > 1)
            {
                log.Note(new(task.Steps[i].Index, IsTask: false, WasFree: false, outcome, 0, start, start, at));
            }

            if (outcome != LoadOutcome.Done)
            {
                if (task.Steps.Count > 1)
                {
                    log.Messages.TryAdd(task.Steps[i].Index, session.Message);
                }

                return outcome;
            }
        }

        if (++_inTransaction < part.CommitEvery)
        {
            return LoadOutcome.Done;
        }

        _inTransaction = 0;
        return session.Commit();
    }
}
