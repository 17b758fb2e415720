using System.Diagnostics;
using System.Globalization;
using System.Text.RegularExpressions;
using Npgsql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A dump of a database by PostgreSQL's own pg_dump, in a folder of its own, to be restored by pg_restore: works while others use the database, and between servers.</summary>
/// <remarks>PostgreSQL manual, "pg_dump" and "pg_restore": a dump is refused of a server newer than the program, and loads into the same or a newer version.</remarks>
internal sealed partial class PostgresDump : IDisposable
{
    private const int Jobs = 2;

    private readonly string _programs;
    private readonly string _dump;

    private PostgresDump(string programs, string dump) => (_programs, _dump) = (programs, dump);

    /// <summary>The newest programs of this machine.</summary>
    /// <returns>Their folder and major version; null where there are none.</returns>
    public static (string Folder, int Version)? Find()
    {
        IEnumerable<string> folders = (Environment.GetEnvironmentVariable("PATH") ?? "").Split(Path.PathSeparator, StringSplitOptions.RemoveEmptyEntries);
        const string debian = "/usr/lib/postgresql";
        if (Directory.Exists(debian))
        {
            folders = Directory.GetDirectories(debian).Select(d => Path.Combine(d, "bin")).Concat(folders);
        }

        return folders.Where(f => File.Exists(Path.Combine(f, "pg_dump")) && File.Exists(Path.Combine(f, "pg_restore")))
            .Select(f => ((string Folder, int Version)?)(f, VersionOf(Path.Combine(f, "pg_dump")))).MaxBy(f => f!.Value.Version);
    }

    /// <summary>Why this machine cannot dump a server; null where it can.</summary>
    /// <param name="version">The server's, as a number.</param>
    public static string? Lacking(int version) => Find() switch
    {
        null => "pg_dump and pg_restore are not on this machine. Install PostgreSQL's client programs (Debian: postgresql-client).",
        { Version: int own } when own < version / 10_000 =>
            $"pg_dump on this machine is of version {own.ToString(CultureInfo.InvariantCulture)}, and dumps no server that is newer: this one is {(version / 10_000).ToString(CultureInfo.InvariantCulture)}. Install newer client programs.",
        _ => null,
    };

    /// <param name="folder">Holds the dump until it is disposed of.</param>
    /// <param name="without">Tables whose rows stay behind: schema and name.</param>
    /// <exception cref="SubjectException">The programs are missing or too old, or pg_dump failed.</exception>
    public static PostgresDump Of(NpgsqlConnectionStringBuilder subject, int version, string folder, IEnumerable<(string Schema, string Name)> without, CancellationToken stop)
    {
        if (Lacking(version) is { } lacking)
        {
            throw SubjectException.Because(lacking, badInput: false);
        }

        var dump = new PostgresDump(Find()!.Value.Folder, Path.Combine(folder, "subject.dump"));
        try
        {
            Run(Path.Combine(dump._programs, "pg_dump"), subject,
            [
                "--format=directory", $"--jobs={Jobs}", "--compress=1", "--no-owner", "--no-privileges", "--no-subscriptions", "--no-publications", $"--file={dump._dump}",
                .. without.Select(t => $"--exclude-table-data={PostgresConnection.Quoted(t.Schema)}.{PostgresConnection.Quoted(t.Name)}"),
            ], stop);
            return dump;
        }
        catch
        {
            dump.Dispose();
            throw;
        }
    }

    /// <summary>The SQL that makes a database's schema, without rows, owners, rights and comments.</summary>
    /// <param name="section">pre-data or post-data.</param>
    /// <exception cref="SubjectException">The programs are missing or too old, or pg_dump failed.</exception>
    public static string SchemaOf(NpgsqlConnectionStringBuilder subject, int version, string section, CancellationToken stop) => Lacking(version) is { } lacking
        ? throw SubjectException.Because(lacking, badInput: false)
        : Run(Path.Combine(Find()!.Value.Folder, "pg_dump"), subject,
            ["--schema-only", $"--section={section}", "--no-owner", "--no-privileges", "--no-comments", "--no-security-labels", "--no-subscriptions", "--no-publications", "--no-tablespaces"], stop);

    /// <param name="sections">Those of pre-data, data and post-data that are restored; empty for all.</param>
    /// <param name="without">Objects that are left out, by their number in the subject's own catalogue.</param>
    /// <param name="elsewhere">Whether it is another server, which has tablespaces of its own.</param>
    /// <param name="asRole">Whether it is restored by who may do nothing but that: extensions are there already.</param>
    /// <exception cref="SubjectException">pg_restore failed.</exception>
    public void Restore(NpgsqlConnectionStringBuilder to, IEnumerable<string> sections, IReadOnlySet<string> without, bool elsewhere, bool asRole, CancellationToken stop) =>
        Restore(to, sections, line => !(Entry().Match(line) is { Success: true } m && (without.Contains(m.Groups[1].Value) || (asRole && OfAdministrators().IsMatch(m.Groups[2].Value)))), elsewhere, stop);

    /// <summary>Restores schemas and extensions alone, which a role without rights may not make.</summary>
    /// <returns>What such a role may not make either, and is left out: foreign servers and what stands on them, event triggers.</returns>
    /// <exception cref="SubjectException">pg_restore failed.</exception>
    public IReadOnlyList<string> RestoreExtensions(NpgsqlConnectionStringBuilder to, bool elsewhere, CancellationToken stop)
    {
        List<string> entries = [.. Run(Path.Combine(_programs, "pg_restore"), null, ["--list", _dump], stop).Split('\n').Select(l => Entry().Match(l)).Where(m => m.Success).Select(m => m.Groups[2].Value)];
        if (entries.Any(e => Beforehand().IsMatch(e)))
        {
            Restore(to, [], line => Entry().Match(line) is { Success: true } m && Beforehand().IsMatch(m.Groups[2].Value), elsewhere, stop);
        }

        return [.. entries.Where(e => OfAdministrators().IsMatch(e) && !Beforehand().IsMatch(e) && !e.StartsWith("COMMENT", StringComparison.Ordinal))];
    }

    private void Restore(NpgsqlConnectionStringBuilder to, IEnumerable<string> sections, Func<string, bool> wanted, bool elsewhere, CancellationToken stop)
    {
        string program = Path.Combine(_programs, "pg_restore"), list = Path.Combine(_dump, "chosen.list");
        File.WriteAllLines(list, Run(program, null, ["--list", _dump], stop).Split('\n').Where(wanted));
        Run(program, to, [$"--jobs={Jobs}", "--no-owner", "--no-privileges", "--exit-on-error", .. sections.Select(s => $"--section={s}"), .. Enumerable.Repeat("--no-tablespaces", elsewhere ? 1 : 0), $"--use-list={list}", $"--dbname={to.Database}", _dump], stop);
    }

    public void Dispose()
    {
        if (Directory.Exists(_dump))
        {
            Directory.Delete(_dump, recursive: true);
        }
    }

    private static int VersionOf(string program)
    {
        using Process process = Process.Start(new ProcessStartInfo(program, "--version") { RedirectStandardOutput = true })!;
        Match number = MajorVersion().Match(process.StandardOutput.ReadToEnd());
        process.WaitForExit();
        return number.Success ? int.Parse(number.Value, CultureInfo.InvariantCulture) : 0;
    }

    private static string Run(string program, NpgsqlConnectionStringBuilder? address, string[] arguments, CancellationToken stop)
    {
        var info = new ProcessStartInfo(program, arguments) { RedirectStandardError = true, RedirectStandardInput = true, RedirectStandardOutput = true };
        if (address is not null)
        {
            Tell(info, address);
        }

        using Process process = Process.Start(info)!;
        process.StandardInput.Close();
        using CancellationTokenRegistration stopping = stop.Register(() => process.Kill(entireProcessTree: true));
        Task<string> output = process.StandardOutput.ReadToEndAsync(CancellationToken.None);
        string complaints = process.StandardError.ReadToEnd();
        process.WaitForExit();
        stop.ThrowIfCancellationRequested();
        if (process.ExitCode != 0)
        {
            throw SubjectException.Because($"{Path.GetFileName(program)} failed: {complaints.Trim().Split('\n')[0]}", badInput: !complaints.Contains("No space left", StringComparison.Ordinal));
        }

        return output.GetAwaiter().GetResult();
    }

    private static void Tell(ProcessStartInfo info, NpgsqlConnectionStringBuilder address)
    {
        info.Environment["PGHOST"] = address.Host;
        info.Environment["PGPORT"] = address.Port.ToString(CultureInfo.InvariantCulture);
        info.Environment["PGUSER"] = address.Username ?? Environment.UserName;
        info.Environment["PGDATABASE"] = address.Database;
        info.Environment["PGAPPNAME"] = "swift-ledger";
        info.Environment["PGSSLMODE"] = address.SslMode switch { SslMode.VerifyCA => "verify-ca", SslMode.VerifyFull => "verify-full", var mode => mode.ToString().ToLowerInvariant() };
        foreach ((string name, string? value) in new[]
        {
            ("PGSSLROOTCERT", address.RootCertificate), ("PGSSLCERT", address.SslCertificate), ("PGSSLKEY", address.SslKey), ("PGPASSWORD", address.Password), ("PGPASSFILE", address.Passfile),
        })
        {
            if (!string.IsNullOrEmpty(value))
            {
                info.Environment[name] = value;
            }
        }
    }

    /// <summary>An entry of a dump's list: its own number, the catalogue's and the object's number, and what it is called.</summary>
    [GeneratedRegex("^[0-9]+; [0-9]+ ([0-9]+) (.*)", RegexOptions.CultureInvariant)]
    private static partial Regex Entry();

    /// <summary>What a role without rights may not make: schemas and extensions, which come beforehand, and what leads to other servers or watches others.</summary>
    [GeneratedRegex("^(?:SCHEMA - |EXTENSION - |COMMENT - EXTENSION |USER MAPPING - |SERVER - |FOREIGN DATA WRAPPER - |FOREIGN TABLE |EVENT TRIGGER - )", RegexOptions.CultureInvariant)]
    private static partial Regex OfAdministrators();

    [GeneratedRegex("^(?:SCHEMA - |EXTENSION - )", RegexOptions.CultureInvariant)]
    private static partial Regex Beforehand();

    [GeneratedRegex("[0-9]+", RegexOptions.CultureInvariant)]
    private static partial Regex MajorVersion();
}
