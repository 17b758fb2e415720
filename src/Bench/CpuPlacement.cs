using System.Runtime.InteropServices;

namespace SwiftLedger.Bench;

/// <summary>
/// Keeps the measuring thread on one CPU for as long as it lives, and the engine's processes off it for as long as they do. Two processes
/// that take turns are otherwise moved about by the scheduler, together on one CPU or apart, and each move changes what a turn costs.
/// Where the engine's processes are not ours to place, the measuring thread alone stays put, which is most of the help.
/// </summary>
/// <remarks>sched_setaffinity(2): a process of another user is placed with CAP_SYS_NICE only.</remarks>
public sealed partial class CpuPlacement : IDisposable
{
    private const int ThisThread = 0, MostCpus = 1024;

    private readonly byte[] _allowed;

    private CpuPlacement(byte[] allowed, int cpu, bool engineApart) => (_allowed, Cpu, EngineApart) = (allowed, cpu, engineApart);

    /// <summary>Where the measuring thread runs.</summary>
    public int Cpu { get; }

    /// <summary>Whether all of the engine's processes run elsewhere.</summary>
    public bool EngineApart { get; }

    /// <param name="engineProcesses">On this machine; null stands for one that runs elsewhere, or cannot be seen.</param>
    /// <returns>Null where there is a single CPU, or the system does not let the thread be placed.</returns>
    public static CpuPlacement? Apart(IEnumerable<int?> engineProcesses)
    {
        byte[] allowed = new byte[MostCpus / 8];
        if (GetAffinity(ThisThread, allowed.Length, allowed) < 0)
        {
            return null;
        }

        // The last one: interrupts meet the first one most.
        int[] cpus = [.. Enumerable.Range(0, MostCpus).Where(cpu => (allowed[cpu / 8] & (1 << (cpu % 8))) != 0)];
        if (cpus.Length < 2 || SetAffinity(ThisThread, allowed.Length, Mask([cpus[^1]])) != 0)
        {
            return null;
        }

        byte[] others = Mask(cpus[..^1]);

        // Each is tried, also where another one cannot be placed.
        bool[] placed = [.. engineProcesses.Select(p => p is { } process && SetAffinity(process, others.Length, others) == 0)];
        return new(allowed, cpus[^1], placed.All(p => p));
    }

    public void Dispose() => _ = SetAffinity(ThisThread, _allowed.Length, _allowed);

    private static byte[] Mask(IEnumerable<int> cpus)
    {
        byte[] mask = new byte[MostCpus / 8];
        foreach (int cpu in cpus)
        {
            mask[cpu / 8] |= (byte)(1 << (cpu % 8));
        }

        return mask;
    }

    [LibraryImport("libc", EntryPoint = "sched_getaffinity")]
    private static partial int GetAffinity(int thread, nint bytes, [Out] byte[] mask);

    [LibraryImport("libc", EntryPoint = "sched_setaffinity")]
    private static partial int SetAffinity(int thread, nint bytes, byte[] mask);
}
