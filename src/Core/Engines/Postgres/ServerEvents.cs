using System.Buffers;
using System.Globalization;
using System.Text;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>
/// Reads what a server logs besides statements: <c>log_lock_waits</c>, deadlocks, <c>log_temp_files</c>, <c>log_checkpoints</c> and
/// <c>log_autovacuum_min_duration</c>.
/// </summary>
/// <remarks>Texts of proc.c (ProcSleep), deadlock.c (DeadLockReport), fd.c (ReportTemporaryFileUsage), xlog.c (LogCheckpointEnd) and vacuumlazy.c of PostgreSQL; servers of other languages than English write other ones.</remarks>
internal sealed class ServerEvents
{
    private const int MostWaiting = 10_000;
    private static readonly SearchValues<char> DigitsAndPoint = SearchValues.Create("0123456789.");

    // How long a session's wait was when the log told of it first: its end tells the whole.
    private readonly Dictionary<string, double> _waiting = new(StringComparer.Ordinal);

    /// <returns>Whether the message was one.</returns>
    public bool Take(scoped in LogEntry entry, ICaptureSink sink)
    {
        ReadOnlySpan<char> message = entry.Message;
        if (message.StartsWith("process "))
        {
            return TakeLock(entry, sink);
        }

        if (message.StartsWith("temporary file: ") && AfterLast(message, ", size ") is { Length: > 0 } size && TryNumber(size, out double bytes))
        {
            Tell(entry, LogEventKind.TemporaryFile, bytes, 1, sink);
            return true;
        }

        if ((message.StartsWith("checkpoint complete: ") || message.StartsWith("restartpoint complete: ")) && TryNumber(After(message, "total="), out double seconds))
        {
            Tell(entry, LogEventKind.Checkpoint, seconds * 1000, 1, sink);
            return true;
        }

        if ((message.StartsWith("automatic vacuum of table ") || message.StartsWith("automatic aggressive vacuum ") || message.StartsWith("automatic analyze of table ")) && TryNumber(After(message, "elapsed: "), out double elapsed))
        {
            Tell(entry, LogEventKind.Maintenance, elapsed * 1000, 1, sink);
            return true;
        }

        return false;
    }

    /// <summary>An error that is an event too.</summary>
    public static void TakeError(scoped in LogEntry entry, ICaptureSink sink)
    {
        if (entry.SqlState.SequenceEqual("40P01"u8) || (entry.SqlState.IsEmpty && entry.Message.StartsWith("deadlock detected")))
        {
            Tell(entry, LogEventKind.Deadlock, 0, 1, sink);
        }
    }

    /// <summary><c>process 12 still waiting for ShareLock on transaction 734 after 1000.123 ms</c>, and later <c>process 12 acquired ... after 5000 ms</c>.</summary>
    private bool TakeLock(scoped in LogEntry entry, ICaptureSink sink)
    {
        ReadOnlySpan<char> rest = entry.Message["process ".Length..];
        int space = rest.IndexOf(' ');
        if (space <= 0 || !rest[..space].ContainsAnyInRange('0', '9') || !TryNumber(AfterLast(rest, " after "), out double milliseconds))
        {
            return false;
        }

        string session = Encoding.UTF8.GetString(entry.Session) + " " + rest[..space].ToString();
        rest = rest[(space + 1)..];
        if (rest.StartsWith("still waiting for "))
        {
            // A second one that is no longer than the first is of another wait: the first was ended by a cancellation or a time limit.
            bool goesOn = _waiting.Remove(session, out double before) && before < milliseconds;
            before = goesOn ? before : 0;
            if (_waiting.Count >= MostWaiting)
            {
                _waiting.Clear();
            }

            _waiting[session] = milliseconds;
            Tell(entry, LogEventKind.LockWait, milliseconds - before, goesOn ? 0 : 1, sink);
            return true;
        }

        if (rest.StartsWith("acquired "))
        {
            bool told = _waiting.Remove(session, out double before);
            Tell(entry, LogEventKind.LockWait, Math.Max(0, milliseconds - before), told ? 0 : 1, sink);
            return true;
        }

        return false;
    }

    private static void Tell(scoped in LogEntry entry, LogEventKind kind, double amount, int count, ICaptureSink sink) => sink.Tell(new()
    {
        Line = entry.Line,
        Kind = kind,
        At = entry.At,
        Amount = amount,
        Count = count,
        Sql = entry.Statement,
        Message = entry.Message,
        Detail = entry.Detail,
        Application = entry.Application,
        Database = entry.Database,
        User = entry.User,
    });

    private static ReadOnlySpan<char> After(ReadOnlySpan<char> text, string mark) => text.IndexOf(mark) is int at and >= 0 ? text[(at + mark.Length)..] : default;

    private static ReadOnlySpan<char> AfterLast(ReadOnlySpan<char> text, string mark) => text.LastIndexOf(mark) is int at and >= 0 ? text[(at + mark.Length)..] : default;

    /// <summary>The number that a text begins with.</summary>
    private static bool TryNumber(ReadOnlySpan<char> text, out double number)
    {
        int end = text.IndexOfAnyExcept(DigitsAndPoint);
        return double.TryParse(end < 0 ? text : text[..end], NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out number) && double.IsFinite(number);
    }
}
