using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Proposals;

/// <summary>Why an index may go.</summary>
public enum SuperfluousBecause
{
    /// <summary>Another has the same columns in the same order.</summary>
    Doubled,

    /// <summary>Another begins with all of its columns.</summary>
    Prefix,

    /// <summary>No plan of the workload goes through it.</summary>
    Unused,
}

/// <summary>An index that may go.</summary>
/// <param name="Index">By its name.</param>
/// <param name="Table">Of which it is.</param>
/// <param name="Columns">In order.</param>
/// <param name="Because">Why.</param>
/// <param name="Instead">The index that serves what it served; null where nothing asks for it.</param>
public sealed record SuperfluousIndex(string Index, string Table, IReadOnlyList<string> Columns, SuperfluousBecause Because, string? Instead)
{
    /// <summary>Of its table; null where a statement need not name it.</summary>
    public string? Schema { get; init; }

    /// <summary>What takes it away where it still is: of two changes that do, the second finds it gone.</summary>
    public string SqlIfThere => $"DROP INDEX IF EXISTS {SqlName.In(Schema, Index)};";

    /// <summary>What takes it away.</summary>
    public string Sql => $"DROP INDEX {SqlName.In(Schema, Index)};";

    /// <summary>What makes it again.</summary>
    public string Undo => $"CREATE INDEX {SqlName.Quoted(Index)} ON {SqlName.Of(Table, Schema)} ({string.Join(", ", Columns.Select(SqlName.Quoted))});";

    /// <summary>What made it again is what made it, where that is known.</summary>
    /// <param name="definitions">What made each index, by the name that a statement has to use.</param>
    public string UndoBy(IReadOnlyDictionary<string, string> definitions) => definitions.TryGetValue(KeyOf(Index, Schema), out string? made) ? made.TrimEnd(';') + ";" : Undo;

    private static string KeyOf(string index, string? schema) => schema is null ? index : $"{schema}.{index}";

    /// <summary>
    /// Those of a catalogue. One that keeps keys apart, belongs to a constraint, holds some rows only or an expression is none: what it is for stands
    /// elsewhere than in plans.
    /// </summary>
    /// <param name="catalog">Of the subject.</param>
    /// <param name="used">Indexes that plans of the workload go through, by name.</param>
    /// <param name="definitions">What made each index, by the name that a statement has to use: directions and collations stand there alone.</param>
    /// <param name="dialect">Of the definitions.</param>
    public static IReadOnlyList<SuperfluousIndex> Of(Catalog catalog, IReadOnlySet<string> used, IReadOnlyDictionary<string, string> definitions, SqlDialect dialect)
    {
        var found = new List<SuperfluousIndex>();
        foreach (CatalogTable table in catalog.Tables)
        {
            Dictionary<CatalogIndex, List<string>> terms = table.Indexes.ToDictionary(i => i, i => TermsOf(i, table, definitions, dialect));
            List<CatalogIndex> mayGo = [.. table.Indexes.Where(i => MayGo(i, table))];
            var standIn = new HashSet<string>();
            foreach (CatalogIndex index in mayGo)
            {
                List<CatalogIndex> wider = [.. table.Indexes.Where(i => i != index && i is { Partial: false, Valid: true } && terms[i].Count >= terms[index].Count && terms[i].Take(terms[index].Count).SequenceEqual(terms[index]))
                    .OrderBy(i => terms[i].Count)];
                CatalogIndex? instead = wider.Find(i => terms[i].Count > terms[index].Count) ?? wider.Find(i => !StaysBeside(index, i, used));
                if (instead is not null)
                {
                    found.Add(new(index.Name, table.Name, index.Columns, terms[instead].Count == terms[index].Count ? SuperfluousBecause.Doubled : SuperfluousBecause.Prefix, instead.Name) { Schema = table.Schema });
                    _ = used.Contains(index.Name) && standIn.Add(instead.Name);
                }
            }

            // What stands in for one that is used is no less used.
            found.AddRange(mayGo.Where(i => !used.Contains(i.Name) && !standIn.Contains(i.Name) && found.TrueForAll(f => f.Index != i.Name) && !ServesForeignKey(i, table))
                .Select(i => new SuperfluousIndex(i.Name, table.Name, i.Columns, SuperfluousBecause.Unused, null) { Schema = table.Schema }));
        }

        return found;
    }

    /// <summary>Indexes that may go once a candidate stands: it begins with all of their columns.</summary>
    /// <param name="candidate">That may be added.</param>
    /// <param name="catalog">Of the subject.</param>
    /// <param name="definitions">What made each index, by the name that a statement has to use.</param>
    /// <param name="dialect">Of the definitions.</param>
    public static IReadOnlyList<SuperfluousIndex> BesideOf(IndexCandidate candidate, Catalog catalog, IReadOnlyDictionary<string, string> definitions, SqlDialect dialect)
    {
        if (candidate.Where is not null || catalog.Table(candidate.Table) is not { } table)
        {
            return [];
        }

        List<string> columns = [.. candidate.Columns.Select(c => c.ToLowerInvariant())];
        bool IsPrefix(List<string> terms) => terms.Count < columns.Count && columns.Take(terms.Count).SequenceEqual(terms);
        return [.. table.Indexes.Where(i => MayGo(i, table) && IsPrefix(TermsOf(i, table, definitions, dialect)))
            .Select(i => new SuperfluousIndex(i.Name, table.Name, i.Columns, SuperfluousBecause.Prefix, candidate.Name) { Schema = table.Schema })];
    }

    private static bool MayGo(CatalogIndex index, CatalogTable table) =>
        index is { Unique: false, Partial: false, Valid: true, Origin: "created" } && index.Columns.Count > 0 && index.Columns.All(c => table.Column(c) is not null);

    private static List<string> TermsOf(CatalogIndex index, CatalogTable table, IReadOnlyDictionary<string, string> definitions, SqlDialect dialect) =>
        definitions.TryGetValue(KeyOf(index.Name, table.Schema), out string? made) && TermsOf(made, dialect) is { } read ? read : [.. index.Columns.Select(c => c.ToLowerInvariant())];

    /// <summary>Of two alike one stays: the one that may not go, the one that is used, else the first by name.</summary>
    private static bool StaysBeside(CatalogIndex index, CatalogIndex other, IReadOnlySet<string> used) => other is { Unique: false, Origin: "created" }
        && (used.Contains(index.Name) == used.Contains(other.Name) ? string.CompareOrdinal(index.Name, other.Name) < 0 : used.Contains(index.Name));

    /// <summary>What stands in the parentheses of an index's definition, each term with its direction and collation, and what follows them; null where there are none.</summary>
    private static List<string>? TermsOf(string definition, SqlDialect dialect)
    {
        var terms = new List<string>();
        var term = new List<string>();
        int depth = 0;
        bool on = false;
        foreach (Token token in SqlLexer.Tokenize(definition, dialect).Where(t => !t.IsTrivia))
        {
            string text = definition.Substring(token.Start, token.Length);
            string word = token.Kind == TokenKind.QuotedIdentifier ? text[1..^1].ToLowerInvariant() : text.ToLowerInvariant();
            on |= word == "on";
            depth += on && token.Kind == TokenKind.CloseParen ? -1 : 0;
            if (depth == 1 && token.Kind == TokenKind.Comma)
            {
                terms.Add(string.Join(' ', term));
                term.Clear();
            }
            else if (depth == 0 && token.Kind == TokenKind.CloseParen && on)
            {
                terms.Add(string.Join(' ', term));
                term.Clear();
            }
            else if ((depth > 0 || terms.Count > 0) && token.Kind != TokenKind.Semicolon && word is not "asc")
            {
                term.Add(word);
            }

            depth += on && token.Kind == TokenKind.OpenParen ? 1 : 0;
        }

        return terms.Count == 0 ? null : [.. terms, .. term.Count > 0 ? [string.Join(' ', term)] : Array.Empty<string>()];
    }

    /// <summary>Without it, a row that others refer to is looked for in all of them when it goes.</summary>
    private static bool ServesForeignKey(CatalogIndex index, CatalogTable table) =>
        table.ForeignKeys.Any(k => k.Count <= index.Columns.Count && k.All(c => index.Columns.Take(k.Count).Contains(c, StringComparer.OrdinalIgnoreCase)));
}
