using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects;

/// <summary>What is known of a database before it is tested.</summary>
/// <param name="Settings">Engine settings that bear on cost.</param>
/// <param name="Schema">Its tables, indexes, views and triggers.</param>
/// <param name="Notes">What sets its copies apart from it, in sentences; null where nothing does.</param>
public sealed record SubjectInfo(
    string Engine, string Version, long Bytes, IReadOnlyDictionary<string, string> Settings, IReadOnlyList<SchemaObject> Schema, IReadOnlyList<string>? Notes = null);

/// <summary>How the two sides of a subject can be timed.</summary>
public enum SideTurns
{
    /// <summary>Both are there at once, and are measured in alternation.</summary>
    ByTurns,

    /// <summary>One database is both sides: the side before, then the change, then the side after.</summary>
    OneAfterTheOther,

    /// <summary>The change stands in a transaction that is rolled back.</summary>
    NotAtAll,
}

/// <summary>What runs: a statement's text with values for its parameters, or a unit of several statements where it says so. A text of several statements that says nothing is refused.</summary>
/// <param name="Sql">The statement, or the unit's text.</param>
/// <param name="Bindings">Values of its parameters.</param>
public sealed record CaseRun(string Sql, IReadOnlyList<Binding> Bindings)
{
    /// <summary>The statements of a unit; null for one statement.</summary>
    public WorkUnit? Unit { get; init; }

    /// <summary>The statements' texts: of a unit those in it, else the one that it is.</summary>
    internal IReadOnlyList<string> Statements => Unit is { } unit ? [.. unit.Statements.Select(s => s.Sql)] : [Sql];
}

/// <summary>A case that the subject's own planner runs otherwise than that of its copies.</summary>
/// <param name="Run">Its place among those that were asked for.</param>
/// <param name="OnSubject">Its plan there.</param>
/// <param name="OnCopies">Its plan on what the copies are made from.</param>
public sealed record PlannedApart(int Run, Plan OnSubject, Plan OnCopies);

/// <summary>A consistent snapshot of a database under test; the database itself is never written to.</summary>
public interface ISubject : IAsyncDisposable
{
    SubjectInfo Info { get; }

    /// <summary>How the two sides are timed.</summary>
    SideTurns Turns => SideTurns.ByTurns;

    /// <summary>Makes the private copy of a side from the base that all copies share.</summary>
    /// <param name="pair">Which of several pairs of copies, from 0: each may get another change, or none.</param>
    Task<ISubjectCopy> CopyAsync(Side side, CancellationToken stop, int pair = 0);

    /// <summary>Runs a script whole on a private copy, and once more on another where nothing is counted, if the time is left.</summary>
    /// <param name="limit">Of one statement.</param>
    /// <param name="whole">Of the script, both times together.</param>
    /// <param name="told">Told where it is while it runs; null where nobody listens.</param>
    /// <returns>What ran, or why nothing did.</returns>
    /// <exception cref="EngineException">The database was lost.</exception>
    /// <exception cref="OperationCanceledException">It was stopped.</exception>
    Task<(BatchRun? Run, string? Problem)> RunScriptAsync(string script, TimeSpan limit, TimeSpan whole, Action<BatchProgress>? told, CancellationToken stop);

    /// <summary>Which cases are planned otherwise on the subject, where its copies got statistics of their own. Nothing is executed, on neither.</summary>
    /// <param name="runs">Asked for in order, while there is time.</param>
    /// <param name="most">By the clock.</param>
    /// <returns>Empty where copies are like the subject, or where it may not be asked; and how many could be compared.</returns>
    (IReadOnlyList<PlannedApart> Apart, int Compared) PlannedApart(IReadOnlyList<CaseRun> runs, TimeSpan most, CancellationToken stop) => ([], 0);

    /// <summary>What outside the copies is another one than before the trial, in sentences; asked at its end.</summary>
    IReadOnlyList<string> Aftermath() => [];
}

/// <summary>A private copy: what a trial may change and run statements on.</summary>
public interface ISubjectCopy : IAsyncDisposable
{
    /// <summary>Runs one statement of the change.</summary>
    /// <param name="limit">Of this statement; null for none.</param>
    /// <exception cref="EngineException">The engine refused it, or it exceeded a bound.</exception>
    Task ApplyAsync(ChangeStep step, CancellationToken stop, ExecutionLimit? limit = null);

    /// <summary>Runs one statement of the change, and tells which tables it held while it ran; those that the change itself made are nobody's yet.</summary>
    /// <param name="step">Of the change.</param>
    /// <param name="stop">Ends it.</param>
    /// <param name="limit">Of this statement; null for none.</param>
    /// <returns>Null where nobody can tell.</returns>
    /// <exception cref="EngineException">The engine refused it, or it exceeded a bound.</exception>
    Task<IReadOnlyList<StepHold>?> ApplyWatchedAsync(ChangeStep step, CancellationToken stop, ExecutionLimit? limit = null);

    /// <summary>Called once after the last step: brings the copy into the state that it is measured in, and lets go of the session that applied the change.</summary>
    /// <exception cref="EngineException">The change left something open.</exception>
    Task FinishChangeAsync(CancellationToken stop);

    /// <summary>Plan, rows, counters and the first execution on a fresh connection. Engine errors come back as the inspection's failure.</summary>
    Task<Inspection> InspectAsync(CaseRun run, ExecutionLimit limit, CancellationToken stop);

    /// <summary>Executes a query once, counted, and keeps nothing of its rows; nothing of it is timed for a verdict.</summary>
    /// <returns>The plan with its counts and how long it took; null where nothing can count.</returns>
    /// <exception cref="EngineException">It failed, or took too long.</exception>
    Plan? Counted(CaseRun run, ExecutionLimit limit);

    /// <summary>Executes a case once more, untimed, and keeps rows of it.</summary>
    /// <param name="wanted">Asked for each row by its hash, which is the same on both sides for the same values of the same types.</param>
    /// <returns>The first of the wanted rows, and how many there were.</returns>
    /// <exception cref="EngineException">It failed, or took too long.</exception>
    RowsOnlyHere Rows(CaseRun run, ExecutionLimit limit, Func<UInt128, bool> wanted);

    /// <summary>Executes a query once more, untimed, and tells its rows in their order.</summary>
    /// <param name="ranked">Whether the last column is a whole number that stands apart from the row.</param>
    /// <param name="row">Told each row's hash, and that number, or 0.</param>
    /// <exception cref="EngineException">It failed, or took too long.</exception>
    void EachRow(CaseRun run, ExecutionLimit limit, bool ranked, Action<UInt128, long> row);

    /// <summary>Tables, indexes, sizes and statistics; null where nothing can read them.</summary>
    /// <param name="limit">Of counting all tables.</param>
    Catalog? ReadCatalog(TimeSpan limit);

    /// <summary>Its tables, indexes, views and triggers, with what the change made of them.</summary>
    /// <exception cref="EngineException">They cannot be read.</exception>
    IReadOnlyList<SchemaObject> ReadSchema();

    /// <summary>Prepares a case for timing on the connection that all cases of this side share; writes are rolled back.</summary>
    /// <exception cref="EngineException">The engine cannot prepare it.</exception>
    IPreparedCase Prepare(CaseRun run, ExecutionLimit limit);

    /// <summary>The plan of a case in the session that times it, which may know other statistics than a fresh one.</summary>
    /// <exception cref="EngineException">The engine cannot tell.</exception>
    Plan PlanInSession(CaseRun run, ExecutionLimit limit);

    /// <summary>Opens another session on this side, with a connection of its own: as many as are asked for, also from several threads. The change is in force in it.</summary>
    /// <param name="writes">What becomes of what its statements write.</param>
    /// <exception cref="EngineException">The engine lets no more in, or this side may only be read.</exception>
    ISubjectSession OpenSession(SessionWrites writes);

    /// <summary>Makes this side ready for a load, whose writes are committed.</summary>
    /// <param name="texts">The statements of the load, in order.</param>
    /// <param name="limit">Of one execution.</param>
    /// <param name="journal">A journal mode that the side is brought into; null for the subject's own.</param>
    /// <exception cref="EngineException">Nothing is committed to a side that is no copy, or there is no such mode.</exception>
    ILoadSide OpenLoad(IReadOnlyList<LoadText> texts, TimeSpan limit, string? journal);

    /// <summary>Whether a write that is rolled back leaves dead row versions that later reads of the same rows have to pass over.</summary>
    bool RollbackLeavesTraces => false;

    /// <summary>The engine's process on this machine that serves the cases of this side; null where it is this process, or cannot be seen.</summary>
    int? EngineProcess => null;

    /// <summary>A statement that works in the session's memory alone, whatever the database holds; null where nothing is measured beside it.</summary>
    /// <param name="rows">That it makes and adds up: its time grows with them.</param>
    string? YardstickOf(int rows) => null;

    /// <summary>Empties the engine's caches, so that no case profits or suffers from the one before it.</summary>
    void ReleaseMemory();
}

/// <summary>What becomes of what the statements of a session write.</summary>
public enum SessionWrites
{
    /// <summary>Each execution stands in a transaction that is rolled back, outside of what is timed: the copy stays as it is.</summary>
    RolledBack,

    /// <summary>Each execution is a transaction that is committed, within what is timed, by the subject's own settings of durability.</summary>
    Committed,
}

/// <summary>One session on a side. Not for use by two threads; sessions of one side run beside each other.</summary>
public interface ISubjectSession : IDisposable
{
    /// <summary>The engine's process on this machine that serves it; null where it is this process, or cannot be seen.</summary>
    int? EngineProcess => null;

    /// <summary>What a commit waits for, by the engine's own settings: <c>journal_mode wal, synchronous 2</c>.</summary>
    /// <exception cref="EngineException">The connection is lost.</exception>
    string Durability { get; }

    /// <summary>Prepares a case on the session's own connection.</summary>
    /// <exception cref="EngineException">The engine cannot prepare it.</exception>
    IPreparedCase Prepare(CaseRun run, ExecutionLimit limit);
}

/// <summary>A case that is ready to be timed. Not for use by two threads.</summary>
public interface IPreparedCase : IDisposable
{
    /// <summary>Executes and drains the case so many times and adds up what its executions took; nothing is allocated.</summary>
    /// <returns>Elapsed microseconds of all executions together, without the transactions around writes that are rolled back.</returns>
    /// <exception cref="EngineException">An execution failed or exceeded its limit.</exception>
    double Execute(int times);

    /// <summary>What the engine's own process had of the processors so far; null where it runs in this process, or cannot be seen.</summary>
    ProcessorTime? EngineTime => null;

    /// <summary>Executes without timing for about so long: a started execution may be cut short where it changes nothing.</summary>
    void Discard(double microseconds);
}

/// <summary>The engine's refusal or failure.</summary>
/// <param name="message">Its own words.</param>
/// <param name="offset">Where in the statement, in UTF-16 code units; null where it does not say.</param>
/// <param name="timeLimit">Whether we ended it because its time was over.</param>
public sealed class EngineException(string message, int? offset = null, bool timeLimit = false) : Exception(message)
{
    public int? Offset { get; } = offset;

    public bool TimeLimit { get; } = timeLimit;

    /// <summary>Whether a bound of ours was met that is no time limit: of memory, or of disk.</summary>
    public bool Bound { get; init; }

    /// <summary>The engine's own code of the failure; null where it has none.</summary>
    public string? Code { get; init; }
}

/// <summary>The subject cannot be used as it is.</summary>
public sealed class SubjectException(InputProblem problem, bool badInput = true) : Exception(problem.Message)
{
    public InputProblem Problem { get; } = problem;

    /// <summary>False where the machine is at fault and not the input: a full disk, say.</summary>
    public bool BadInput { get; } = badInput;

    public static SubjectException Because(string message, bool badInput = true) =>
        new(new(InputPart.Subject, null, message), badInput);
}
