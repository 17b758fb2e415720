using System.Diagnostics;
using System.Globalization;

namespace SwiftLedger.Bench;

/// <summary>The folder of one trial's copies, and its end.</summary>
internal static class CopyFolder
{
    private const int Attempts = 50;

    private static readonly TimeSpan Between = TimeSpan.FromMilliseconds(20);

    /// <summary>Removes a folder while perhaps others still write into it: programs that were started for it are ended first.</summary>
    public static void Remove(string folder)
    {
        EndProgramsOf(folder);
        string gone = folder + ".gone";
        for (int i = 0; i < Attempts && (Directory.Exists(folder) || Directory.Exists(gone)); i++)
        {
            try
            {
                // Under another name nobody finds it any more: what still runs can make nothing new in it.
                if (Directory.Exists(folder))
                {
                    Directory.Move(folder, gone);
                }

                Directory.Delete(gone, recursive: true);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                // Another process removes it as well. What cannot be removed at all is swept at the next start.
                Thread.Sleep(Between);
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
