using System.Globalization;
using System.Text;

namespace SwiftLedger.Core.Captures.Postgres;

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
    private const int MostSessions = 10_000;

    // What a session said that a later message of it may complete. Sessions that never come back are handed over when too many wait.
    private readonly Dictionary<string, Waiting> _waiting = new(StringComparer.Ordinal);

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
            Wait(entry, sql, plan: [], duration: null, sink);
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
        _waiting.Remove(Text(entry.Session));
        if (entry.Statement.IsEmpty)
        {
            return;
        }

        sink.Observe(new Observation
        {
            Line = entry.Line, At = entry.At, Sql = entry.Statement,
            Parameters = ParametersIn(entry.Detail), ParameterForm = ParameterForm.Postgres,
            SqlState = entry.SqlState.IsEmpty ? "XX000" : Text(entry.SqlState), Message = entry.Message,
            Session = entry.Session, Transaction = entry.Transaction, Application = entry.Application, Database = entry.Database, User = entry.User,
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
        if (_waiting.Count > 0)
        {
            _waiting.Remove(Text(entry.Session), out before);
        }

        bool same = before is not null && before.Plan.Length > 0 && sql.SequenceEqual(before.Sql);
        if (before is not null && !same && before.Plan.Length > 0)
        {
            sink.Observe(before.ToObservation(null));
        }

        sink.Observe(new Observation
        {
            Line = entry.Line, At = entry.At - duration, Duration = duration, Sql = sql,
            Parameters = ParametersIn(entry.Detail), ParameterForm = ParameterForm.Postgres,
            Session = entry.Session, Transaction = entry.Transaction, Application = entry.Application, Database = entry.Database, User = entry.User,
            Plan = same ? before!.Plan : "",
        });
    }

    /// <summary>auto_explain writes its plan before the statement's own line, where there is one.</summary>
    private void TakePlan(scoped in LogEntry entry, ReadOnlySpan<char> plan, TimeSpan duration, ICaptureSink sink)
    {
        HandOver(entry.Session, sink);
        ReadOnlySpan<char> sql = PlanStatement.In(plan);
        if (sql.IsEmpty)
        {
            sink.Reject(entry.Line, "A plan of auto_explain does not tell its query.");
            return;
        }

        Wait(entry, sql, plan, duration, sink);
    }

    private void Wait(scoped in LogEntry entry, ReadOnlySpan<char> sql, ReadOnlySpan<char> plan, TimeSpan? duration, ICaptureSink sink)
    {
        if (_waiting.Count >= MostSessions)
        {
            Finish(sink);
        }

        _waiting[Text(entry.Session)] = new(
            entry.Line, entry.At, duration, sql.ToString(), ParametersIn(entry.Detail).ToString(), plan.ToString(), entry.Session.ToArray(),
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
            TimeSpan? took = duration ?? Duration;
            return new()
            {
                Line = Line, At = At - (Plan.Length > 0 ? took ?? default : default), Duration = took, Sql = Sql, Parameters = Parameters,
                ParameterForm = ParameterForm.Postgres, Plan = Plan, Session = Session, Transaction = Transaction, Application = Application,
                Database = Database, User = User,
            };
        }
    }
}
