using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Makes the database that both sides of a trial are copied from, on the subject's own server or on another one.</summary>
/// <param name="version">The subject's server's, as a number.</param>
/// <param name="copies">A database of the server that holds the copies.</param>
/// <param name="role">Whom the copies belong to; null for the connection itself.</param>
/// <param name="bytes">The subject's size.</param>
/// <param name="folder">The trial's own folder: holds a dump meanwhile.</param>
internal sealed class CopyBase(
    SubjectAccess access, NpgsqlConnectionStringBuilder subject, int version, NpgsqlConnectionStringBuilder copies, PostgresDatabases databases, CopyRole? role, long bytes, string folder,
    Action<string> doing)
{
    /// <summary>Share of a table's rows that may be newer than its statistics: what autovacuum_analyze_scale_factor is by default, doubled.</summary>
    private const double Stale = 0.2;

    private readonly DumpContents _contents = access.Dump ?? new();

    private bool Elsewhere => _contents.On is not null;

    /// <returns>What sets the copies apart from the subject, in sentences.</returns>
    /// <exception cref="SubjectException">It cannot be made, with what can be done about it.</exception>
    public IReadOnlyList<string> Make(CancellationToken stop)
    {
        using PostgresConnection server = PostgresSubject.Connect(PostgresSession.Server(copies));
        databases.Sweep(server, own: false);
        if (PostgresDatabases.Exists(server, databases.NameOf("base")))
        {
            return [];
        }

        if (access.Sides == SubjectSides.Copies)
        {
            CheckSize(bytes);
            databases.Make(server, "base", subject.Database!, stop);
            return TakenOver(server, stop);
        }

        using PostgresConnection reading = PostgresSubject.Connect(PostgresSession.Questions(subject));
        List<TableRows> tables = TableRows.Read(reading, subject, _contents);
        CheckSize(_contents.IsWhole ? bytes : (long)tables.Sum(t => t.ExpectedBytes));
        var notes = new List<string>();
        int there = PostgresSubject.CheckedVersion(server);
        if (there / 10_000 < version / 10_000)
        {
            throw SubjectException.Because($"The copies' server is PostgreSQL {Major(there)}, and the subject {Major(version)}: a dump loads into the same or a newer version.");
        }

        if (Elsewhere)
        {
            notes.Add($"The copies stand on another server: {copies.Host}, PostgreSQL {server.Ask("SHOW server_version")}. The subject's is {reading.Ask("SHOW server_version")}. Settings and times are those of the copies' server.");
        }

        databases.MakeEmpty(server, "base", reading, Elsewhere, stop);
        doing("dumping the subject");
        using PostgresDump dump = PostgresDump.Of(subject, version, folder, tables.Where(t => !t.Kept && !_contents.IsWhole).Select(t => (t.Schema, t.Name)), stop);
        notes.AddRange(Prepared(dump, server, stop));
        if (_contents.IsWhole)
        {
            doing("restoring");
            Restore(dump, [], new HashSet<string>(), stop);
        }
        else
        {
            notes.AddRange(Fill(dump, reading, tables, stop));
        }

        doing("gathering statistics");
        using PostgresConnection restored = PostgresSubject.Connect(PostgresSession.Work(Base));

        // Visibility and statistics, which no dump holds: both sides begin alike.
        restored.Execute("VACUUM (ANALYZE)", stop);
        return notes;
    }

    /// <summary>The base as whom it belongs to reaches it.</summary>
    private NpgsqlConnectionStringBuilder Base => role?.AddressOf(databases.AddressOf("base")) ?? databases.AddressOf("base");

    private IReadOnlyList<string> TakenOver(PostgresConnection server, CancellationToken stop)
    {
        if (role is null)
        {
            return [];
        }

        try
        {
            role.Admit(server, databases.NameOf("base"), stop);
            using PostgresConnection copy = PostgresSubject.Connect(PostgresSession.Work(databases.AddressOf("base")));
            return role.TakeOver(copy, stop);
        }
        catch (EngineException e)
        {
            throw SubjectException.Because($"The copies could not be given to {role.Name}, the role that they run as: {e.Message}. The connection's user has to be a member of it, and to own what is in the database.");
        }
    }

    /// <summary>What a dump holds is made by whom the copies belong to: its functions, defaults and indexes execute what the subject's owner wrote.</summary>
    private void Restore(PostgresDump dump, IReadOnlyList<string> sections, IReadOnlySet<string> without, CancellationToken stop) =>
        dump.Restore(Base, sections, without, Elsewhere, asRole: role is not null, stop);

    private IReadOnlyList<string> Prepared(PostgresDump dump, PostgresConnection server, CancellationToken stop)
    {
        if (role is null)
        {
            return [];
        }

        IReadOnlyList<string> left = dump.RestoreExtensions(databases.AddressOf("base"), Elsewhere, stop);
        IReadOnlyList<string> notes = TakenOver(server, stop);
        return left.Count == 0 ? notes : [.. notes, $"Left out, for only an administrator may make them: {string.Join(", ", left.Take(8))}{(left.Count > 8 ? ", ..." : "")}."];
    }

    /// <summary>The schema, the chosen rows and the made ones; then what checks rows, as far as these pass.</summary>
    private List<string> Fill(PostgresDump dump, PostgresConnection reading, List<TableRows> tables, CancellationToken stop)
    {
        doing("restoring");
        Restore(dump, ["pre-data", "data"], new HashSet<string>(), stop);
        var notes = new List<string>();
        List<TableRows> kept = [.. tables.Where(t => t.Kept && t.Expected > 0)], empty = [.. tables.Where(t => !t.Kept && t.Expected > 0)];
        notes.Add(kept.Count == 0 ? "No row is the subject's own." : $"Only the rows of {Names(kept)} are the subject's own.");
        using PostgresConnection restored = PostgresSubject.Connect(PostgresSession.Work(Base));
        if (_contents.MadeRows is { } scale)
        {
            var maker = new RowMaker(RowSource.Of(reading), restored, scale, access.Seed, doing);
            maker.Make(empty, stop);
            List<TableRows> made = [.. maker.Made.Keys];
            notes.Add($"{Figures.Count(maker.Made.Values.Sum())} rows of {Figures.Count(made.Count)} tables are made from their statistics, {Figures.Three(scale)} for each of the subject's. "
                + "Columns are made apart from each other: conditions on several of them may meet other numbers of rows than in the subject. Common values and the borders of histograms are the subject's own; values in between are made up, so what a statement looks for may not be there.");
            if (made.Where(t => t.Changed > Stale * t.Rows).ToList() is { Count: > 0 } stale)
            {
                notes.Add($"Statistics of {Names(stale)} are older than many of their rows: what is made is like the rows of then. ANALYZE the subject first.");
            }

            notes.AddRange(maker.Notes);
            empty = [.. empty.Except(made)];
        }

        if (empty.Count > 0)
        {
            notes.Add($"{Names(empty)} stay{(empty.Count == 1 ? "s" : "")} empty.");
        }

        HashSet<string> without = [];
        foreach (string?[] row in _contents.MadeRows is null ? [] : reading.Rows("SELECT k.oid, quote_ident(k.conname) || ' of ' || k.conrelid::regclass::text, k.conrelid FROM pg_constraint k WHERE k.contype = 'x'"))
        {
            if (tables.Any(t => t.Number == row[2] && !t.Kept))
            {
                without.Add(row[0]!);
                notes.Add($"{row[1]} is left out: made rows do not keep what it excludes.");
            }
        }

        List<ForeignKey> broken = ForeignKeys.Broken(reading, restored, stop);
        without.UnionWith(broken.Select(b => b.Number));
        if (broken.Count > 0)
        {
            notes.Add($"{Figures.Count(broken.Count)} foreign keys are left out, for rows that they refer to are not there: {string.Join(", ", broken.Take(8).Select(b => $"{b.Name} of {tables.FirstOrDefault(t => t.FullName == b.Table)?.Shown ?? b.Table}"))}{(broken.Count > 8 ? ", ..." : "")}.");
        }

        doing("making indexes");
        Restore(dump, ["post-data"], without, stop);
        return notes;
    }

    private void CheckSize(long wanted)
    {
        if (wanted > access.MostBytes)
        {
            throw SubjectException.Because(
                $"A copy would hold {Gibibytes(wanted)} GiB: three of them take {Gibibytes(3 * wanted)} GiB on the server, more than the {Gibibytes(access.MostBytes)} GiB a copy that are allowed (--most-gigabytes). "
                + "Copies can hold the rows of chosen tables, or fewer rows made from statistics (--sides dumped with --tables, --made-rows). "
                + "Rewrites can be tested on the subject itself (--sides as-is), other changes in a transaction that is rolled back (--sides rolled-back), or on two databases that are there (--sides pair).");
        }
    }

    private static string Names(List<TableRows> tables) => string.Join(", ", tables.Take(8).Select(t => t.Shown)) + (tables.Count > 8 ? $" and {Figures.Count(tables.Count - 8)} more tables" : "");

    private static string Gibibytes(long bytes) => Figures.Three(bytes / (double)(1L << 30));

    private static string Major(int version) => (version / 10_000).ToString(CultureInfo.InvariantCulture);
}
