using System.Collections.Concurrent;
using System.Threading.Channels;
using Microsoft.Data.Sqlite;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>Does what was asked for in turn, one after the other, also what still waited when the server ended.</summary>
public abstract class TurnsDesk(ILogger log) : BackgroundService
{
    private readonly Channel<long> _waiting = Channel.CreateUnbounded<long>();
    private readonly ConcurrentDictionary<long, CancellationTokenSource> _stops = new();

    /// <summary>Lets one wait for its turn.</summary>
    /// <param name="id">By its number in the ledger.</param>
    public void Enqueue(long id) => _waiting.Writer.TryWrite(id);

    /// <summary>Settles what ran when the server ended, before anything runs.</summary>
    /// <returns>What waits, in its order.</returns>
    protected abstract IEnumerable<long> Resume();

    /// <summary>Does one, if it still waits: somebody may have cancelled it.</summary>
    /// <param name="id">By its number in the ledger.</param>
    /// <param name="stop">Ends this one, or all.</param>
    /// <param name="stopping">Ends all: the server does.</param>
    /// <exception cref="SqliteException">The ledger takes nothing.</exception>
    protected abstract Task RunAsync(long id, CancellationToken stop, CancellationToken stopping);

    /// <summary>Ends the one that has its turn.</summary>
    /// <returns>False where it has not, or not any more.</returns>
    protected bool Stop(long id)
    {
        bool running = _stops.TryGetValue(id, out CancellationTokenSource? stop);
        stop?.Cancel();
        return running;
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        await Task.Yield();
        foreach (long waiting in Resume())
        {
            Enqueue(waiting);
        }

        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                long id = await _waiting.Reader.ReadAsync(stoppingToken);
                using var stop = CancellationTokenSource.CreateLinkedTokenSource(stoppingToken);
                _stops[id] = stop;
                try
                {
                    await RunAsync(id, stop.Token, stoppingToken);
                }
                finally
                {
                    _stops.TryRemove(id, out _);
                }
            }
            catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
            {
                return;
            }
            catch (SqliteException e)
            {
                // A full disk, say: what could not be written waits or runs in the ledger until the next start, and the server goes on.
                log.LogError("{Message}", LedgerException.Of(e).Message);
            }
        }
    }
}
