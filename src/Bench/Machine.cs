using System.Buffers.Text;
using System.Globalization;
using System.Runtime.InteropServices;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>What Linux tells about this machine and this thread.</summary>
internal static partial class Machine
{
    private const int RusageThread = 1, ThreadCpuClock = 3;

    /// <summary>Involuntary switches of the calling thread: getrusage(2).</summary>
    public static ThreadUsage OfThisThread()
    {
        Span<long> usage = stackalloc long[18];
        unsafe
        {
            fixed (long* at = usage)
            {
                if (GetRusage(RusageThread, at) != 0)
                {
                    return default;
                }
            }
        }

        return new(usage[17]);
    }

    /// <summary>CPU time of the calling thread: clock_gettime(2), which counts finer than getrusage(2) does.</summary>
    public static double CpuMicroseconds()
    {
        unsafe
        {
            long* time = stackalloc long[2];
            return GetTime(ThreadCpuClock, time) == 0 ? (time[0] * 1e6) + (time[1] / 1e3) : 0;
        }
    }

    /// <summary>Microseconds so far that the calling thread was runnable and not running; 0 where the system does not tell.</summary>
    public static double WaitedMicroseconds() => ProcessorTime.Read(ProcessorTime.OfThisThread)?.WaitedMicroseconds ?? 0;

    public static double LoadAverage() =>
        double.Parse(File.ReadAllText("/proc/loadavg").Split(' ')[0], CultureInfo.InvariantCulture);

    public static string Describe()
    {
        string processor = File.ReadLines("/proc/cpuinfo")
            .FirstOrDefault(l => l.StartsWith("model name", StringComparison.Ordinal))?.Split(':', 2)[1].Trim() ?? RuntimeInformation.ProcessArchitecture.ToString();

        // Not what the runtime tells: a measuring process may have a bound of its own.
        double gibibytes = Field("/proc/meminfo", "MemTotal:") / (1 << 20);
        return string.Create(CultureInfo.InvariantCulture,
            $"{processor}, {Environment.ProcessorCount} cores, {gibibytes:0.#} GiB, {RuntimeInformation.OSDescription}");
    }

    /// <summary>Largest resident size that this process ever had, from /proc/self/status.</summary>
    public static double PeakMebibytes() => Field("/proc/self/status", "VmHWM:") / 1024;

    /// <summary>A number of a file of the kernel's in lines "NAME: NUMBER kB" (proc(5)), in KiB; 0 where it is not there.</summary>
    private static double Field(string file, string name) => File.ReadLines(file)
        .Where(l => l.StartsWith(name, StringComparison.Ordinal))
        .Select(l => double.Parse(l.Split(' ', StringSplitOptions.RemoveEmptyEntries)[1], CultureInfo.InvariantCulture))
        .FirstOrDefault();

    [LibraryImport("libc", EntryPoint = "clock_gettime")]
    private static unsafe partial int GetTime(int clock, long* time);

    [LibraryImport("libc", EntryPoint = "getrusage")]
    private static unsafe partial int GetRusage(int who, long* usage);

    [LibraryImport("libc", EntryPoint = "sched_getcpu")]
    private static partial int GetCore();

    /// <param name="InvoluntarySwitches">How often the kernel took the core away.</param>
    internal readonly record struct ThreadUsage(long InvoluntarySwitches);

    /// <summary>Time that the hypervisor took from this machine, by /proc/stat, read without allocating.</summary>
    internal sealed class StolenTime : IDisposable
    {
        private const int BytesALine = 160, StealField = 8;
        private const double MillisecondsATick = 10;

        private readonly FileStream _stat = new("/proc/stat", FileMode.Open, FileAccess.Read, FileShare.ReadWrite, bufferSize: 0);
        private readonly byte[] _buffer = new byte[BytesALine * (Environment.ProcessorCount + 64)];

        // Index 0 is the sum of all cores, core n stands at n + 1, as in the file.
        private readonly double[] _now;
        private readonly double[] _marked;
        private int _markedCore;

        public StolenTime()
        {
            int cores = File.ReadLines("/proc/stat").Count(l => l.StartsWith("cpu", StringComparison.Ordinal));
            _now = new double[cores];
            _marked = new double[cores];
            Mark();
        }

        /// <summary>Since the machine started, all cores; the kernel counts in hundredths of a second.</summary>
        public double Milliseconds()
        {
            Read(_now);
            return _now[0];
        }

        /// <summary>Begins a span of time for <see cref="SinceMark"/>.</summary>
        public void Mark()
        {
            Read(_marked);
            _markedCore = GetCore();
        }

        /// <summary>Milliseconds taken since the mark from the core on which the calling thread runs; if it moved, from the worse of the two.</summary>
        public double SinceMark()
        {
            Read(_now);
            return Math.Max(Taken(_markedCore), Taken(GetCore()));
        }

        public void Dispose() => _stat.Dispose();

        private double Taken(int core) =>
            core >= 0 && core + 1 < _now.Length ? _now[core + 1] - _marked[core + 1] : _now[0] - _marked[0];

        /// <summary>Lines read "cpu user nice system idle iowait irq softirq steal ...", then "cpu0 ..." and so on.</summary>
        private void Read(double[] milliseconds)
        {
            _stat.Position = 0;
            ReadOnlySpan<byte> rest = _buffer.AsSpan(0, _stat.Read(_buffer, 0, _buffer.Length));
            for (int i = 0; i < milliseconds.Length; i++)
            {
                int end = rest.IndexOf((byte)'\n');
                milliseconds[i] = TicksIn(end < 0 ? rest : rest[..end]) * MillisecondsATick;
                rest = end < 0 ? [] : rest[(end + 1)..];
            }
        }

        private static long TicksIn(ReadOnlySpan<byte> line)
        {
            int field = 0;
            while (!line.IsEmpty)
            {
                int end = line.IndexOf((byte)' ');
                ReadOnlySpan<byte> value = end < 0 ? line : line[..end];
                line = end < 0 ? [] : line[(end + 1)..];
                if (!value.IsEmpty && field++ == StealField)
                {
                    return Utf8Parser.TryParse(value, out long ticks, out _) ? ticks : 0;
                }
            }

            return 0;
        }
    }
}
