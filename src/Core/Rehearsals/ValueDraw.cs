using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>Where the values of one parameter come from.</summary>
public abstract record ValueDraw
{
    /// <summary>Draws one.</summary>
    /// <param name="random">The same state gives the same value.</param>
    /// <param name="counters">Of the side: sequences go on from stint to stint.</param>
    public abstract SqlValue Draw(ref SplitMix random, SideCounters counters);
}

/// <summary>Whole numbers, each as likely.</summary>
/// <param name="Low">Included.</param>
/// <param name="High">Included.</param>
public sealed record UniformDraw(long Low, long High) : ValueDraw
{
    public override SqlValue Draw(ref SplitMix random, SideCounters counters) => SqlValue.Of(Low + (long)Math.BigMul(random.Next(), (ulong)(High - Low) + 1, out _));
}

/// <summary>Numbers with a fraction, each as likely.</summary>
/// <param name="Low">Included.</param>
/// <param name="High">Not included.</param>
public sealed record UniformRealDraw(double Low, double High) : ValueDraw
{
    public override SqlValue Draw(ref SplitMix random, SideCounters counters) => SqlValue.Of(Low + (random.Unit() * (High - Low)));
}

/// <summary>Whole numbers of which the lowest is the most frequent: the k-th has a share in proportion to 1 / k^s.</summary>
/// <remarks>G. K. Zipf, "Human Behavior and the Principle of Least Effort" (1949); drawn by inversion of the exact sums.</remarks>
public sealed record ZipfDraw : ValueDraw
{
    /// <summary>More values are not told apart.</summary>
    public const int MostValues = 1_000_000;

    private readonly double[] _upTo;

    /// <param name="low">The most frequent value.</param>
    /// <param name="high">The rarest.</param>
    /// <param name="exponent">0 makes all alike.</param>
    public ZipfDraw(long low, long high, double exponent)
    {
        (Low, High, Exponent) = (low, high, exponent);
        _upTo = new double[high - low + 1];
        double sum = 0;
        for (int k = 0; k < _upTo.Length; k++)
        {
            _upTo[k] = sum += Math.Pow(k + 1, -exponent);
        }
    }

    public long Low { get; }

    public long High { get; }

    public double Exponent { get; }

    public override SqlValue Draw(ref SplitMix random, SideCounters counters)
    {
        int at = Array.BinarySearch(_upTo, random.Unit() * _upTo[^1]);
        return SqlValue.Of(Low + Math.Min(at < 0 ? ~at : at + 1, _upTo.Length - 1));
    }
}

/// <summary>One more each time, over all sessions of a side and all its stints.</summary>
/// <param name="From">The first.</param>
/// <param name="Number">Which of the file's sequences, from 0.</param>
public sealed record SequenceDraw(long From, int Number) : ValueDraw
{
    public override SqlValue Draw(ref SplitMix random, SideCounters counters) => SqlValue.Of(From + counters.Next(Number));
}

/// <summary>One of these, each as likely.</summary>
public sealed record ListDraw(IReadOnlyList<SqlValue> Values) : ValueDraw
{
    public override SqlValue Draw(ref SplitMix random, SideCounters counters) => Values[random.Below(Values.Count)];
}

/// <summary>One of the first column of a query on the subject, each row as likely.</summary>
/// <param name="Sql">The query.</param>
/// <param name="Number">Which of the file's queries, from 0.</param>
public sealed record QueryDraw(string Sql, int Number) : ValueDraw
{
    /// <summary>Rows beyond these are not read.</summary>
    public const int MostRows = 100_000;

    public override SqlValue Draw(ref SplitMix random, SideCounters counters)
    {
        IReadOnlyList<SqlValue> values = counters.Rows[Number];
        return values[random.Below(values.Count)];
    }
}

/// <summary>What a side's draws have in common: how far its sequences are, and what its queries gave.</summary>
/// <param name="sequences">How many sequences there are.</param>
/// <param name="rows">What each query gave, at least one value each; the same for both sides.</param>
public sealed class SideCounters(int sequences, IReadOnlyList<IReadOnlyList<SqlValue>> rows)
{
    private readonly long[] _next = new long[sequences];

    internal IReadOnlyList<IReadOnlyList<SqlValue>> Rows => rows;

    internal long Next(int sequence) => Interlocked.Increment(ref _next[sequence]) - 1;
}

/// <summary>Where the values of a task come from: a bind line of each statement by its share, and draws, which go before.</summary>
/// <param name="Cases">For each statement, its bind lines: share up to and including, and the values by the task's keys; null where a line has none.</param>
/// <param name="Draws">By the task's keys; null where there is none.</param>
public sealed record TaskValues(IReadOnlyList<IReadOnlyList<(double UpTo, SqlValue?[] Values)>> Cases, IReadOnlyList<ValueDraw?> Draws)
{
    /// <summary>Fills in one set of values.</summary>
    /// <param name="values">By the task's keys.</param>
    /// <param name="random">The same state gives the same values.</param>
    /// <param name="counters">Of the side.</param>
    public void Draw(SqlValue[] values, ref SplitMix random, SideCounters counters)
    {
        foreach (IReadOnlyList<(double UpTo, SqlValue?[] Values)> lines in Cases)
        {
            if (lines.Count == 0)
            {
                continue;
            }

            double unit = lines.Count == 1 ? 0 : random.Unit();
            int at = 0;
            while (at < lines.Count - 1 && unit >= lines[at].UpTo)
            {
                at++;
            }

            SqlValue?[] given = lines[at].Values;
            for (int i = 0; i < given.Length; i++)
            {
                values[i] = given[i] ?? values[i];
            }
        }

        for (int i = 0; i < Draws.Count; i++)
        {
            if (Draws[i] is { } draw)
            {
                values[i] = draw.Draw(ref random, counters);
            }
        }
    }
}
