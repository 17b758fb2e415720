using System.Diagnostics;
using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects;

/// <summary>Goes through a script, whatever the engine: until its end, that of the time, or a statement that cannot be executed; what ran until then is told.</summary>
internal static class BatchLoop
{
    /// <param name="limit">Of one statement.</param>
    /// <param name="whole">Limit of the whole script.</param>
    /// <param name="execute">Executes a statement of a line within a limit, and adds it.</param>
    /// <param name="told">Told every half second where it is, by another thread, one at a time; null where nobody listens.</param>
    /// <param name="counted">Whether this is the run in which everything is counted.</param>
    public static BatchRun Run(
        string script, SqlDialect dialect, TimeSpan limit, TimeSpan whole, Action<string, int, BatchFold, ExecutionLimit> execute, Action<BatchProgress>? told = null, bool counted = true, CancellationToken stop = default)
    {
        var fold = new BatchFold(dialect);
        var clock = Stopwatch.StartNew();
        var within = new ExecutionLimit(limit, () => whole - clock.Elapsed);
        var lines = new LineCounter(script);
        IReadOnlyList<ScriptStatement> statements = SqlScript.Split(script, dialect).Statements;
        using Teller? teller = told is null ? null : new(fold, statements.Count, counted, told);
        foreach (ScriptStatement item in statements)
        {
            stop.ThrowIfCancellationRequested();
            string sql = item.Body.Of(script);
            int line = lines.LineOf(item.Body.Start);
            teller?.At(item.Number, line);
            if (Refusal(sql, dialect) is { } refusal)
            {
                return fold.Result(new(item.Number, line, refusal));
            }

            try
            {
                execute(sql, line, fold, within);
            }
            catch (EngineException e)
            {
                stop.ThrowIfCancellationRequested();
                return fold.Result(new(item.Number, line, within.IsSpent ? $"The script took longer than {whole.TotalSeconds:0.###} s, its limit." : e.Message, within.IsSpent || e.TimeLimit || e.Bound));
            }
        }

        return fold.Result();
    }

    private static string? Refusal(string sql, SqlDialect dialect)
    {
        StatementShape shape = StatementShape.Of(sql, dialect);
        return shape.Refusal
            ?? (shape.Parameters.Count > 0 && shape.FirstWord is not ("create" or "prepare") ? $"It has parameters without values ({string.Join(", ", shape.Parameters)}): a script runs as it stands." : null);
    }

    /// <summary>Looks at the script from aside while it runs, so that a statement of half a minute is told of too.</summary>
    private sealed class Teller : IDisposable
    {
        private static readonly TimeSpan Pace = TimeSpan.FromMilliseconds(500);

        private readonly Lock _gate = new();
        private readonly Timer _timer;
        private volatile Position _position = new(0, 0, 0);
        private bool _ended;

        public Teller(BatchFold fold, int of, bool counted, Action<BatchProgress> told) => _timer = new Timer(
            _ =>
            {
                using Lock.Scope held = _gate.EnterScope();
                Position at = _position;
                if (!_ended && at.Statement > 0)
                {
                    (long executions, double milliseconds, IReadOnlyList<BatchStatement> costliest) = fold.SoFar(BatchProgress.MostTold);
                    told(new(at.Statement, of, at.Line, executions, milliseconds, Stopwatch.GetElapsedTime(at.Since).TotalMilliseconds, counted, costliest));
                }
            },
            null, Pace, Pace);

        public void At(int statement, int line) => _position = new(statement, line, Stopwatch.GetTimestamp());

        /// <summary>After it nothing is told any more.</summary>
        public void Dispose()
        {
            using Lock.Scope held = _gate.EnterScope();
            _ended = true;
            _timer.Dispose();
        }

        private sealed record Position(int Statement, int Line, long Since);
    }

    /// <summary>Lines of places that are asked for in their order.</summary>
    private sealed class LineCounter(string text)
    {
        private int _at;
        private int _line = 1;

        public int LineOf(int offset)
        {
            _line += text.AsSpan(_at, offset - _at).Count('\n');
            _at = offset;
            return _line;
        }
    }
}
