using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>How an execution ended.</summary>
public enum LoadOutcome : byte
{
    Done,

    /// <summary>The engine refused it, or it failed.</summary>
    Failed,

    /// <summary>It took longer than its limit, or waited longer for a lock than it may.</summary>
    TimedOut,

    /// <summary>It waited in a circle, and was chosen to end it.</summary>
    Deadlock,

    /// <summary>What it read was changed by another one meanwhile: it has to begin anew.</summary>
    Conflict,

    /// <summary>The session is lost, and with it everything that it would still do.</summary>
    Lost,
}

/// <summary>One session of a load, as the sender drives it: never by two threads at once.</summary>
public interface ILoadSession : IDisposable
{
    /// <summary>Opens a transaction that several executions share.</summary>
    /// <param name="task">What will be executed in it first.</param>
    LoadOutcome Begin(LoadTask task);

    /// <summary>Executes a prepared statement to its last row; outside of a transaction it is committed by itself.</summary>
    /// <param name="statement">Its index among the statements of the load.</param>
    /// <param name="values">By the keys of its task.</param>
    LoadOutcome Execute(int statement, ReadOnlySpan<SqlValue> values);

    /// <summary>Commits the transaction.</summary>
    LoadOutcome Commit();

    /// <summary>Ends the transaction without its writes; nothing where there is none.</summary>
    void Rollback();

    /// <summary>What the engine said of the latest execution that did not end well.</summary>
    string Message { get; }
}

/// <summary>The time that a sender goes by.</summary>
public interface ILoadClock
{
    /// <summary>Nanoseconds from the start of the stint.</summary>
    long Now { get; }

    /// <summary>Sleeps until a moment; returns earlier where the stint is broken off.</summary>
    /// <param name="nanoseconds">From the start of the stint.</param>
    void SleepUntil(long nanoseconds);

    /// <summary>Whether the stint is broken off.</summary>
    bool IsBrokenOff { get; }
}
