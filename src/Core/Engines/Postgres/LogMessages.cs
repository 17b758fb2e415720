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
/// PostgreSQL manual, 20.8 "Error Reporting and Logging" and F.4 "auto_explain". What counts as a call is the execution. The times of
/// <c>parse</c> and <c>bind</c> before it belong to it, for a plan is made in them, and those in which the rest of its rows is fetched;
/// in pg_stat_statements they count as planning, or not at all.
/// </remarks>
internal sealed class LogMessages
{
    private const int MostSessions = 10_000, FirstMessages = 20_000, StepsBeforeExecution = 2;

    // What a session said that a later message of it may complete. Sessions that never come back are handed over when too many wait.
    private readonly Dictionary<string, Waiting> _waiting = new(StringComparer.Ordinal);

    // Until the first plan shows that auto_explain is on, what each session ran last.
    private readonly Dictionary<ulong, ulong> _emitted = [];
    private readonly ServerEvents _events = new();
    private bool _plansSeen, _untoldSeen;
    private int _taken;

    // What preparing took of each session, until it executes: under an empty text where the log tells durations alone.
    private readonly Dictionary<string, Prepared> _prepared = new(StringComparer.Ordinal);

    /// <summary>See <see cref="ICaptureForm.Held"/>: JSON.</summary>
    public string Held
    {
        get => _waiting.Count + _prepared.Count == 0 ? "" : JsonSerializer.Serialize(new HeldBack([.. _waiting.Values], new(_prepared)));
        set
        {
            // A list alone was kept before what preparing took was.
            HeldBack held = value.Length == 0 ? new([], [])
                : value[0] == '[' ? new(JsonSerializer.Deserialize<List<Waiting>>(value) ?? [], []) : JsonSerializer.Deserialize<HeldBack>(value) ?? new([], []);
            foreach (Waiting waiting in held.Waiting)
            {
                _waiting[Text(waiting.Session)] = waiting;
            }

            foreach ((string session, Prepared prepared) in held.Prepared)
            {
                _prepared[session] = prepared;
            }
        }
    }

    /// <summary>How many messages were taken, of whatever they tell.</summary>
    public long Taken { get; private set; }

    public void Take(scoped in LogEntry entry, ICaptureSink sink)
    {
        Taken++;
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
        else if (TryReadStatement(message, out ReadOnlySpan<char> sql, out Step step) && step != Step.Prepare)
        {
            // log_statement: the duration may come later, or never.
            if (step == Step.Fetch && _waiting.TryGetValue(Text(entry.Session), out Waiting? portal) && sql.SequenceEqual(portal.Sql))
            {
                _waiting[Text(entry.Session)] = portal with { Fetching = true };
                return;
            }

            HandOver(entry.Session, sink);
            TimeSpan preparing = TakePrepared(entry.Session, sql, step);
            Wait(entry, sql, plan: [], entry.At - preparing, duration: null, sink, preparing, step == Step.OfPortal);
        }
        else
        {
            _events.Take(entry, sink);
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
        _prepared.Remove(Text(entry.Session));
        ServerEvents.TakeError(entry, sink);

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
            SqlState = entry.SqlState.IsEmpty ? Observation.WithoutCode : Text(entry.SqlState),
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
            // log_duration: it belongs to the statement that this session logged before, or to preparing the one that it logs next.
            string session = Text(entry.Session);
            if (!_waiting.TryGetValue(session, out Waiting? waiting) || (waiting is { Portal: true, Fetching: false, Duration: not null }))
            {
                PrepareUntold(session, duration);
            }
            else if (waiting.Portal)
            {
                _waiting[session] = waiting with { Fetching = false, Duration = (waiting.Duration ?? waiting.Preparing) + duration };
            }
            else
            {
                _waiting.Remove(session);
                sink.Observe(waiting.ToObservation(duration + waiting.Preparing));
            }

            return;
        }

        if (rest.StartsWith("plan:"))
        {
            TakePlan(entry, rest["plan:".Length..].TrimStart(), duration, sink);
            return;
        }

        if (!TryReadStatement(rest, out ReadOnlySpan<char> sql, out Step step))
        {
            return;
        }

        if (step == Step.Prepare)
        {
            Prepare(Text(entry.Session), HashOf(sql), duration);
            return;
        }

        if (step == Step.Fetch && _waiting.TryGetValue(Text(entry.Session), out Waiting? portal) && portal.Duration is { } soFar && sql.SequenceEqual(portal.Sql))
        {
            _waiting[Text(entry.Session)] = portal with { Duration = soFar + duration };
            return;
        }

        TimeSpan preparing = TakePrepared(entry.Session, sql, step);
        DateTime began = entry.At - duration - preparing;
        duration += preparing;
        Waiting? before = null;
        if (_waiting.Count > 0 && _waiting.Remove(Text(entry.Session), out before) && !(before.Plan.Length > 0 && sql.SequenceEqual(before.Sql)))
        {
            sink.Observe(before.ToObservation(null));
            before = null;
        }

        if (before is null && (_plansSeen || step == Step.OfPortal))
        {
            Wait(entry, sql, plan: [], began, duration, sink, portal: step == Step.OfPortal);
            return;
        }

        if (!_plansSeen && _taken++ < FirstMessages)
        {
            _emitted[XxHash3.HashToUInt64(entry.Session)] = HashOf(sql);
        }

        sink.Observe(new Observation
        {
            Line = entry.Line,
            At = began,
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

    private void Prepare(string session, ulong sql, TimeSpan took)
    {
        if (_prepared.Count >= MostSessions)
        {
            _prepared.Clear();
        }

        _prepared[session] = _prepared.TryGetValue(session, out Prepared? known) && known.Sql == sql
            ? known with { Ticks = known.Ticks + took.Ticks, Steps = known.Steps + 1 } : new(sql, took.Ticks, 1);
    }

    /// <summary>
    /// A duration without a text: of parse or bind, if all executions have theirs. Three in a row are an execution whose text the server was not
    /// asked to log (log_statement = mod, say); from then on they say nothing of the statement that comes next.
    /// </summary>
    private void PrepareUntold(string session, TimeSpan took)
    {
        if (_untoldSeen || session.Length == 0)
        {
            return;
        }

        Prepare(session, HashOf([]), took);
        if (_prepared[session].Steps > StepsBeforeExecution)
        {
            _untoldSeen = true;
            foreach (string other in _prepared.Where(p => p.Value.Sql == HashOf([])).Select(p => p.Key).ToList())
            {
                _prepared.Remove(other);
            }
        }
    }

    /// <summary>What preparing a statement took that a session executes now; what was prepared and is another one, was not executed.</summary>
    private TimeSpan TakePrepared(ReadOnlySpan<byte> session, ReadOnlySpan<char> sql, Step step) =>
        _prepared.Count > 0 && _prepared.Remove(Text(session), out Prepared? prepared) && step != Step.Simple && (prepared.Sql == HashOf([]) || prepared.Sql == HashOf(sql))
            ? TimeSpan.FromTicks(prepared.Ticks) : default;

    private void Wait(
        scoped in LogEntry entry, ReadOnlySpan<char> sql, ReadOnlySpan<char> plan, DateTime began, TimeSpan? duration, ICaptureSink sink, TimeSpan preparing = default, bool portal = false)
    {
        if (_waiting.Count >= MostSessions)
        {
            Finish(sink);
        }

        _waiting[Text(entry.Session)] = new(
            entry.Line, began, duration, sql.ToString(), ParametersIn(entry.Detail).ToString(), plan.ToString(), entry.Session.ToArray(),
            entry.Transaction.ToArray(), entry.Application.ToArray(), entry.Database.ToArray(), entry.User.ToArray(), preparing)
        { Portal = portal };
    }

    private void HandOver(ReadOnlySpan<byte> session, ICaptureSink sink)
    {
        if (_waiting.Count > 0 && _waiting.Remove(Text(session), out Waiting? waiting))
        {
            sink.Observe(waiting.ToObservation(null));
        }
    }

    /// <summary>Reads <c>statement: ...</c>, <c>execute name: ...</c>, and the steps before it that are no call of their own.</summary>
    private static bool TryReadStatement(ReadOnlySpan<char> text, out ReadOnlySpan<char> sql, out Step step)
    {
        step = default;
        sql = default;
        int colon = text.IndexOf(": ");
        if (colon < 0)
        {
            return false;
        }

        ReadOnlySpan<char> head = text[..colon];
        sql = text[(colon + 2)..];
        step = head is "statement" or "fastpath function call" ? Step.Simple
            : head.StartsWith("execute fetch from ") ? Step.Fetch
            : head.StartsWith("execute ") ? head.Contains('/') ? Step.OfPortal : Step.Execute
            : head.StartsWith("parse ") || head.StartsWith("bind ") ? Step.Prepare
            : default;
        return step != default;
    }

    /// <summary>What a message with a statement tells of it (postgres.c: exec_simple_query, exec_parse_message, exec_bind_message, exec_execute_message).</summary>
    private enum Step
    {
        None,
        Simple,
        Prepare,
        Execute,

        /// <summary>An execution through a portal with a name, of which more rows may be fetched later.</summary>
        OfPortal,

        /// <summary>More rows of an execution.</summary>
        Fetch,
    }

    private sealed record Prepared(ulong Sql, long Ticks, int Steps);

    private sealed record HeldBack(List<Waiting> Waiting, Dictionary<string, Prepared> Prepared);

    private static ReadOnlySpan<char> ParametersIn(ReadOnlySpan<char> detail) =>
        detail.StartsWith("parameters: ", StringComparison.OrdinalIgnoreCase) ? detail["parameters: ".Length..] : [];

    private sealed record Waiting(
        long Line, DateTime At, TimeSpan? Duration, string Sql, string Parameters, string Plan, byte[] Session, byte[] Transaction, byte[] Application,
        byte[] Database, byte[] User, TimeSpan Preparing = default)
    {
        /// <summary>Whether more rows of it may be fetched.</summary>
        public bool Portal { get; init; }

        /// <summary>Whether the next duration is that of a fetch.</summary>
        public bool Fetching { get; init; }

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
