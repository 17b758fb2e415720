using System.Collections.Concurrent;
using System.Threading.Channels;

namespace SwiftLedger.Web;

/// <summary>One piece of news about a trial.</summary>
/// <param name="Kind">stage, line, trial (its state changed: read it anew).</param>
/// <param name="Body">A view, written as JSON.</param>
public sealed record News(string Kind, object Body);

/// <summary>Brings news of running trials to whoever watches them.</summary>
public sealed class TrialFeed
{
    private readonly ConcurrentDictionary<Guid, (long Trial, Channel<News> Channel)> _watchers = new();

    /// <summary>News from now on, until the watcher leaves. A watcher that does not keep up loses the oldest news, never the server's time.</summary>
    public async IAsyncEnumerable<News> WatchAsync(long trial, [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken stop)
    {
        var id = Guid.NewGuid();
        Channel<News> channel = Channel.CreateBounded<News>(new BoundedChannelOptions(500) { FullMode = BoundedChannelFullMode.DropOldest });
        _watchers[id] = (trial, channel);
        try
        {
            yield return new("hello", new { trial });
            await foreach (News news in channel.Reader.ReadAllAsync(stop))
            {
                yield return news;
            }
        }
        finally
        {
            _watchers.TryRemove(id, out _);
        }
    }

    public void Tell(long trial, News news)
    {
        foreach ((long watched, Channel<News> channel) in _watchers.Values)
        {
            if (watched == trial)
            {
                channel.Writer.TryWrite(news);
            }
        }
    }
}
