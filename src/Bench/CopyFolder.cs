using System.Diagnostics;
using System.Globalization;

namespace SwiftLedger.Bench;

/// <summary>The folder of one trial's copies, and its end.</summary>
internal static class CopyFolder
{
    private const int Attempts = 50;

    /// <summary>Removes a folder while perhaps others still write into it: programs that were started for it are ended first.</summary>
    public static void Remove(string folder)
    {
        EndProgramsOf(folder);
        for (int i = 0; i < Attempts && Directory.Exists(folder); i++)
        {
            try
            {
                Directory.Delete(folder, recursive: true);
            }
            catch (DirectoryNotFoundException)
            {
                return;
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                // Something was written there meanwhile. What cannot be removed at all is swept at the next start.
                Thread.Yield();
            }
        }
    }

    /// <summary>A dump or a restore outlives the process that started it where that was killed; its command line names the folder.</summary>
    private static void EndProgramsOf(string folder)
    {
        foreach (string process in Directory.EnumerateDirectories("/proc"))
        {
            if (!int.TryParse(Path.GetFileName(process), NumberStyles.None, CultureInfo.InvariantCulture, out int id) || id == Environment.ProcessId)
            {
                continue;
            }

            try
            {
                string[] words = File.ReadAllText(Path.Combine(process, "cmdline")).Split('\0');
                if (Path.GetFileName(words[0]).StartsWith("pg_", StringComparison.Ordinal) && words.Any(w => w.Contains(folder, StringComparison.Ordinal)))
                {
                    using var program = Process.GetProcessById(id);
                    program.Kill(entireProcessTree: true);
                }
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentException or InvalidOperationException or System.ComponentModel.Win32Exception)
            {
                // It ended meanwhile, or is another user's.
            }
        }
    }
}
