using System.Diagnostics;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Live;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>Looks at a server's sessions once a second through one connection, until its time is over or it is stopped.</summary>
public sealed class ServerWatch(string address, LoadFold fold)
{
    public static readonly TimeSpan Every = TimeSpan.FromSeconds(1), Stretch = TimeSpan.FromSeconds(10), Longest = TimeSpan.FromDays(7);

    public LoadFold Fold => fold;

    public long Looks { get; private set; }

    /// <summary>What all looks together took.</summary>
    public double LookMilliseconds { get; private set; }

    public DateTimeOffset Last { get; private set; }

    /// <summary>Milliseconds of looking for each second that was watched: the cost of a watch, as a share of one session's time.</summary>
    public double Cost => Looks == 0 ? 0 : LookMilliseconds / Looks / Every.TotalMilliseconds;

    /// <param name="length">Null until it is stopped.</param>
    /// <param name="seen">Told of each look, with the stretch that it completed.</param>
    /// <param name="stop">Ends the looking, and is no error.</param>
    /// <returns>Why it ended before its time; null where it did not.</returns>
    /// <exception cref="SubjectException">No connection to begin with.</exception>
    public async Task<string?> RunAsync(TimeSpan? length, Action<ActivitySample, LoadStretch?> seen, CancellationToken stop)
    {
        using IServerActivity activity = (SubjectEngines.OfSubject(address).Server ?? throw SubjectException.Because($"This is no server: it is named as {KnownEngines.FormsOfServers}.")).Watch(address);
        using var timer = new PeriodicTimer(Every);
        var clock = Stopwatch.StartNew();
        try
        {
            do
            {
                ActivitySample sample = activity.Look(DateTimeOffset.Now);
                LookMilliseconds += sample.LookMilliseconds;
                Looks++;
                Last = sample.At;
                seen(sample, fold.Add(sample));
            }
            while (!(clock.Elapsed >= length) && await timer.WaitForNextTickAsync(stop));
            return null;
        }
        catch (OperationCanceledException)
        {
            return null;
        }
        catch (EngineException e)
        {
            return $"The connection was lost: {e.Message.TrimEnd('.')}.";
        }
    }
}
