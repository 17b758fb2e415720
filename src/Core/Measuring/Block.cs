namespace SwiftLedger.Core.Measuring;

/// <summary>One batch on each side, back to back.</summary>
/// <param name="AtSeconds">When it began, since the measuring of the trial began.</param>
/// <param name="BeforeFirst">Which side the seeded coin let go first.</param>
/// <param name="BeforeMicroseconds">Elapsed time per execution on the before side.</param>
/// <param name="AfterMicroseconds">Elapsed time per execution on the after side.</param>
/// <param name="BeforeCpuMicroseconds">CPU time of the measuring thread per execution.</param>
/// <param name="AfterCpuMicroseconds">CPU time of the measuring thread per execution.</param>
/// <param name="InvoluntarySwitches">How often the kernel took the thread off its core during the block.</param>
/// <param name="StolenMilliseconds">CPU time that the hypervisor took from the core that measured, where the system tells.</param>
/// <param name="RunDelayMilliseconds">Time that the measuring thread, or the engine's own process, was runnable and not running: others had its core. 0 where the system does not tell.</param>
/// <param name="LeftOut">Whether the block is left out by the rule of <see cref="IsTakenAway"/>.</param>
public sealed record Block(
    double AtSeconds,
    bool BeforeFirst,
    double BeforeMicroseconds,
    double AfterMicroseconds,
    double BeforeCpuMicroseconds,
    double AfterCpuMicroseconds,
    int InvoluntarySwitches,
    double StolenMilliseconds,
    bool LeftOut,
    double RunDelayMilliseconds = 0)
{
    /// <summary>ln(after / before).</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public double LogRatio => Math.Log(AfterMicroseconds / BeforeMicroseconds);

    /// <summary>
    /// The one rule by which a block is left out: while it ran, at least a tenth of its elapsed time was lost to the hypervisor or to
    /// others on its core. The rule does not know the sides, so it cannot favour one.
    /// </summary>
    /// <param name="lostMilliseconds">Stolen time and run delay together.</param>
    /// <param name="elapsedMilliseconds">Of the block.</param>
    public static bool IsTakenAway(double lostMilliseconds, double elapsedMilliseconds) =>
        lostMilliseconds > 0 && lostMilliseconds >= elapsedMilliseconds / 10;
}
