using System.Globalization;

namespace SwiftLedger.Subjects;

/// <summary>What a thread had of the processors so far: proc(5), schedstat.</summary>
/// <param name="UsedMicroseconds">On a CPU.</param>
/// <param name="WaitedMicroseconds">Runnable and not running: others had the CPU.</param>
public readonly record struct ProcessorTime(double UsedMicroseconds, double WaitedMicroseconds)
{
    /// <summary>Of the calling thread.</summary>
    public const string OfThisThread = "/proc/thread-self/schedstat";

    /// <param name="file">A schedstat of the kernel's: nanoseconds on a CPU, nanoseconds waited for one, and how often it ran.</param>
    /// <returns>Null where the system does not tell.</returns>
    public static ProcessorTime? Read(string file)
    {
        try
        {
            string[] fields = File.ReadAllText(file).Split(' ');
            return fields.Length >= 2 && long.TryParse(fields[0], CultureInfo.InvariantCulture, out long used) && long.TryParse(fields[1], CultureInfo.InvariantCulture, out long waited)
                ? new(used / 1000.0, waited / 1000.0)
                : null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }
}
