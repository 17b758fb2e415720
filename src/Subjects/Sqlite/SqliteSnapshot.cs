using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>
/// Copies a database as of one moment, without writing a byte to it or leaving a file beside it.
/// </summary>
/// <remarks>
/// The online backup API reads the source like any reader. Where merely opening the source would create or recover files
/// beside it (a WAL database that nobody has open, or one that a crash left behind), its files are copied as they are, and
/// the copy is recovered; that is repeated should they change meanwhile.
/// </remarks>
internal static class SqliteSnapshot
{
    private const int PagesPerStep = 4_096;
    private const int MostRestarts = 5;
    private const long Spare = 32L << 20;

    /// <summary>A file that takes longer to check is taken as it is.</summary>
    internal static readonly TimeSpan LongestLook = TimeSpan.FromMinutes(10);

    /// <summary>The engine's codes of a file that cannot be read: SQLITE_IOERR, SQLITE_CORRUPT, SQLITE_NOTADB. Any other failure of a check says nothing of the file.</summary>
    private static readonly string?[] Damaged = ["10", "11", "26"];

    /// <param name="source">The database under test.</param>
    /// <param name="target">The file to make; it must not exist.</param>
    /// <param name="copies">How many files of this size the trial will need, for the check of free space.</param>
    /// <param name="freeBytes">Free space of the disk that holds a folder, in bytes.</param>
    /// <param name="progress">Told the share done, 0 to 1.</param>
    /// <exception cref="SubjectException">It cannot be copied.</exception>
    public static void Take(
        string source, string target, int copies, Func<string, long> freeBytes, Action<double>? progress, CancellationToken stop)
    {
        SqliteFile file = SqliteFile.Look(source);
        CheckSpace(file, target, copies, freeBytes);
        try
        {
            if ((file.IsWal && !file.HasSharedMemory) || file.HasJournalContent)
            {
                CopyFiles(file, target, stop);
            }
            else
            {
                Backup(source, target, raw.SQLITE_OPEN_READONLY, progress, stop);
            }

            Check(target, source);
        }
        catch (EngineException e)
        {
            throw SubjectException.Because($"'{source}' cannot be copied: {e.Message}. {Remedy(e.Message)}");
        }
        catch (IOException e)
        {
            throw SubjectException.Because($"'{source}' cannot be copied: {e.Message}", badInput: false);
        }
    }

    /// <summary>Copies a private file that nobody else has open.</summary>
    public static void CopyPrivate(string source, string target, CancellationToken stop) =>
        Backup(source, target, raw.SQLITE_OPEN_READWRITE, null, stop);

    public static long FreeBytes(string folder) => new DriveInfo(Path.GetFullPath(folder)).AvailableFreeSpace;

    private static void CheckSpace(SqliteFile file, string target, int copies, Func<string, long> freeBytes)
    {
        string folder = Path.GetDirectoryName(target)!;
        long needed = (file.Bytes * copies) + Spare;
        long free = freeBytes(folder);
        if (free < needed)
        {
            throw SubjectException.Because(
                $"Too little disk: {copies} copies of this database need {needed >> 20:N0} MiB, and {free >> 20:N0} MiB are free in the ledger's folder. Free some space, or set SWIFT_LEDGER_HOME to a larger disk.",
                badInput: false);
        }
    }

    private static void Backup(string source, string target, int flags, Action<double>? progress, CancellationToken stop)
    {
        using SqliteConnection from = SqliteConnection.Open(source, flags);
        using SqliteConnection to = SqliteConnection.Open(target, raw.SQLITE_OPEN_READWRITE | raw.SQLITE_OPEN_CREATE);
        _ = raw.sqlite3_busy_timeout(from.Handle, 5_000);
        using sqlite3_backup backup = raw.sqlite3_backup_init(to.Handle, "main", from.Handle, "main");
        if (backup is null || backup.IsInvalid)
        {
            throw to.Failure();
        }

        int restarts = 0, remaining = int.MaxValue;
        while (true)
        {
            stop.ThrowIfCancellationRequested();

            // A source that is written to starts the copy over; in the end, one step holds the read lock for all of it.
            int rc = raw.sqlite3_backup_step(backup, restarts < MostRestarts ? PagesPerStep : -1);
            if (rc == raw.SQLITE_DONE)
            {
                break;
            }

            if ((rc & 0xff) is not (raw.SQLITE_OK or raw.SQLITE_BUSY or raw.SQLITE_LOCKED) || ((rc & 0xff) != raw.SQLITE_OK && ++restarts > 2 * MostRestarts))
            {
                throw new EngineException(raw.sqlite3_errstr(rc).utf8_to_string());
            }

            int left = raw.sqlite3_backup_remaining(backup);
            restarts += left > remaining ? 1 : 0;
            remaining = left;
            int pages = raw.sqlite3_backup_pagecount(backup);
            progress?.Invoke(pages == 0 ? 0 : 1 - ((double)left / pages));
        }
    }

    private static void CopyFiles(SqliteFile file, string target, CancellationToken stop)
    {
        for (int attempt = 0; attempt < MostRestarts; attempt++)
        {
            stop.ThrowIfCancellationRequested();
            var fingerprint = file.Fingerprint();
            foreach (string suffix in new[] { "", "-wal", "-journal" })
            {
                File.Delete(target + suffix);
                if (File.Exists(file.Path + suffix))
                {
                    using var from = new FileStream(file.Path + suffix, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
                    using var to = new FileStream(target + suffix, FileMode.CreateNew);
                    from.CopyTo(to);
                }
            }

            if (file.Fingerprint() == fingerprint)
            {
                // Opening the copy recovers what a crash left unfinished, as it would the original.
                using SqliteConnection copy = SqliteConnection.Open(target, raw.SQLITE_OPEN_READWRITE);
                copy.Ask("SELECT count(*) FROM sqlite_schema");
                return;
            }
        }

        throw SubjectException.Because($"'{file.Path}' is written to all the time by another process. Stop that process, or copy the file yourself and name the copy.");
    }

    private static void Check(string copy, string source)
    {
        using SqliteConnection connection = SqliteConnection.Open(copy, raw.SQLITE_OPEN_READWRITE);
        SqliteGuard.Protect(connection);
        SqliteBounds.Distrust(connection, LongestLook);
        string verdict;
        try
        {
            connection.Ask("SELECT count(*) FROM sqlite_schema");
            verdict = connection.Ask("PRAGMA quick_check(1)");
        }
        catch (EngineException e) when (!Damaged.Contains(e.Code))
        {
            // A collation, a function or a module that only the application has, or a check that would take too long: the lines that want it will say so.
            verdict = "ok";
        }
        catch (EngineException e)
        {
            verdict = e.Message;
        }

        if (verdict != "ok")
        {
            throw SubjectException.Because($"'{source}' is damaged: {verdict}. Restore it from a backup; measuring a damaged file would say nothing.");
        }
    }

    private static string Remedy(string message) => message.Contains("locked", StringComparison.Ordinal)
        ? "Another process holds it locked; try again when that has finished."
        : "Check that the file is a readable SQLite database.";
}
