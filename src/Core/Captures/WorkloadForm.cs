using System.Text;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Captures;

/// <summary>
/// A workload file as a capture: its statements, cases and calls stand for the day that ends when it is read, spread evenly over the hours. It tells no
/// durations.
/// </summary>
public sealed class WorkloadForm(DateTime readAt, SqlDialect dialect) : ICaptureForm
{
    private const int Hours = 24;

    public string Name => "workload";

    public long Line { get; set; } = 1;

    public int LongestEntry => 16 << 20;

    public int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink)
    {
        if (!last)
        {
            return 0;
        }

        string text = Encoding.UTF8.GetString(bytes);
        Parsed<Workload> workload = WorkloadFile.Parse(text, dialect);
        foreach (InputProblem problem in workload.Problems)
        {
            sink.Reject(Line + (problem.Place?.Line ?? 1) - 1, problem.Message);
        }

        // What is mostly none is no workload file, whatever some of it may look like.
        if (workload.Problems.Count > workload.Value.Statements.Count / 2)
        {
            Line += Lines.Count(bytes);
            return bytes.Length;
        }

        int from = 0;
        foreach (WorkloadStatement statement in workload.Value.Statements)
        {
            // What is wrong with a statement stands in it, or in the comments between the one before and it.
            int to = TextPlace.At(text, statement.Body.Start + statement.Body.Length).Line;
            if (!workload.Problems.Any(p => p.Place is { } place && place.Line > from && place.Line <= to))
            {
                // How often a loop runs, a file does not say.
                IEnumerable<string> sent = statement.Unit is { } unit ? unit.Statements.Where(s => s.ForEachRowOf is null).Select(s => s.Sql) : [statement.Sql];
                foreach (string sql in sent)
                {
                    foreach (StatementCase @case in statement.Cases)
                    {
                        Spread(statement with { Sql = sql, Unit = null }, @case, sink);
                    }
                }
            }

            from = to;
        }

        Line += Lines.Count(bytes);
        return bytes.Length;
    }

    public void Finish(ICaptureSink sink)
    {
    }

    /// <summary>A statement that does not say how often it is called counts once.</summary>
    private void Spread(WorkloadStatement statement, StatementCase @case, ICaptureSink sink)
    {
        long calls = Math.Max(1, (long)Math.Round((statement.CallsPerDay ?? 1) * @case.Share));
        for (int hour = 0; hour < Hours; hour++)
        {
            long inHour = (calls * (hour + 1) / Hours) - (calls * hour / Hours);
            if (inHour > 0)
            {
                sink.Observe(new Observation
                {
                    Line = Line,
                    At = readAt.AddHours(hour - Hours),
                    Calls = inHour,
                    Sql = statement.Sql,
                    Parameters = @case.BindText,
                });
            }
        }
    }
}
