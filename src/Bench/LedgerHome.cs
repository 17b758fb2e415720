namespace SwiftLedger.Bench;

/// <summary>Where everything lies that the program keeps: <c>SWIFT_LEDGER_HOME</c>, else the XDG data folder.</summary>
public sealed record LedgerHome(string Root)
{
    private const string LockName = "in-use.lock";

    public string LedgerFile => Path.Combine(Root, "ledger.db");

    /// <summary>One folder for each running trial; empty when nothing runs.</summary>
    public string Copies => Path.Combine(Root, "copies");

    public string Uploads => Path.Combine(Root, "uploads");

    public string Demo => Path.Combine(Root, "demo");

    /// <summary>Held by the one process that measures: two at once would measure each other.</summary>
    public string MeasuringLock => Path.Combine(Root, "measuring.lock");

    public static LedgerHome FromEnvironment()
    {
        string? set = Environment.GetEnvironmentVariable("SWIFT_LEDGER_HOME");
        if (string.IsNullOrWhiteSpace(set))
        {
            string? data = Environment.GetEnvironmentVariable("XDG_DATA_HOME");
            set = Path.Combine(string.IsNullOrWhiteSpace(data)
                ? Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".local", "share") : data, "swift-ledger");
        }

        return new LedgerHome(Path.GetFullPath(set)).Created();
    }

    public LedgerHome Created()
    {
        Directory.CreateDirectory(Root);
        Directory.CreateDirectory(Copies);
        Directory.CreateDirectory(Uploads);
        return this;
    }

    /// <summary>Makes a folder for one trial's copies, held until the returned lock is disposed.</summary>
    public (string Folder, IDisposable Hold) NewCopyFolder()
    {
        string folder = Path.Combine(Copies, Guid.NewGuid().ToString("n"));
        Directory.CreateDirectory(folder);
        var hold = new FileStream(Path.Combine(folder, LockName), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        return (folder, hold);
    }

    /// <summary>Removes the copies that a killed process left; those in use are held by a lock and stay.</summary>
    public void SweepCopies()
    {
        foreach (string folder in Directory.GetDirectories(Copies))
        {
            string path = Path.Combine(folder, LockName);
            try
            {
                using (new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None))
                {
                }

                Directory.Delete(folder, recursive: true);
            }
            catch (IOException)
            {
                // In use by another process.
            }
        }
    }
}
