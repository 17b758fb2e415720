using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Interrupts an execution that exceeds its limit, from a thread of its own, so that timing pays nothing for it.</summary>
internal sealed class Watchdog : IDisposable
{
    private readonly Lock _gate = new();
    private readonly ManualResetEventSlim _stopped = new();
    private readonly Thread _thread;
    private sqlite3? _watched;
    private long _deadline;

    public Watchdog()
    {
        _thread = new(Watch) { IsBackground = true, Name = "watchdog" };
        _thread.Start();
    }

    /// <summary>Whether the execution that was watched last was interrupted.</summary>
    public bool Fired { get; private set; }

    public void Arm(sqlite3 connection, TimeSpan limit)
    {
        lock (_gate)
        {
            Fired = false;
            _watched = connection;
            _deadline = Environment.TickCount64 + (long)limit.TotalMilliseconds;
        }
    }

    public void Disarm()
    {
        lock (_gate)
        {
            _watched = null;
        }
    }

    public void Dispose()
    {
        _stopped.Set();
        _thread.Join();
        _stopped.Dispose();
    }

    private void Watch()
    {
        while (!_stopped.Wait(20))
        {
            lock (_gate)
            {
                if (_watched is { } connection && Environment.TickCount64 >= _deadline)
                {
                    Fired = true;
                    raw.sqlite3_interrupt(connection);
                }
            }
        }
    }
}
