namespace SwiftLedger.Testing;

/// <summary>Keeps the machine busy: twice as many threads as there are processors, which rest now and then as others do.</summary>
internal sealed class Neighbours : IDisposable
{
    private readonly CancellationTokenSource _stop = new();
    private readonly Thread[] _threads;

    public Neighbours()
    {
        _threads = [.. Enumerable.Range(0, 2 * Environment.ProcessorCount).Select(i => new Thread(() => Work(new Random(i), _stop.Token)) { IsBackground = true })];
        Array.ForEach(_threads, t => t.Start());
    }

    public void Dispose()
    {
        _stop.Cancel();
        Array.ForEach(_threads, t => t.Join());
        _stop.Dispose();
    }

    private static void Work(Random random, CancellationToken stop)
    {
        double sum = 0;
        while (!stop.IsCancellationRequested)
        {
            for (int i = random.Next(1, 20_000_000); i > 0 && !stop.IsCancellationRequested; i--)
            {
                sum += Math.Sqrt(i);
            }

            stop.WaitHandle.WaitOne(random.Next(0, 20));
        }

        GC.KeepAlive(sum);
    }
}
