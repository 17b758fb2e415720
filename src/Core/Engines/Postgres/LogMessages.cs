using System.Globalization;
using System.IO.Hashing;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.Json;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>
/// Makes statements of a server's messages: <c>duration: 0.5 ms  statement: ...</c> in one line or in two, <c>execute</c> with its
/// parameters, errors with their statement, and the plans of auto_explain.
/// </summary>
/// <remarks>
/// PostgreSQL manual, 20.8 "Error Reporting and Logging" and F.4 "auto_explain". The times of <c>parse</c> and <c>bind</c> are left
/// aside, as pg_stat_statements does: what counts as a call is the execution.
/// </remarks>
internal sealed class LogMessages
{
    private const int MostSessions = 10_000, FirstMessages = 20_000;

    // What a session said that a later message of it may complete. Sessions that never come back are handed over when too many wait.
    private readonly Dictionary<string, Waiting> _waiting = new(StringComparer.Ordinal);

    // Until the first plan shows that auto_explain is on, what each session ran last.
    private readonly Dictionary<ulong, ulong> _emitted = [];
    private bool _plansSeen;
    private int _taken;

    /// <summary>See <see cref="ICaptureForm.Held"/>: JSON.</summary>
    public string Held
    {
        get => _waiting.Count == 0 ? "" : JsonSerializer.Serialize(_waiting.Values);
        set
        {
            foreach (Waiting waiting in value.Length == 0 ? [] : JsonSerializer.Deserialize<List<Waiting>>(value) ?? [])
            {
                _waiting[Text(waiting.Session)] = waiting;
            }
        }
    }

    public void Take(scoped in LogEntry entry, ICaptureSink sink)
    {
        if (IsError(entry.Severity))
        {
            TakeError(entry, sink);
            return;
        }

        ReadOnlySpan<char> message = entry.Message;
        if (message.StartsWith("duration: "))
        {
            TakeDuration(entry, message["duration: ".Length..], sink);
        }
        else if (TryReadStatement(message, out ReadOnlySpan<char> sql, out bool executes) && executes)
        {
            // log_statement: the duration may come later, or never.
            HandOver(entry.Session, sink);
            Wait(entry, sql, plan: [], entry.At, duration: null, sink);
        }
    }

    private static bool IsError(ReadOnlySpan<byte> severity) =>
        severity.SequenceEqual("ERROR"u8) || severity.SequenceEqual("FATAL"u8) || severity.SequenceEqual("PANIC"u8);

    private static string Text(ReadOnlySpan<byte> name) => Encoding.UTF8.GetString(name);

    public void Finish(ICaptureSink sink)
    {
        foreach (Waiting waiting in _waiting.Values)
        {
            sink.Observe(waiting.ToObservation(null));
        }

        _waiting.Clear();
    }

    private void TakeError(scoped in LogEntry entry, ICaptureSink sink)
    {
        // A statement that log_statement told of, and that failed, is the one that the error names.
        if (_waiting.Remove(Text(entry.Session), out Waiting? waiting) && !(waiting.Duration is null && entry.Statement.SequenceEqual(waiting.Sql)))
        {
            sink.Observe(waiting.ToObservation(null));
        }

        if (entry.Statement.IsEmpty)
        {
            return;
        }

        sink.Observe(new Observation
        {
            Line = entry.Line,
            At = entry.At,
            Sql = entry.Statement,
            Parameters = ParametersIn(entry.Detail),
            ReadBinds = LoggedParameters.ToBinds,
            SqlState = entry.SqlState.IsEmpty ? "XX000" : Text(entry.SqlState),
            Message = entry.Message,
            Session = entry.Session,
            Transaction = entry.Transaction,
            Application = entry.Application,
            Database = entry.Database,
            User = entry.User,
        });
    }

    private void TakeDuration(scoped in LogEntry entry, ReadOnlySpan<char> rest, ICaptureSink sink)
    {
        int end = rest.IndexOf(" ms");
        if (end < 0 || !double.TryParse(rest[..end], NumberStyles.Float, CultureInfo.InvariantCulture, out double milliseconds) || milliseconds < 0)
        {
            sink.Reject(entry.Line, "A duration is no number of milliseconds.");
            return;
        }

        var duration = TimeSpan.FromTicks((long)Math.Round(milliseconds * TimeSpan.TicksPerMillisecond));
        rest = rest[(end + 3)..].TrimStart(' ');
        if (rest.IsEmpty)
        {
            // log_duration: it belongs to the statement that this session logged before.
            if (_waiting.Remove(Text(entry.Session), out Waiting? waiting))
            {
                sink.Observe(waiting.ToObservation(duration));
            }

            return;
        }

        if (rest.StartsWith("plan:"))
        {
            TakePlan(entry, rest["plan:".Length..].TrimStart(), duration, sink);
            return;
        }

        if (!TryReadStatement(rest, out ReadOnlySpan<char> sql, out bool executes) || !executes)
        {
            return;
        }

        Waiting? before = null;
        if (_waiting.Count > 0 && _waiting.Remove(Text(entry.Session), out before) && !(before.Plan.Length > 0 && sql.SequenceEqual(before.Sql)))
        {
            sink.Observe(before.ToObservation(null));
            before = null;
        }

        if (before is null && _plansSeen)
        {
            Wait(entry, sql, plan: [], entry.At - duration, duration, sink);
            return;
        }

        if (!_plansSeen && _taken++ < FirstMessages)
        {
            _emitted[XxHash3.HashToUInt64(entry.Session)] = HashOf(sql);
        }

        sink.Observe(new Observation
        {
            Line = entry.Line,
            At = entry.At - duration,
            Duration = duration,
            Sql = sql,
            Parameters = ParametersIn(entry.Detail),
            ReadBinds = LoggedParameters.ToBinds,
            Session = entry.Session,
            Transaction = entry.Transaction,
            Application = entry.Application,
            Database = entry.Database,
            User = entry.User,
            Plan = before is null ? "" : before.Plan,
        });
    }

    /// <summary>
    /// auto_explain writes its plan when the executor ends: before the statement's own line as a rule, but after it where a driver
    /// fetched the rows of a prepared statement.
    /// </summary>
    private void TakePlan(scoped in LogEntry entry, ReadOnlySpan<char> plan, TimeSpan duration, ICaptureSink sink)
    {
        ReadOnlySpan<char> sql = PlanStatement.In(plan);
        if (sql.IsEmpty)
        {
            sink.Reject(entry.Line, "A plan of auto_explain does not tell its query.");
            return;
        }

        bool emitted = !_plansSeen && _emitted.TryGetValue(XxHash3.HashToUInt64(entry.Session), out ulong last) && last == HashOf(sql);
        _plansSeen = true;
        _emitted.Clear();
        if (emitted)
        {
            // The very first plan, behind a statement that has been handed over: it counts once.
            return;
        }

        string session = Text(entry.Session);
        if (_waiting.TryGetValue(session, out Waiting? waiting) && waiting.Plan.Length == 0 && sql.SequenceEqual(waiting.Sql))
        {
            Waiting planned = waiting with { Plan = plan.ToString() };
            if (waiting.Duration is null)
            {
                // log_statement told of it; a line with its duration alone may still come.
                _waiting[session] = planned with { Duration = duration };
                return;
            }

            _waiting.Remove(session);
            sink.Observe(planned.ToObservation(null));
            return;
        }

        HandOver(entry.Session, sink);
        Wait(entry, sql, plan, entry.At - duration, duration, sink);
    }

    private static ulong HashOf(ReadOnlySpan<char> sql) => XxHash3.HashToUInt64(MemoryMarshal.AsBytes(sql));

    private void Wait(scoped in LogEntry entry, ReadOnlySpan<char> sql, ReadOnlySpan<char> plan, DateTime began, TimeSpan? duration, ICaptureSink sink)
    {
        if (_waiting.Count >= MostSessions)
        {
            Finish(sink);
        }

        _waiting[Text(entry.Session)] = new(
            entry.Line, began, duration, sql.ToString(), ParametersIn(entry.Detail).ToString(), plan.ToString(), entry.Session.ToArray(),
            entry.Transaction.ToArray(), entry.Application.ToArray(), entry.Database.ToArray(), entry.User.ToArray());
    }

    private void HandOver(ReadOnlySpan<byte> session, ICaptureSink sink)
    {
        if (_waiting.Count > 0 && _waiting.Remove(Text(session), out Waiting? waiting))
        {
            sink.Observe(waiting.ToObservation(null));
        }
    }

    /// <summary>Reads <c>statement: ...</c>, <c>execute name: ...</c>, and the steps before it that are no call of their own.</summary>
    private static bool TryReadStatement(ReadOnlySpan<char> text, out ReadOnlySpan<char> sql, out bool executes)
    {
        executes = false;
        sql = default;
        int colon = text.IndexOf(": ");
        if (colon < 0)
        {
            return false;
        }

        ReadOnlySpan<char> head = text[..colon];
        sql = text[(colon + 2)..];
        executes = head is "statement" or "fastpath function call" || head.StartsWith("execute ");
        return executes || head.StartsWith("parse ") || head.StartsWith("bind ");
    }

    private static ReadOnlySpan<char> ParametersIn(ReadOnlySpan<char> detail) =>
        detail.StartsWith("parameters: ", StringComparison.OrdinalIgnoreCase) ? detail["parameters: ".Length..] : [];

    private sealed record Waiting(
        long Line, DateTime At, TimeSpan? Duration, string Sql, string Parameters, string Plan, byte[] Session, byte[] Transaction, byte[] Application,
        byte[] Database, byte[] User)
    {
        public Observation ToObservation(TimeSpan? duration)
        {
            return new()
            {
                Line = Line,
                At = At,
                Duration = duration ?? Duration,
                Sql = Sql,
                Parameters = Parameters,
                ReadBinds = LoggedParameters.ToBinds,
                Plan = Plan,
                Session = Session,
                Transaction = Transaction,
                Application = Application,
                Database = Database,
                User = User,
            };
        }
    }
}
