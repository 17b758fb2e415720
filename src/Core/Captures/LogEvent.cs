namespace SwiftLedger.Core.Captures;

/// <summary>What a server's log tells besides statements.</summary>
public enum LogEventKind
{
    /// <summary>A statement waited for a lock; the amount is milliseconds.</summary>
    LockWait = 1,

    /// <summary>Sessions waited for each other, and one was ended; no amount.</summary>
    Deadlock = 2,

    /// <summary>A statement wrote what did not fit its memory to a file; the amount is bytes.</summary>
    TemporaryFile = 3,

    /// <summary>The server wrote changed pages to its files; the amount is milliseconds.</summary>
    Checkpoint = 4,

    /// <summary>The server cleaned a table up, or gathered its statistics, by itself; the amount is milliseconds.</summary>
    Maintenance = 5,
}

/// <summary>Something that a log tells besides statements. Its texts live only as long as the call that hands it over.</summary>
public ref struct LogEvent
{
    public LogEvent()
    {
    }

    /// <summary>Where it stands in the capture, from 1.</summary>
    public long Line { get; init; }

    public LogEventKind Kind { get; init; }

    /// <summary>When it was told, UTC.</summary>
    public DateTime At { get; init; }

    /// <summary>How often it counts: 0 where it goes on with what was told before.</summary>
    public int Count { get; init; } = 1;

    /// <summary>In the unit of its kind.</summary>
    public double Amount { get; init; }

    /// <summary>The statement that it befell; empty where the log does not name one.</summary>
    public ReadOnlySpan<char> Sql { get; init; }

    /// <summary>What the server says, in its words.</summary>
    public ReadOnlySpan<char> Message { get; init; }

    /// <summary>More of it.</summary>
    public ReadOnlySpan<char> Detail { get; init; }

    public ReadOnlySpan<byte> Application { get; init; }

    public ReadOnlySpan<byte> Database { get; init; }

    public ReadOnlySpan<byte> User { get; init; }
}

/// <summary>Which events are counted together.</summary>
/// <param name="Pattern">The pattern's hash; 0 where no statement is named.</param>
/// <param name="Source">The server or application instance.</param>
/// <param name="Hour">Its first minute since 1970, UTC.</param>
/// <param name="Kind">What happened.</param>
public readonly record struct EventKey(ulong Pattern, string Source, int Hour, LogEventKind Kind);

/// <summary>How often, and how much in all.</summary>
/// <param name="Count">Events.</param>
/// <param name="Amount">In the unit of the kind.</param>
public readonly record struct EventSum(long Count, double Amount);

/// <summary>One event that is kept as it was told.</summary>
/// <param name="Pattern">The pattern's hash; 0 where no statement is named.</param>
/// <param name="Source">The server or application instance.</param>
/// <param name="Kind">What happened.</param>
/// <param name="At">UTC.</param>
/// <param name="Amount">In the unit of the kind.</param>
/// <param name="Message">What the server said, with its detail, cut where it is long.</param>
/// <param name="Caller">Whom it befell.</param>
public sealed record KeptEvent(ulong Pattern, string Source, LogEventKind Kind, DateTime At, double Amount, string Message, Caller Caller)
{
    /// <summary>How many of a kind and source stay: the greatest, and of equal ones the latest.</summary>
    public const int Most = 200;
}
