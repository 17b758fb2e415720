using System.Globalization;
using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Looks now and then how large a database has become while something works on it, and stops that when it is too large.</summary>
/// <remarks>The server itself bounds temporary files only (temp_file_limit), and only a superuser may set that.</remarks>
internal sealed class GrowthWatch : IDisposable
{
    private static readonly TimeSpan Between = TimeSpan.FromMilliseconds(500);

    private readonly CancellationTokenSource _stopping;
    private readonly ManualResetEventSlim _ended = new();
    private readonly NpgsqlConnectionStringBuilder _address;
    private readonly ChangeBounds _bounds;
    private readonly Thread _thread;
    private readonly long _bytes;

    /// <param name="address">The database.</param>
    /// <param name="bytes">Its size before.</param>
    public GrowthWatch(NpgsqlConnectionStringBuilder address, ChangeBounds bounds, long bytes, CancellationToken stop)
    {
        (_address, _bounds, _bytes) = (address, bounds, bytes);
        _stopping = CancellationTokenSource.CreateLinkedTokenSource(stop);
        _thread = new(Watch) { IsBackground = true, Name = "growth" };
        _thread.Start();
    }

    /// <summary>Cancelled when the database is too large, or the trial is stopped.</summary>
    public CancellationToken Token => _stopping.Token;

    /// <summary>Why what works on it was stopped; null where it was not.</summary>
    public EngineException? Exceeded { get; private set; }

    public void Dispose()
    {
        _ended.Set();
        _thread.Join();
        _stopping.Dispose();
        _ended.Dispose();
    }

    private void Watch()
    {
        PostgresConnection? questions = null;
        try
        {
            // Most statements are over before it is worth a connection.
            while (!_ended.Wait(Between) && !_stopping.IsCancellationRequested)
            {
                questions ??= PostgresConnection.Open(PostgresSession.Questions(_address));
                long now = long.Parse(questions.Ask("SELECT pg_database_size(current_database())")!, CultureInfo.InvariantCulture);
                if (now > _bytes + _bounds.GrowthOf(_bytes))
                {
                    Exceeded = new(_bounds.Exceeded(_bytes)) { Bound = true };
                    _stopping.Cancel();
                }
            }
        }
        catch (EngineException)
        {
            // A server that is gone, or full of connections, tells nothing: what works there ends by its time limit.
        }
        finally
        {
            questions?.Dispose();
        }
    }
}
