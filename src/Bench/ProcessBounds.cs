using System.Runtime.InteropServices;

namespace SwiftLedger.Bench;

/// <summary>What the system itself keeps a measuring process to.</summary>
internal static partial class ProcessBounds
{
    private const int FileSize = 1, FileSizeExceeded = 25;

    private const long Spare = 64L << 20;

    /// <summary>The largest file that a job may need: a copy that grew as far as it may.</summary>
    public static long MostFileBytes(BenchJob job) => job.Engine.BytesOf(job.Subject) is { } bytes ? bytes + job.Access.Bounds!.GrowthOf(bytes) + Spare : long.MaxValue;

    /// <summary>Writing beyond that size fails with an error, whatever writes: temporary files of the engine are unlinked, and nobody else could see them grow.</summary>
    /// <remarks>setrlimit(2), RLIMIT_FSIZE; the signal that comes with it is ignored, so that the call fails instead.</remarks>
    public static void LimitFiles(long bytes)
    {
        if (bytes == long.MaxValue)
        {
            return;
        }

        unsafe
        {
            _ = Signal(FileSizeExceeded, 1);
            ulong* limit = stackalloc ulong[2];
            limit[0] = limit[1] = (ulong)bytes;
            _ = SetLimit(FileSize, limit);
        }
    }

    [LibraryImport("libc", EntryPoint = "setrlimit")]
    private static unsafe partial int SetLimit(int what, ulong* limit);

    [LibraryImport("libc", EntryPoint = "signal")]
    private static partial nint Signal(int number, nint handler);
}
