namespace SwiftLedger.Core.Trials;

/// <summary>How the memory that a trial may take is shared out among its processes, and in each between the engine and the runtime.</summary>
/// <param name="Megabytes">Of all: the one that asked, the one that measures, the one that counts.</param>
public sealed record MemoryShares(int Megabytes)
{
    /// <summary>The least that anything can be measured with.</summary>
    public const int Least = 450;

    // Three runtimes with their code, before any of them does anything (seen: 60 to 90 MB each).
    private const int Runtimes = 300;

    private long Rest => (long)(Math.Max(Least, Megabytes) - Runtimes) << 20;

    /// <summary>Bytes that the engine may take where it is timed.</summary>
    public long Timed => Rest / 2;

    /// <summary>Bytes that the engine may take where plans are counted and scripts run.</summary>
    public long Counted => Rest / 3;

    /// <summary>Bytes of managed memory of a process that measures or counts: it holds the job's texts, and what it tells, one event at a time.</summary>
    public const long Managed = 256L << 20;
}
