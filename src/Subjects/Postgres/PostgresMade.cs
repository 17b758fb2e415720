using System.Text.RegularExpressions;
using Npgsql;
using SwiftLedger.Core.Likenesses;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A database that is made from a likeness, on a server; dropped at the end, and by the next trial there where this process is killed.</summary>
/// <remarks>Its schema comes from a file that anybody may have edited: it is made by a role without rights beyond the database, as a change is on copies.</remarks>
internal sealed partial class PostgresMade : IMadeSubject
{
    private const string Part = "base";

    /// <summary>Groups of words that stand in for ones that were not told.</summary>
    private const string Groups = "0123456789abcdefg";

    private readonly SubjectAccess _access;
    private readonly string _folder;
    private readonly Likeness _likeness;
    private readonly List<string> _notes = [];

    private PostgresMade(SubjectAccess access, Likeness likeness, string folder) => (_access, _likeness, _folder) = (access, likeness, folder);

    public string Address { get; private set; } = "";

    public IReadOnlyList<string> Notes => _notes;

    /// <param name="on">Any database of the server.</param>
    /// <param name="folder">Of this job alone: where it is gone, the database is a left-over.</param>
    /// <exception cref="LikenessException">The likeness contradicts itself, or the server refuses its schema.</exception>
    /// <exception cref="SubjectException">The server is not there, or lets no database be made.</exception>
    /// <exception cref="EngineException">The connection was lost.</exception>
    public static PostgresMade On(Likeness likeness, string on, string folder, bool trusted, Action<string> doing, CancellationToken stop)
    {
        var made = new PostgresMade(new SubjectAccess(on, Trusted: trusted), likeness, folder);
        try
        {
            made.Make(trusted, doing, stop);
            return made;
        }
        catch
        {
            made.Dispose();
            throw;
        }
    }

    public void Dispose() => PostgresSubject.Clean(_access, _folder);

    private void Make(bool trusted, Action<string> doing, CancellationToken stop)
    {
        NpgsqlConnectionStringBuilder server = PostgresAddress.Parse(_access.Address);
        var databases = new PostgresDatabases(server, _folder);
        File.WriteAllText(PostgresSubject.MarkIn(_folder), "");
        databases.Remember();
        CopyRole? role = PostgresSubject.RoleFor(_access, server, databases);
        NpgsqlConnectionStringBuilder own = databases.AddressOf(Part), work = role?.AddressOf(own) ?? own;
        doing("making the schema");
        using (PostgresConnection making = PostgresSubject.Connect(PostgresSession.Server(server)))
        {
            databases.Sweep(making, own: false);
            if (databases.MakeEmpty(making, Part, _likeness.Settings, stop) is { } note)
            {
                _notes.Add(note);
            }

            role?.Admit(making, databases.NameOf(Part), stop);
            string version = making.Ask("SHOW server_version")!;
            if (version.Split('.', ' ')[0] != _likeness.Version.Split('.', ' ')[0])
            {
                _notes.Add($"The statistics are of version {_likeness.Version}, and this server is {version}: its planner may choose otherwise.");
            }
        }

        List<string> schema = Prepare(own, role, trusted, stop);
        using (PostgresConnection copy = PostgresSubject.Connect(PostgresSession.Work(work)))
        {
            copy.Execute("SET check_function_bodies = off", stop);
            copy.Execute("SET datestyle = 'ISO, YMD'", stop);
            copy.Execute("SET timezone = 'UTC'", stop);

            // What rows refer to and where they are unique is declared by what comes behind them.
            copy.Execute("BEGIN", stop);
            schema.ForEach(s => Run(copy, s, stop));
            foreach (string statement in _likeness.Later)
            {
                Tried(copy, statement, stop);
            }

            var source = new RowSource(ForeignKeys.OfEachTable(copy), UniqueIndex.Read(copy), table => Known(table.FullName));
            List<TableRows> tables = Tables(copy);
            copy.Execute("ROLLBACK", stop);
            schema.ForEach(s => Run(copy, s, stop));
            var maker = new RowMaker(source, copy, 1, 1, doing);
            maker.Make([.. tables.Where(t => t.Rows > 0)], stop);
            _notes.AddRange(maker.Notes);
            doing("making indexes");
            foreach (string statement in _likeness.Later)
            {
                if (Tried(copy, statement, stop) is { } refused)
                {
                    _notes.Add($"Left out: {refused}");
                }
            }

            doing("gathering statistics");
            copy.Execute("VACUUM (ANALYZE)", stop);
        }

        Address = _access.Address.Contains("://", StringComparison.Ordinal) ? Of(_access.Address, own.Database!) : own.ConnectionString;
    }

    /// <summary>The same server, another database.</summary>
    private static string Of(string address, string database)
    {
        int path = address.IndexOf("://", StringComparison.Ordinal) + 3, query = address.IndexOf('?', StringComparison.Ordinal), slash = address.IndexOf('/', path);
        string rest = query < 0 ? "" : address[query..], before = query < 0 ? address : address[..query];
        return slash < 0 || (query >= 0 && slash > query) ? $"{before}/{database}{rest}" : $"{before[..slash]}/{database}{rest}";
    }

    /// <summary>Schemas and extensions, which a role without rights may not make: of extensions, those that a server's administrator calls trusted.</summary>
    /// <returns>The rest of the schema's statements.</returns>
    private List<string> Prepare(NpgsqlConnectionStringBuilder own, CopyRole? role, bool trusted, CancellationToken stop)
    {
        using PostgresConnection copy = PostgresSubject.Connect(PostgresSession.Work(own));
        var rest = new List<string>();
        foreach (string statement in _likeness.Schema)
        {
            if (SchemaOnly().Match(statement) is { Success: true } schema)
            {
                copy.Execute($"CREATE SCHEMA IF NOT EXISTS {schema.Groups[1].Value}", stop);
            }
            else if (ExtensionOnly().Match(statement) is { Success: true } extension)
            {
                string name = extension.Groups[1].Value;
                bool may = trusted || copy.Ask("SELECT 1 FROM pg_available_extension_versions WHERE quote_ident(name) = $1 AND trusted LIMIT 1", name) is not null;
                try
                {
                    if (may)
                    {
                        copy.Execute($"CREATE EXTENSION IF NOT EXISTS {name} WITH SCHEMA {extension.Groups[2].Value}", stop);
                        continue;
                    }

                    _notes.Add($"The extension {name} is left out: this server has none of that name which it calls trusted.");
                }
                catch (EngineException e)
                {
                    _notes.Add($"The extension {name} is left out: {e.Message}.");
                }
            }
            else
            {
                rest.Add(statement);
            }
        }

        role?.TakeOver(copy, stop);
        return rest;
    }

    /// <summary>The tables that rows are told of, as the made database has them.</summary>
    /// <exception cref="LikenessException">It has not.</exception>
    private List<TableRows> Tables(PostgresConnection copy)
    {
        ILookup<string, (string Schema, string Name, string Column)> there = copy.Rows("""
            SELECT quote_ident(n.nspname) || '.' || quote_ident(c.relname), n.nspname, c.relname, quote_ident(a.attname)
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace LEFT JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped WHERE c.relkind = 'r'
            """).ToLookup(r => r[0]!, r => (r[1]!, r[2]!, r[3] ?? ""));
        var tables = new List<TableRows>();
        foreach (LikenessTable table in _likeness.Tables)
        {
            if (!there.Contains(table.Name))
            {
                throw new LikenessException($"The statistics tell of a table {table.Name}, and the schema beside them makes none.");
            }

            if (table.Columns.FirstOrDefault(c => !there[table.Name].Any(t => t.Column == c.Name)) is { } unknown)
            {
                throw new LikenessException($"The statistics tell of a column {unknown.Name} of {table.Name}, and the schema beside them makes none.");
            }

            (string schema, string name, _) = there[table.Name].First();
            tables.Add(new("", schema, name, table.Name, table.Name, table.Rows, 0, 0, Kept: false, 1));
        }

        return tables;
    }

    private Dictionary<string, KnownColumn> Known(string table)
    {
        LikenessTable stated = _likeness.Tables.First(t => t.Name == table);
        return stated.Columns.ToDictionary(c => c.Name, c => KnownOf(c, stated));
    }

    /// <summary>Of values that are not told: words that stand in, where the column holds words; of other types what can be made up.</summary>
    private static KnownColumn KnownOf(LikenessColumn column, LikenessTable table)
    {
        double words = column.DistinctOf(table.Rows);
        bool isText = column.Kind == ValueKind.Text;
        int width = (int)Math.Max(1, Math.Round(column.Width) - 1), n = 0;
        string name = $"{table.Name}.{column.Name}";
        List<CommonValue> common = [.. column.Common.Select(c => c.Value is null && isText ? c with { Value = StandIns.Word(name, n++, width, words) } : c).Where(c => c.Value is not null).DistinctBy(c => c.Value)];
        int behind = (int)Math.Ceiling(Math.Log(Math.Max(2, words / Groups.Length), 16));
        IReadOnlyList<string> bounds = column.Bounds.Count > 1 || !isText || words <= common.Count ? column.Bounds
            : [.. Groups.Select(g => g + StandIns.Word(name, n++, Math.Max(1, width - behind - 1), words))];
        return new(new(column.Nulls, column.Distinct, [.. common.Select(c => c.Value!)], [.. common.Select(c => c.Share)], bounds, column.Order), column.Width);
    }

    private static void Run(PostgresConnection copy, string statement, CancellationToken stop)
    {
        try
        {
            copy.Execute(statement, stop);
        }
        catch (EngineException e)
        {
            stop.ThrowIfCancellationRequested();
            throw new LikenessException($"{First(statement)}: {e.Message}.");
        }
    }

    /// <returns>Why it could not be run; null where it could.</returns>
    private static string? Tried(PostgresConnection copy, string statement, CancellationToken stop)
    {
        bool within = copy.InTransaction;
        try
        {
            if (within)
            {
                copy.Execute("SAVEPOINT swift_ledger_tried", stop);
            }

            copy.Execute(statement, stop);
            return null;
        }
        catch (EngineException e)
        {
            stop.ThrowIfCancellationRequested();
            if (within)
            {
                copy.Execute("ROLLBACK TO SAVEPOINT swift_ledger_tried", stop);
            }

            return $"{First(statement)}: {e.Message}.";
        }
    }

    private static string First(string statement) => Regex.Replace(statement, "\\s+", " ", RegexOptions.CultureInvariant) is var line && line.Length > 80 ? line[..80] + " ..." : line;

    [GeneratedRegex("^CREATE SCHEMA (\"(?:[^\"]|\"\")+\"|[a-z_][a-z0-9_$]*)$", RegexOptions.CultureInvariant)]
    private static partial Regex SchemaOnly();

    [GeneratedRegex("^CREATE EXTENSION IF NOT EXISTS (\"(?:[^\"]|\"\")+\"|[a-z_][a-z0-9_$]*) WITH SCHEMA (\"(?:[^\"]|\"\")+\"|[a-z_][a-z0-9_$]*)$", RegexOptions.CultureInvariant)]
    private static partial Regex ExtensionOnly();
}
