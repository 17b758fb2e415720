using System.Globalization;
using System.IO.Hashing;
using System.Text;
using System.Text.RegularExpressions;
using Npgsql;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>
/// The private databases that trials make on a server, and their removal: only ones with a name that nothing else has, owned by who
/// asks, with this ledger's mark in their comment or of a trial that it knows to have begun, are ever dropped.
/// </summary>
/// <param name="folder">The trial's own folder: its name is in theirs, and where it is gone they are left-overs.</param>
internal sealed partial class PostgresDatabases(NpgsqlConnectionStringBuilder address, string folder)
{
    private const string Prefix = OwnMarks.DatabasePrefix;

    private const int MostLooks = 100;

    private static readonly TimeSpan BetweenLooks = TimeSpan.FromMilliseconds(50);

    private readonly string _trial = Path.GetFileName(folder);

    /// <summary>Stands in the comment: which ledger made it.</summary>
    private string Mark => $"Swift Ledger {XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(Environment.MachineName + Path.GetDirectoryName(Path.GetFullPath(folder)))).ToString("x16", CultureInfo.InvariantCulture)}";

    public string NameOf(string part) => $"{Prefix}{_trial}_{part}";

    private string RoleName => NameOf("run");

    private string Comment => $"{Mark}, made {DateTime.UtcNow:yyyy-MM-dd HH:mm:ss} UTC; dropped by itself";

    /// <summary>
    /// Where this ledger keeps which trials began to make databases, until those are gone: a server that was killed while it made one leaves it
    /// without a comment.
    /// </summary>
    private string Begun => Path.GetDirectoryName(Path.GetFullPath(folder)) + "-begun";

    /// <summary>Keeps that this trial makes databases: their names alone say that they are this ledger's from now on.</summary>
    public void Remember()
    {
        Directory.CreateDirectory(Begun);
        File.WriteAllText(Path.Combine(Begun, _trial), "");
    }

    /// <summary>Nothing of this trial is left on the server.</summary>
    public void Forget() => Forget(_trial);

    private void Forget(string trial)
    {
        if (Directory.Exists(Begun))
        {
            File.Delete(Path.Combine(Begun, trial));
        }
    }

    /// <summary>Makes the role that the copies of this trial belong to.</summary>
    /// <exception cref="EngineException">The server refuses.</exception>
    public CopyRole MakeRole(PostgresConnection server) => CopyRole.Make(server, RoleName, Comment);

    public NpgsqlConnectionStringBuilder AddressOf(string part) => new(address.ConnectionString) { Database = NameOf(part) };

    public static bool Exists(PostgresConnection server, string name) => server.Ask("SELECT 1 FROM pg_database WHERE datname = $1", name) is not null;

    /// <summary>Makes a database from another one, file by file.</summary>
    /// <exception cref="SubjectException">The server refuses, with what can be done about it.</exception>
    public void Make(PostgresConnection server, string part, string template, CancellationToken stop)
    {
        string name = NameOf(part);

        // From version 15 on the default writes every block to the log instead.
        string strategy = PostgresSubject.CheckedVersion(server) >= 150_000 ? " STRATEGY FILE_COPY" : "";
        Create(server, name, $"TEMPLATE {PostgresConnection.Quoted(template)}{strategy}", template, stop);
    }

    /// <summary>Makes an empty database that sorts and encodes as the subject does, on the same disk where it is on the same server.</summary>
    /// <param name="subject">A connection to the subject.</param>
    /// <param name="elsewhere">Whether the subject is on another server, which has tablespaces of its own.</param>
    public void MakeEmpty(PostgresConnection server, string part, PostgresConnection subject, bool elsewhere, CancellationToken stop)
    {
        string icu = PostgresSubject.CheckedVersion(subject) switch
        {
            >= 170_000 => "CASE datlocprovider WHEN 'i' THEN datlocale END",
            >= 150_000 => "CASE datlocprovider WHEN 'i' THEN daticulocale END",
            _ => "NULL",
        };
        string?[] like = subject.Rows($"SELECT pg_encoding_to_char(encoding), datcollate, datctype, current_database(), {icu}, CASE WHEN spcname <> 'pg_default' AND has_tablespace_privilege(s.oid, 'CREATE') THEN spcname END FROM pg_database d JOIN pg_tablespace s ON s.oid = d.dattablespace WHERE datname = current_database()")[0];
        string provider = like[4] is { } locale ? $" LOCALE_PROVIDER icu ICU_LOCALE {PostgresConnection.Literal(locale)}" : "";
        // Where it may not be named, or need not be, the server's own choice holds.
        string place = elsewhere || like[5] is not { } space ? "" : $" TABLESPACE {PostgresConnection.Quoted(space)}";
        Create(server, NameOf(part),
            $"TEMPLATE template0 ENCODING {PostgresConnection.Literal(like[0]!)} LC_COLLATE {PostgresConnection.Literal(like[1] ?? "C")} LC_CTYPE {PostgresConnection.Literal(like[2] ?? "C")}{provider}{place}", like[3]!, stop);
    }

    /// <summary>Makes an empty database by what is told of another one.</summary>
    /// <param name="settings">Encoding and locale, by the catalogue's names.</param>
    /// <returns>What the server had to choose by itself, in a sentence; null where nothing.</returns>
    /// <exception cref="SubjectException">The server refuses.</exception>
    public string? MakeEmpty(PostgresConnection server, string part, IReadOnlyDictionary<string, string> settings, CancellationToken stop)
    {
        string Literal(string name, string other) => PostgresConnection.Literal(settings.GetValueOrDefault(name) ?? other);
        string icu = settings.TryGetValue("icu_locale", out string? locale) ? $" LOCALE_PROVIDER icu ICU_LOCALE {PostgresConnection.Literal(locale)}" : "";
        try
        {
            Create(server, NameOf(part), $"TEMPLATE template0 ENCODING {Literal("encoding", "UTF8")} LC_COLLATE {Literal("collate", "C")} LC_CTYPE {Literal("ctype", "C")}{icu}", "", stop);
            return null;
        }
        catch (SubjectException e) when (e.Problem.Message.Contains("locale", StringComparison.OrdinalIgnoreCase))
        {
            Create(server, NameOf(part), "TEMPLATE template0", "", stop);
            return $"This server has no locale {settings.GetValueOrDefault("icu_locale") ?? settings.GetValueOrDefault("collate")}: texts sort by its own, which indexes and plans may show.";
        }
    }

    private void Create(PostgresConnection server, string name, string how, string subject, CancellationToken stop)
    {
        try
        {
            server.Execute($"CREATE DATABASE {PostgresConnection.Quoted(name)} {how}", stop);
            server.Execute($"COMMENT ON DATABASE {PostgresConnection.Quoted(name)} IS {PostgresConnection.Literal(Comment)}", stop);
        }
        catch (EngineException e)
        {
            throw SubjectException.Because(Explained(e.Message, subject), badInput: !e.Message.Contains("space left", StringComparison.OrdinalIgnoreCase));
        }
    }

    /// <summary>Drops this trial's databases and role, and those of trials of the same ledger whose folder is gone.</summary>
    /// <param name="own">Whether this trial has ended: its own go by their names alone, for it may have been killed before it could mark them.</param>
    /// <returns>The names of those that could not be dropped.</returns>
    public List<string> Sweep(PostgresConnection server, bool own) =>
    [
        .. own && !EndMaking(server) ? [NameOf("base")] : Array.Empty<string>(),

        // Sessions of a process that was killed may still hold a database.
        .. Drop(server, own, "DATABASE", " WITH (FORCE)", """
            SELECT d.datname FROM pg_database d
            WHERE d.datname LIKE 'swift\_ledger\_%' AND pg_has_role(d.datdba, 'MEMBER')
              AND (starts_with(coalesce(shobj_description(d.oid, 'pg_database'), ''), $1) OR ($2 = 'own' AND starts_with(d.datname, $3)) OR substr(d.datname, 14, 32) = ANY (string_to_array($4, ',')))
            """),
        .. Drop(server, own, "ROLE", "", """
            SELECT r.rolname FROM pg_roles r
            WHERE r.rolname LIKE 'swift\_ledger\_%' AND r.rolname <> current_user
              AND (starts_with(coalesce(shobj_description(r.oid, 'pg_authid'), ''), $1) OR ($2 = 'own' AND r.rolname = $3) OR substr(r.rolname, 14, 32) = ANY (string_to_array($4, ',')))
            """),
    ];

    /// <summary>Ends what still makes a database of this trial for a process that was killed: the server goes on with it, and it would appear once nobody looks for it any more.</summary>
    /// <returns>Whether nothing does any more.</returns>
    private bool EndMaking(PostgresConnection server)
    {
        for (int i = 0; i < MostLooks; i++)
        {
            if (server.Rows("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE pid <> pg_backend_pid() AND usename = current_user AND state = 'active' AND starts_with(query, $1)", $"CREATE DATABASE \"{NameOf("")}").Count == 0)
            {
                return true;
            }

            server.Ask($"SELECT pg_sleep({BetweenLooks.TotalSeconds.ToString(CultureInfo.InvariantCulture)})");
        }

        return false;
    }

    private List<string> Drop(PostgresConnection server, bool own, string what, string how, string candidates)
    {
        var left = new List<string>();
        string begun = Directory.Exists(Begun) ? string.Join(',', Directory.EnumerateFiles(Begun).Select(Path.GetFileName)) : "";
        foreach (string?[] row in server.Rows(candidates, Mark, own ? "own" : "", what == "ROLE" ? RoleName : NameOf(""), begun))
        {
            string name = row[0]!;
            if (CopyName().Match(name) is not { Success: true } match)
            {
                continue;
            }

            string trial = match.Groups[1].Value;
            bool mine = trial == _trial;
            if (mine ? own : !Directory.Exists(Path.Combine(Path.GetDirectoryName(Path.GetFullPath(folder))!, trial)))
            {
                try
                {
                    server.Execute($"DROP {what} {PostgresConnection.Quoted(name)}{how}");
                    if (what == "ROLE")
                    {
                        // The last of a trial: its databases went before.
                        Forget(trial);
                    }
                }
                catch (EngineException)
                {
                    left.Add(name);
                }
            }
        }

        return left;
    }

    private static string Explained(string message, string template) =>
        message.Contains("is being accessed by other users", StringComparison.Ordinal)
            ? $"'{template}' has other sessions, and the server copies a database only while nobody else is connected to it. Copy it by dump and restore (--sides dumped), compare two databases that are there (--sides pair), or compare plans alone (--sides rolled-back)."
        : message.Contains("permission denied to create database", StringComparison.Ordinal)
            ? "This user may not create databases, so no copies can be made. An administrator can allow it with ALTER ROLE ... CREATEDB; without it, copies can stand on another server (--copies-on), rewrites can be tested on the subject itself (--sides as-is), and other changes in a transaction that is rolled back (--sides rolled-back)."
        : message.Contains("permission denied to copy database", StringComparison.Ordinal)
            ? $"Only its owner, or a superuser, may copy '{template}'. Rewrites can be tested on the subject itself (--sides as-is), other changes in a transaction that is rolled back (--sides rolled-back)."
        : $"The server could not copy '{template}': {message}.";

    [GeneratedRegex("^swift_ledger_([0-9a-f]{32})_(?:base|(?:before|after)(?:_[0-9]+)?|run)$", RegexOptions.CultureInvariant)]
    private static partial Regex CopyName();
}
