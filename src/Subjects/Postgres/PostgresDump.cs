using System.Diagnostics;
using System.Globalization;
using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Copies a database through PostgreSQL's own pg_dump and pg_restore: works while others use it, and between servers.</summary>
/// <remarks>PostgreSQL manual, "pg_dump": it refuses servers newer than itself.</remarks>
internal static class PostgresDump
{
    private const int Jobs = 2;

    /// <summary>The folder with the programs, the newest of them; null where there are none.</summary>
    public static string? Find()
    {
        IEnumerable<string> folders = (Environment.GetEnvironmentVariable("PATH") ?? "").Split(Path.PathSeparator, StringSplitOptions.RemoveEmptyEntries);
        const string debian = "/usr/lib/postgresql";
        if (Directory.Exists(debian))
        {
            folders = Directory.GetDirectories(debian).OrderByDescending(d => double.TryParse(Path.GetFileName(d), CultureInfo.InvariantCulture, out double v) ? v : 0)
                .Select(d => Path.Combine(d, "bin")).Concat(folders);
        }

        return folders.FirstOrDefault(f => File.Exists(Path.Combine(f, "pg_dump")) && File.Exists(Path.Combine(f, "pg_restore")));
    }

    /// <param name="from">The subject.</param>
    /// <param name="to">An empty database.</param>
    /// <param name="folder">Holds the dump meanwhile.</param>
    /// <exception cref="SubjectException">One of the programs failed.</exception>
    public static void Copy(NpgsqlConnectionStringBuilder from, NpgsqlConnectionStringBuilder to, string folder, CancellationToken stop)
    {
        string programs = Find() ?? throw SubjectException.Because(
            "Copies by dump and restore want pg_dump and pg_restore on this machine. Install PostgreSQL's client programs (Debian: postgresql-client).", badInput: false);
        string dump = Path.Combine(folder, "subject.dump");
        try
        {
            Run(Path.Combine(programs, "pg_dump"), from, ["--format=directory", $"--jobs={Jobs}", "--compress=1", "--no-owner", "--no-privileges", "--no-subscriptions", "--no-publications", $"--file={dump}"], stop);
            Run(Path.Combine(programs, "pg_restore"), to, [$"--jobs={Jobs}", "--no-owner", "--no-privileges", "--exit-on-error", $"--dbname={to.Database}", dump], stop);
        }
        finally
        {
            if (Directory.Exists(dump))
            {
                Directory.Delete(dump, recursive: true);
            }
        }
    }

    private static void Run(string program, NpgsqlConnectionStringBuilder address, string[] arguments, CancellationToken stop)
    {
        var info = new ProcessStartInfo(program, arguments) { RedirectStandardError = true, RedirectStandardInput = true };
        info.Environment["PGHOST"] = address.Host;
        info.Environment["PGPORT"] = address.Port.ToString(CultureInfo.InvariantCulture);
        info.Environment["PGUSER"] = address.Username ?? Environment.UserName;
        info.Environment["PGDATABASE"] = address.Database;
        info.Environment["PGAPPNAME"] = "swift-ledger";
        info.Environment["PGSSLMODE"] = address.SslMode switch { SslMode.VerifyCA => "verify-ca", SslMode.VerifyFull => "verify-full", var mode => mode.ToString().ToLowerInvariant() };
        if (!string.IsNullOrEmpty(address.RootCertificate))
        {
            info.Environment["PGSSLROOTCERT"] = address.RootCertificate;
        }

        if (!string.IsNullOrEmpty(address.Password))
        {
            info.Environment["PGPASSWORD"] = address.Password;
        }

        using Process process = Process.Start(info)!;
        process.StandardInput.Close();
        using CancellationTokenRegistration stopping = stop.Register(() => process.Kill(entireProcessTree: true));
        string complaints = process.StandardError.ReadToEnd();
        process.WaitForExit();
        stop.ThrowIfCancellationRequested();
        if (process.ExitCode != 0)
        {
            throw SubjectException.Because($"{Path.GetFileName(program)} failed: {complaints.Trim().Split('\n')[0]}", badInput: !complaints.Contains("No space left", StringComparison.Ordinal));
        }
    }
}
