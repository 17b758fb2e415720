using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>One side of a line, timed in batches of at least five milliseconds.</summary>
internal sealed class SideBatches(ISubjectCopy copy, IPreparedCase prepared) : IDisposable
{
    private const double BatchMicroseconds = 5_000;
    private const double WarmUpMicroseconds = 1_000_000;
    private const int LeastWarmUp = 3, MostWarmUp = 20;
    private const double WarmWithin = 0.10;

    private int _times = 1;
    private double _batch;
    private bool _warm;

    /// <summary>Brings the side to the same state as any other: empty caches, then this line's own pages and nothing else's.</summary>
    public void WarmUp()
    {
        copy.ReleaseMemory();
        if (_warm)
        {
            prepared.Execute(1);
            return;
        }

        double single = UntilSteady();
        _times = Math.Max(1, (int)Math.Ceiling(BatchMicroseconds / Math.Max(0.1, single)));
        Calibrate();
        _warm = true;
    }

    /// <summary>A fifth of a batch is executed and thrown away first: the side that ended the last block would have it easier.</summary>
    public Timing Measure()
    {
        if (_times > 1)
        {
            prepared.Execute((_times + 4) / 5);
        }
        else
        {
            prepared.Discard(_batch / 5);
        }

        double? engine = prepared.EngineTime?.UsedMicroseconds;
        double cpu = engine ?? Machine.CpuMicroseconds();
        double elapsed = prepared.Execute(_times);
        cpu = (engine is null ? Machine.CpuMicroseconds() : prepared.EngineTime?.UsedMicroseconds ?? cpu) - cpu;
        return new(Math.Max(elapsed / _times, 0.001), cpu / _times);
    }

    /// <summary>Microseconds so far that the engine's own process was runnable and not running; 0 where it runs in this process, or cannot be seen.</summary>
    public double EngineWaitedMicroseconds => prepared.EngineTime?.WaitedMicroseconds ?? 0;

    public void Dispose() => prepared.Dispose();

    private double UntilSteady()
    {
        double spent = 0, a = 0, b = 0, c = 0;
        for (int i = 1; i <= MostWarmUp; i++)
        {
            (a, b, c) = (b, c, prepared.Execute(1));
            spent += c;
            double low = Math.Min(a, Math.Min(b, c)), high = Math.Max(a, Math.Max(b, c));
            if (i >= LeastWarmUp && (high <= low * (1 + WarmWithin) || spent >= WarmUpMicroseconds))
            {
                break;
            }
        }

        return Math.Max(0.1, Math.Min(b, c));
    }

    private void Calibrate()
    {
        for (int attempt = 0; attempt < 4; attempt++)
        {
            _batch = prepared.Execute(_times);
            if (_batch >= BatchMicroseconds)
            {
                return;
            }

            _times = (int)Math.Ceiling(_times * BatchMicroseconds * 1.05 / Math.Max(1, _batch));
        }
    }
}

/// <summary>Time per execution, elapsed and on a CPU.</summary>
internal readonly record struct Timing(double Microseconds, double CpuMicroseconds);
