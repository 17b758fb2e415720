namespace SwiftLedger.Bench;

/// <summary>Another server has the ledger.</summary>
public sealed class LedgerHeldException(string root, string holder) : Exception($"The ledger in {root} is held by {holder}. Use that server, end it, or set SWIFT_LEDGER_HOME to another folder.");

/// <summary>Where everything lies that the program keeps: <c>SWIFT_LEDGER_HOME</c>, else the XDG data folder.</summary>
public sealed record LedgerHome(string Root)
{
    private const string LockName = "in-use.lock";

    public string LedgerFile => Path.Combine(Root, "ledger.db");

    /// <summary>One folder for each running trial; empty when nothing runs.</summary>
    public string Copies => Path.Combine(Root, "copies");

    public string Uploads => Path.Combine(Root, "uploads");

    /// <summary>What is received and not yet read: it may hold customers' statements, so it stays here, and goes when its reader is gone.</summary>
    public string Spool => Path.Combine(Root, "spool");

    private string Owner => Path.Combine(Root, "owner.lock");

    private string OwnerTold => Path.Combine(Root, "owner.txt");

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
        Directory.CreateDirectory(Spool);
        return this;
    }

    /// <summary>A new name for something that is received.</summary>
    public string NewSpool() => Path.Combine(Spool, Guid.NewGuid().ToString("n"));

    /// <summary>Takes the ledger for one server: its queue and its running trials are that server's alone.</summary>
    /// <param name="address">Where it answers, told to whoever comes second.</param>
    /// <returns>Held until it is disposed; the system lets go of it however the process ends.</returns>
    /// <exception cref="LedgerHeldException">Another server has it.</exception>
    public IDisposable Claim(string address)
    {
        FileStream claim;
        try
        {
            claim = new(Owner, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        }
        catch (IOException) when (File.Exists(Owner))
        {
            throw new LedgerHeldException(Root, Holder());
        }

        // In a file of its own: nobody else may even read the one that is held.
        File.WriteAllText(OwnerTold, $"process {Environment.ProcessId} at {address}, since {DateTime.Now:yyyy-MM-dd HH:mm}");

        // Whatever lies there was some killed server's.
        foreach (string left in Directory.GetFiles(Spool).Concat(Directory.GetFiles(Uploads, "*.partial")))
        {
            File.Delete(left);
        }

        return claim;
    }

    private string Holder()
    {
        try
        {
            return File.ReadAllText(OwnerTold);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return "another process";
        }
    }

    /// <summary>A name for a folder of one trial's copies; it is made by <see cref="CopyHold.Make"/>.</summary>
    public CopyHold NewCopyFolder() => new(Path.Combine(Copies, Guid.NewGuid().ToString("n")), LockName);

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
