using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A database of its own on the subject's server that encodes and sorts as the subject does, with some of its tables, their checks and unique indexes; dropped at the end.</summary>
/// <remarks>Each filling is a transaction that is rolled back. What it runs is read-only by the server's rule.</remarks>
internal sealed class PostgresSmallDatabase : ISmallDatabase
{
    private const string Part = "base", Row = "swift_ledger_row", Filled = "swift_ledger_filled";

    private const int MostRows = 10_000;

    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(5);

    private readonly PostgresConnection _server;
    private readonly PostgresDatabases _databases;
    private readonly PostgresConnection? _connection;
    private readonly string _mark;
    private bool _open;

    /// <param name="address">Of the subject.</param>
    /// <param name="folder">Of this job alone: where it is gone, the database is a left-over.</param>
    /// <param name="schema">Of the subject.</param>
    /// <param name="tables">That are wanted.</param>
    /// <param name="statementSeconds">Of one query.</param>
    /// <exception cref="SubjectException">No database may be made.</exception>
    /// <exception cref="EngineException">A table cannot be made: its types may be the subject's own.</exception>
    public PostgresSmallDatabase(string address, string folder, IReadOnlyList<SchemaObject> schema, IReadOnlyList<string> tables, double statementSeconds)
    {
        NpgsqlConnectionStringBuilder subject = PostgresAddress.Parse(address);
        _databases = new(subject, folder);
        File.WriteAllText(PostgresSubject.MarkIn(folder), "");
        _mark = PostgresSubject.MarkIn(folder);
        _databases.Remember();
        _server = PostgresSubject.Connect(PostgresSession.Server(subject));
        try
        {
            var definitions = new List<string>();
            using (PostgresConnection questions = PostgresSubject.Connect(PostgresSession.Questions(subject)))
            {
                _databases.MakeEmpty(_server, Part, questions, elsewhere: false, default);
                definitions.AddRange(DefinitionsOf(questions, PostgresNames.Read(subject, null), schema, tables));
            }

            _connection = PostgresConnection.Open(PostgresSession.Writing(_databases.AddressOf(Part)));
            foreach (string definition in definitions)
            {
                _connection.Execute(definition);
            }

            _connection.Execute(string.Create(CultureInfo.InvariantCulture, $"SET statement_timeout = '{statementSeconds}s'"));
            Definitions = definitions;
        }
        catch
        {
            Dispose();
            throw;
        }
    }

    public IReadOnlyList<string> Definitions { get; } = [];

    public IReadOnlyList<MadeRow> Fill(IReadOnlyList<MadeRow> rows)
    {
        if (_open)
        {
            _connection!.Execute("ROLLBACK");
        }

        _connection!.Execute("BEGIN");
        _open = true;
        var taken = new List<MadeRow>();
        foreach (MadeRow row in rows)
        {
            _connection.Execute($"SAVEPOINT {Row}");
            try
            {
                _connection.Execute(row.Sql);
                taken.Add(row);
            }
            catch (EngineException)
            {
                // Its key is there already, a check refuses it, or its type does.
                _connection.Execute($"ROLLBACK TO SAVEPOINT {Row}");
            }
        }

        return taken;
    }

    public SmallResult Run(string sql, IReadOnlyList<Binding> values)
    {
        _connection!.Execute($"SAVEPOINT {Filled}");
        try
        {
            if (WorkUnit.Of(sql, PostgresEngine.Engine.Dialect) is { } unit)
            {
                using UnitLoop loop = PostgresUnitStep.LoopOf(_connection, unit, values, Longest, step => PostgresParameters.Of(step, _connection));
                _connection.Execute("SET LOCAL transaction_read_only = on");
                return SmallResults.Of(loop, MostRows);
            }

            var parameters = PostgresParameters.Of(new CaseRun(sql, values), _connection);
            _connection.Execute("SET LOCAL transaction_read_only = on");
            using NpgsqlCommand command = _connection.Command(parameters.Sql, parameters.Values);
            return new([.. PostgresConnection.RowsOf(command).Take(MostRows).Select(r => string.Join(", ", r.Select(v => v is null ? "NULL" : PostgresConnection.Literal(v))))], null);
        }
        catch (EngineException e)
        {
            return new(null, e.Message);
        }
        finally
        {
            _connection.Execute($"ROLLBACK TO SAVEPOINT {Filled}");
        }
    }

    public void Dispose()
    {
        _connection?.Dispose();
        _databases.Sweep(_server, own: true);
        _databases.Forget();
        if (File.Exists(_mark))
        {
            File.Delete(_mark);
        }

        _server.Dispose();
    }

    /// <summary>Schemas, tables, checks and unique indexes, as the subject has them.</summary>
    private static IEnumerable<string> DefinitionsOf(PostgresConnection subject, Dictionary<string, string> names, IReadOnlyList<SchemaObject> schema, IReadOnlyList<string> tables)
    {
        var made = new HashSet<string>(StringComparer.Ordinal);
        var numbers = names.GroupBy(n => n.Value).ToDictionary(g => g.Key, g => g.First().Key);
        var later = new List<string>();
        foreach (string table in tables)
        {
            SchemaObject found = schema.FirstOrDefault(o => o.Kind == "table" && Plain(o.Name) == table) ?? throw new EngineException($"the schema has no table {table}");
            // Outside of quotes: within them it is part of a name.
            int dot = Enumerable.Range(0, found.Name.Length).FirstOrDefault(i => found.Name[i] == '.' && found.Name.AsSpan(0, i).Count('"') % 2 == 0, -1);
            if (dot > 0 && made.Add(found.Name[..dot]))
            {
                yield return $"CREATE SCHEMA IF NOT EXISTS {found.Name[..dot]}";
            }

            yield return found.Definition;
            if (!numbers.TryGetValue(found.Name, out string? number))
            {
                continue;
            }

            later.AddRange(subject.Rows("SELECT pg_get_constraintdef(k.oid) FROM pg_constraint k WHERE k.conrelid = $1::oid AND k.contype = 'c' ORDER BY k.conname", number).Select(r => $"ALTER TABLE {found.Name} ADD {r[0]}"));
            later.AddRange(subject.Rows("""
                SELECT 'CREATE UNIQUE INDEX ON ' || (SELECT $2) || substr(pg_get_indexdef(i.indexrelid), strpos(pg_get_indexdef(i.indexrelid), ' USING '))
                FROM pg_index i WHERE i.indrelid = $1::oid AND i.indisunique AND i.indisvalid ORDER BY i.indexrelid
                """, number, found.Name).Select(r => r[0]!));
        }

        foreach (string definition in later)
        {
            yield return definition;
        }
    }

    private static string Plain(string name) => name.Replace("\"", "", StringComparison.Ordinal);
}
