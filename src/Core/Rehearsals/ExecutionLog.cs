namespace SwiftLedger.Core.Rehearsals;

/// <summary>One execution as its session saw it. Times are nanoseconds from the start of the stint.</summary>
/// <param name="Statement">Index among the load's statements; -1 for a task of several as a whole.</param>
/// <param name="IsTask">Whether it stands for a whole task: a statement by itself does, too.</param>
/// <param name="WasFree">Whether its session was free when it was due: only then the sender answers for a late start.</param>
/// <param name="Outcome">How it ended.</param>
/// <param name="Retries">How often it was begun anew.</param>
/// <param name="Due">The intended start.</param>
/// <param name="Start">The real one.</param>
/// <param name="End">When its last row had come, or its commit.</param>
/// <param name="Deadlocks">For how many of its retries a deadlock was why.</param>
public readonly record struct LoggedExecution(int Statement, bool IsTask, bool WasFree, LoadOutcome Outcome, byte Retries, long Due, long Start, long End, byte Deadlocks = 0);

/// <summary>What one session executed in a stint. Made once and used for every stint, so that nothing is allocated while it is sent.</summary>
public sealed class ExecutionLog
{
    private LoggedExecution[] _kept = new LoggedExecution[1_024];

    public int Count { get; private set; }

    /// <summary>Arrivals that were due and never began, because the stint was over before a session was free.</summary>
    public int Abandoned { get; private set; }

    /// <summary>What the engine said first of each statement that failed.</summary>
    public Dictionary<int, string> Messages { get; } = [];

    public ReadOnlySpan<LoggedExecution> Executions => _kept.AsSpan(0, Count);

    public void Clear()
    {
        (Count, Abandoned) = (0, 0);
        Messages.Clear();
    }

    /// <summary>Notes an execution.</summary>
    public void Note(in LoggedExecution execution)
    {
        if (Count == _kept.Length)
        {
            Array.Resize(ref _kept, _kept.Length * 2);
        }

        _kept[Count++] = execution;
    }

    internal void Abandon() => Abandoned++;
}
