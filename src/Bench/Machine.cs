using System.Globalization;
using System.Runtime.InteropServices;

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

    public static double LoadAverage() =>
        double.Parse(File.ReadAllText("/proc/loadavg").Split(' ')[0], CultureInfo.InvariantCulture);

    public static string Describe()
    {
        string processor = File.ReadLines("/proc/cpuinfo")
            .FirstOrDefault(l => l.StartsWith("model name", StringComparison.Ordinal))?.Split(':', 2)[1].Trim() ?? RuntimeInformation.ProcessArchitecture.ToString();
        double gibibytes = GC.GetGCMemoryInfo().TotalAvailableMemoryBytes / (double)(1 << 30);
        return string.Create(CultureInfo.InvariantCulture,
            $"{processor}, {Environment.ProcessorCount} cores, {gibibytes:0.#} GiB, {RuntimeInformation.OSDescription}");
    }

    /// <summary>Largest resident size that this process ever had, from /proc/self/status.</summary>
    public static double PeakMebibytes() => File.ReadLines("/proc/self/status")
        .Where(l => l.StartsWith("VmHWM:", StringComparison.Ordinal))
        .Select(l => double.Parse(l.Split(' ', StringSplitOptions.RemoveEmptyEntries)[1], CultureInfo.InvariantCulture) / 1024)
        .FirstOrDefault();

    [LibraryImport("libc", EntryPoint = "clock_gettime")]
    private static unsafe partial int GetTime(int clock, long* time);

    [LibraryImport("libc", EntryPoint = "getrusage")]
    private static unsafe partial int GetRusage(int who, long* usage);

    /// <param name="InvoluntarySwitches">How often the kernel took the core away.</param>
    internal readonly record struct ThreadUsage(long InvoluntarySwitches);

    /// <summary>Reads the stolen time of /proc/stat without allocating.</summary>
    internal sealed class StolenTime : IDisposable
    {
        private readonly FileStream _stat = new("/proc/stat", FileMode.Open, FileAccess.Read, FileShare.ReadWrite, bufferSize: 0);
        private readonly byte[] _buffer = new byte[256];

        /// <summary>Since the machine started, all cores, in milliseconds; the kernel counts in hundredths of a second.</summary>
        public double Milliseconds()
        {
            _stat.Position = 0;
            int read = _stat.Read(_buffer, 0, _buffer.Length);
            ReadOnlySpan<byte> line = _buffer.AsSpan(0, read);
            int end = line.IndexOf((byte)'\n');
            line = end < 0 ? line : line[..end];

            // cpu user nice system idle iowait irq softirq steal ...
            int field = 0;
            foreach (Range range in Ascii(line))
            {
                if (field++ == 8)
                {
                    return System.Buffers.Text.Utf8Parser.TryParse(line[range], out long ticks, out _) ? ticks * 10.0 : 0;
                }
            }

            return 0;
        }

        public void Dispose() => _stat.Dispose();

        private static FieldEnumerator Ascii(ReadOnlySpan<byte> line) => new(line);

        private ref struct FieldEnumerator(ReadOnlySpan<byte> line)
        {
            private readonly ReadOnlySpan<byte> _line = line;
            private int _at;
            private Range _current;

            public readonly Range Current => _current;

            public readonly FieldEnumerator GetEnumerator() => this;

            public bool MoveNext()
            {
                while (_at < _line.Length && _line[_at] == ' ')
                {
                    _at++;
                }

                if (_at >= _line.Length)
                {
                    return false;
                }

                int start = _at;
                while (_at < _line.Length && _line[_at] != ' ')
                {
                    _at++;
                }

                _current = start.._at;
                return true;
            }
        }
    }
}
