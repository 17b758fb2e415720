namespace SwiftLedger.Bench;

/// <summary>Ends the process where its engine has not listened to an interruption for too long: a call that never returns can be left in no other way.</summary>
internal sealed class Overtime : IDisposable
{
    private static readonly TimeSpan Between = TimeSpan.FromMilliseconds(100);

    private readonly ManualResetEventSlim _over = new();
    private readonly Thread _thread;

    /// <param name="isDue">Whether it has been too long.</param>
    /// <param name="lastWords">Told before the process ends.</param>
    public Overtime(Func<bool> isDue, Action lastWords)
    {
        _thread = new(() =>
        {
            while (!_over.Wait(Between))
            {
                if (isDue())
                {
                    lastWords();
                    Environment.Exit(0);
                }
            }
        })
        { IsBackground = true, Name = "overtime" };
        _thread.Start();
    }

    public void Dispose()
    {
        _over.Set();
        _thread.Join();
        _over.Dispose();
    }
}
