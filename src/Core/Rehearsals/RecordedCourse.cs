using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>An execution as it really came.</summary>
/// <param name="Seconds">From the beginning of the record.</param>
/// <param name="Session">Which session sent it, from 0.</param>
/// <param name="Transaction">Executions of a session that follow each other with the same number were one transaction; 0 for one by itself.</param>
/// <param name="Task">Index among the tasks of its part.</param>
/// <param name="Values">By the task's keys; null where it has none.</param>
public sealed record RecordedArrival(double Seconds, int Session, int Transaction, int Task, SqlValue?[] Values);

/// <summary>Executions at their own times, by their own sessions, with their own values.</summary>
/// <param name="Arrivals">At least one, by their times.</param>
/// <param name="Pace">How many times faster than they came.</param>
public sealed record RecordedCourse(IReadOnlyList<RecordedArrival> Arrivals, double Pace = 1)
{
    /// <summary>Steps through the stretches of a record so that those played first are spread over all of it: the golden section (Knuth, "The Art of Computer Programming" 3, 6.4).</summary>
    private const double Spread = 0.6180339887498949;

    /// <summary>How many sessions sent them.</summary>
    public int Sessions => Arrivals.Max(a => a.Session) + 1;

    /// <summary>How long it plays, seconds.</summary>
    public double Seconds => Math.Max(Arrivals[^1].Seconds / Pace, 1e-3);

    /// <summary>Average rate, executions per second.</summary>
    public double Mean => Arrivals.Count / Seconds;

    /// <summary>The stretch that both stints of a pair play: as long as a stint, another one for each pair until all were played.</summary>
    /// <param name="pair">From 0.</param>
    /// <param name="length">Of a stint, nanoseconds.</param>
    /// <returns>For each session when its executions are due, nanoseconds of the stint, in their order.</returns>
    public IReadOnlyList<IReadOnlyList<(long Due, RecordedArrival Arrival)>> Turn(int pair, long length)
    {
        double seconds = length / 1e9;
        int stretches = (int)Math.Ceiling(Seconds / seconds), at = stretches > 1 ? StretchOf(pair, stretches) : 0;
        double from = stretches > 1 ? at * (Seconds - seconds) / (stretches - 1) : 0;
        var turns = new List<(long, RecordedArrival)>[Sessions];
        for (int i = 0; i < turns.Length; i++)
        {
            turns[i] = [];
        }

        foreach (RecordedArrival arrival in Arrivals)
        {
            double due = (arrival.Seconds / Pace) - from;
            if (due >= 0 && due < seconds)
            {
                turns[arrival.Session].Add(((long)(due * 1e9), arrival));
            }
        }

        return turns;
    }

    /// <summary>As a result says it.</summary>
    public override string ToString() => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"as recorded{(Pace == 1 ? "" : $", {Pace:0.###} times faster")} ({Mean:0.###}/second)");

    /// <summary>Each stretch once in as many pairs as there are.</summary>
    private static int StretchOf(int pair, int stretches)
    {
        int step = Math.Max(1, (int)Math.Round(stretches * Spread));
        while (Gcd(step, stretches) > 1)
        {
            step++;
        }

        return (int)((long)pair * step % stretches);
    }

    private static int Gcd(int a, int b) => b == 0 ? a : Gcd(b, a % b);
}
