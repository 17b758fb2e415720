using Npgsql;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Takes the likeness of a database: its schema by pg_dump, and what the server keeps of its values. No table is read.</summary>
internal static class PostgresLikeness
{
    private static readonly string[] Whole = ["smallint", "integer", "bigint"], Numbers = ["numeric", "real", "double precision"],
        Moments = ["date", "timestamp without time zone", "timestamp with time zone"], Texts = ["text", "character varying", "bpchar", "character"],
        Settings = ["encoding", "collate", "ctype", "icu_locale"];

    /// <exception cref="SubjectException">It cannot be looked into.</exception>
    /// <exception cref="EngineException">The server gave no answer.</exception>
    public static Likeness Of(string address, NamedValues named, Action<string> doing, CancellationToken stop)
    {
        NpgsqlConnectionStringBuilder subject = PostgresAddress.Parse(address);
        using PostgresConnection questions = PostgresSubject.Connect(PostgresSession.Questions(subject));
        int version = PostgresSubject.CheckedVersion(questions);
        questions.Execute("SET datestyle = 'ISO, YMD'", stop);
        questions.Execute("SET timezone = 'UTC'", stop);
        doing("reading the schema");
        string[] schema = [.. StatementsOf(PostgresDump.SchemaOf(subject, version, "pre-data", stop))], later = [.. StatementsOf(PostgresDump.SchemaOf(subject, version, "post-data", stop))];
        foreach (string statement in schema.Concat(later))
        {
            named.AddLiterals(statement, PostgresEngine.Engine.Dialect);
        }

        doing("reading statistics");
        var notes = new List<string>();
        Dictionary<(string Table, string Column), (ValueKind Kind, bool IsKey)> columns = questions.Rows("""
            SELECT quote_ident(n.nspname) || '.' || quote_ident(c.relname), quote_ident(a.attname), format_type(b.oid, -1), b.typtype,
              EXISTS (SELECT FROM pg_constraint k WHERE k.conrelid = c.oid AND k.contype IN ('p', 'f', 'u') AND a.attnum = ANY (k.conkey))
            FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_type t ON t.oid = a.atttypid
              JOIN pg_type b ON b.oid = CASE t.typtype WHEN 'd' THEN t.typbasetype ELSE t.oid END
            WHERE c.relkind = 'r' AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = ''
            """).ToDictionary(r => (r[0]!, r[1]!), r => (KindOf(r[2]!, r[3]!), r[4] == "t"));
        var tables = new List<LikenessTable>();
        foreach (TableRows table in TableRows.Read(questions, subject, new DumpContents(Tables: [], MadeRows: 1)))
        {
            IReadOnlyDictionary<string, KnownColumn> known = RowSource.StatisticsOf(questions, table);
            if (known.Count == 0 && table.Expected > 0)
            {
                notes.Add($"{table.Shown} has no statistics that this user may see: it stays empty. ANALYZE it, or connect as somebody who may read it.");
            }

            tables.Add(new(table.FullName, known.Count == 0 ? 0 : (long)Math.Round(table.Rows),
                [.. known.Where(c => columns.ContainsKey((table.FullName, c.Key))).OrderBy(c => c.Key, StringComparer.Ordinal).Select(c => Told(c.Key, c.Value, columns[(table.FullName, c.Key)], named, table.Rows))]));
        }

        return new(PostgresEngine.Engine.Id, questions.Ask("SHOW server_version")!, SettingsOf(questions, version), schema, later, [], tables, notes);
    }

    private static LikenessColumn Told(string name, KnownColumn known, (ValueKind Kind, bool IsKey) type, NamedValues named, double rows)
    {
        ColumnStatistics s = known.Statistics;
        return Discretion.Of(new(name, type.Kind, s.NullFraction, s.Distinct, known.Width, s.Correlation, [.. s.Common.Zip(s.Frequencies, (v, f) => new CommonValue(f, v))], s.Histogram), named, type.IsKey, (long)rows);
    }

    private static ValueKind KindOf(string type, string category) => category == "e" || type == "boolean" ? ValueKind.Label
        : Whole.Contains(type) ? ValueKind.Whole
        : Numbers.Contains(type) ? ValueKind.Number
        : Moments.Contains(type) ? ValueKind.Moment
        : Texts.Contains(type) || MadeColumn.IsWordsInAnyCase(type) ? ValueKind.Text
        : ValueKind.Other;

    private static Dictionary<string, string> SettingsOf(PostgresConnection questions, int version)
    {
        string icu = version switch { >= 170_000 => "CASE datlocprovider WHEN 'i' THEN datlocale END", >= 150_000 => "CASE datlocprovider WHEN 'i' THEN daticulocale END", _ => "NULL" };
        string?[] row = questions.Rows($"SELECT pg_encoding_to_char(encoding), datcollate, datctype, {icu} FROM pg_database WHERE datname = current_database()")[0];
        return Settings.Zip(row).Where(p => p.Second is not null).ToDictionary(p => p.First, p => p.Second!);
    }

    /// <summary>What makes something: a dump's settings of the session that restores it are ours to make.</summary>
    private static IEnumerable<string> StatementsOf(string dump)
    {
        string text = string.Join('\n', dump.Split('\n').Where(l => !l.StartsWith("\\restrict ", StringComparison.Ordinal) && !l.StartsWith("\\unrestrict ", StringComparison.Ordinal)));
        return SqlScript.Split(text, PostgresEngine.Engine.Dialect).Statements.Select(s => text.Substring(s.Body.Start, s.Body.Length))
            .Where(s => !s.StartsWith("SET ", StringComparison.Ordinal) && !s.StartsWith("SELECT pg_catalog.set_config(", StringComparison.Ordinal));
    }
}
