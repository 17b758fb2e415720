using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Tests.Rehearsals;

/// <summary>Time that goes by only where somebody sleeps or serves.</summary>
internal sealed class MadeClock : ILoadClock
{
    public long Now { get; set; }

    public bool IsBrokenOff => false;

    public void SleepUntil(long nanoseconds) => Now = Math.Max(Now, nanoseconds);
}

/// <summary>A session whose executions take as long as they are told to.</summary>
internal sealed class StandInSession(MadeClock clock, Func<int, long, long> service) : ILoadSession
{
    private int _served;

    public List<(int Statement, SqlValue[] Values)> Seen { get; } = [];

    public List<string> Transactions { get; } = [];

    /// <summary>How executions end, by their number from 0; all well where left out.</summary>
    public Func<int, LoadOutcome> Ends { get; init; } = _ => LoadOutcome.Done;

    public string Message => "as it was told to";

    public LoadOutcome Begin(LoadTask task)
    {
        Transactions.Add("begin");
        return LoadOutcome.Done;
    }

    public LoadOutcome Execute(int statement, ReadOnlySpan<SqlValue> values)
    {
        Seen.Add((statement, values.ToArray()));
        clock.Now += service(_served, clock.Now);
        return Ends(_served++);
    }

    public LoadOutcome Commit()
    {
        Transactions.Add("commit");
        return LoadOutcome.Done;
    }

    public void Rollback() => Transactions.Add("rollback");

    public void Dispose()
    {
    }
}

/// <summary>Runs one session against a stand-in, in made time.</summary>
internal static class MadeStint
{
    public const long Millisecond = 1_000_000, Second = 1_000_000_000;

    public static Load Read(string load, LoadDefaults? usual = null)
    {
        var parsed = LoadFile.Parse(load, Engines.Sqlite.SqliteEngine.Engine.Dialect, usual);
        parsed.Problems.ShouldBeEmpty();
        return parsed.Value;
    }

    public static (ExecutionLog Log, StandInSession Session) Run(LoadPart part, long length, Func<int, long, long> service, ulong seed = 1, Func<int, LoadOutcome>? ends = null, SideCounters? counters = null)
    {
        var clock = new MadeClock();
        var session = new StandInSession(clock, service) { Ends = ends ?? (_ => LoadOutcome.Done) };
        var log = new ExecutionLog();
        new SessionLoop(session, clock, log).Run(new PartTurn(part, seed, length, counters ?? new(4, [])), 0, long.MaxValue);
        return (log, session);
    }

    public static double[] LatenciesMs(ExecutionLog log, long from = 0) => [.. log.Executions.ToArray().Where(e => e.IsTask && e.Due >= from).Select(e => (e.End - e.Due) / 1e6)];

    public static double Exponential(ref SplitMix random, double mean) => -Math.Log(1 - random.Unit()) * mean;
}
