namespace SwiftLedger.Subjects.Sqlite;

/// <summary>What a file's first bytes and neighbours tell about it, before the engine opens it.</summary>
internal sealed record SqliteFile(string Path, long Bytes, bool IsWal, bool HasWalContent, bool HasSharedMemory, bool HasJournalContent)
{
    /// <summary>The first 16 bytes of every database: SQLite file format, 1.3.1.</summary>
    private static ReadOnlySpan<byte> Magic => "SQLite format 3\0"u8;

    /// <exception cref="SubjectException">It is no usable database; the message says why and what to do.</exception>
    public static SqliteFile Look(string path)
    {
        if (string.IsNullOrWhiteSpace(path))
        {
            throw SubjectException.Because("No path is given. Name the SQLite file to test.");
        }

        if (Directory.Exists(path))
        {
            throw SubjectException.Because($"'{path}' is a folder. Name the SQLite file itself.");
        }

        if (!File.Exists(path))
        {
            throw SubjectException.Because($"There is no file '{path}'.");
        }

        if (RegularFile.NotOne(path) is { } other)
        {
            throw SubjectException.Because($"'{path}' is {other}, and no file.");
        }

        Span<byte> header = stackalloc byte[100];
        long bytes;
        int read;
        try
        {
            using var file = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
            bytes = file.Length;
            read = file.ReadAtLeast(header, 100, throwOnEndOfStream: false);
        }
        catch (Exception e) when (e is UnauthorizedAccessException or IOException)
        {
            throw SubjectException.Because($"'{path}' cannot be read: {e.Message}");
        }

        if (bytes == 0)
        {
            throw SubjectException.Because($"'{path}' is empty: it holds no tables to test.");
        }

        if (read < 100 || !header[..16].SequenceEqual(Magic))
        {
            throw SubjectException.Because(
                $"'{path}' is not a SQLite database, or it is encrypted. If it is encrypted, decrypt a copy and name that.");
        }

        return new(path, bytes, header[18] == 2 && header[19] == 2, Length(path + "-wal") > 0, File.Exists(path + "-shm"), Length(path + "-journal") > 0);
    }

    /// <summary>A path as the engine takes it with parameters.</summary>
    /// <remarks>SQLite documentation, "Uniform Resource Identifiers".</remarks>
    public static string Uri(string path, string parameters) => $"file:{string.Join('/', System.IO.Path.GetFullPath(path).Split('/').Select(System.Uri.EscapeDataString))}?{parameters}";

    /// <summary>What must not move while the file is copied without the engine's locks.</summary>
    public (long Bytes, DateTime Written, long Wal, DateTime WalWritten) Fingerprint()
    {
        var main = new FileInfo(Path);
        var wal = new FileInfo(Path + "-wal");
        return (main.Length, main.LastWriteTimeUtc, wal.Exists ? wal.Length : -1, wal.Exists ? wal.LastWriteTimeUtc : default);
    }

    private static long Length(string path) => File.Exists(path) ? new FileInfo(path).Length : 0;
}
