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
    public static BatchRun Run(string script, SqlDialect dialect, TimeSpan limit, TimeSpan whole, Action<string, int, BatchFold, ExecutionLimit> execute, CancellationToken stop = default)
    {
        var fold = new BatchFold(dialect);
        var clock = Stopwatch.StartNew();
        var within = new ExecutionLimit(limit, () => whole - clock.Elapsed);
        var lines = new LineCounter(script);
        foreach (ScriptStatement item in SqlScript.Split(script, dialect).Statements)
        {
            stop.ThrowIfCancellationRequested();
            string sql = item.Body.Of(script);
            int line = lines.LineOf(item.Body.Start);
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
