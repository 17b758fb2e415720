namespace SwiftLedger.Core.Live;

/// <summary>What one session does at a moment.</summary>
/// <param name="State">active, idle in transaction, and so on, in the server's words.</param>
/// <param name="WaitKind">What kind of thing it waits for, in the server's words; empty where it runs.</param>
/// <param name="WaitFor">What exactly; empty where it runs.</param>
/// <param name="TransactionSeconds">How long its transaction has been open; null where there is none.</param>
/// <param name="StatementSeconds">Since its statement began; null where that is not told.</param>
/// <param name="Sql">The statement that runs, or ran last.</param>
/// <param name="BlockedBy">Sessions that hold, or wait before it for, the lock that it waits for.</param>
/// <param name="Application">As the session names it.</param>
/// <param name="Id">The server's number of it.</param>
/// <param name="User">Who it is connected as.</param>
public sealed record SessionState(
    int Id, string User, string Application, string State, string WaitKind, string WaitFor, double? TransactionSeconds, double? StatementSeconds, string Sql, IReadOnlyList<int> BlockedBy)
{
    public bool IsActive => State == "active";
}

/// <summary>All sessions of a database at a moment, idle ones without a transaction left out.</summary>
/// <param name="LookMilliseconds">What the look itself took.</param>
/// <param name="At">When it was looked.</param>
/// <param name="Sessions">Those that were not idle.</param>
public sealed record ActivitySample(DateTimeOffset At, IReadOnlyList<SessionState> Sessions, double LookMilliseconds)
{
    public int Active => Sessions.Count(s => s.IsActive);
}
