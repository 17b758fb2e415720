using System.Diagnostics;

namespace SwiftLedger.Bench;

/// <summary>The folder of one trial's copies, held by a lock against those who sweep.</summary>
/// <remarks>It is made only when the measuring process runs that removes it: whoever is killed at whatever moment, somebody is left who knows of it.</remarks>
public sealed class CopyHold(string folder, string lockName) : IDisposable
{
    private FileStream? _hold;
    private Process? _keeper;

    public string Folder => folder;

    /// <summary>Makes the folder, unless it is there.</summary>
    /// <exception cref="IOException">It cannot be made.</exception>
    public void Make()
    {
        if (_hold is null)
        {
            Directory.CreateDirectory(folder);
            _hold = new(Path.Combine(folder, lockName), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        }
    }

    /// <summary>Leaves the folder to a process that has done its job, and removes it should this one be killed.</summary>
    internal void Keep(Process process)
    {
        End();
        _keeper = process;
    }

    /// <summary>Removes the folder, and lets go of it.</summary>
    public void Dispose()
    {
        CopyFolder.Remove(folder);
        _hold?.Dispose();
        End();
    }

    private void End()
    {
        if (_keeper is { } process)
        {
            BenchProcess.Kill(process);
            process.Dispose();
            _keeper = null;
        }
    }
}
