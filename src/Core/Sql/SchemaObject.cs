namespace SwiftLedger.Core.Sql;

/// <summary>A table, index, view or trigger of a database.</summary>
/// <param name="Kind">In lower case.</param>
/// <param name="Definition">The statement that makes it.</param>
/// <param name="Name">As the engine has it.</param>
public sealed record SchemaObject(string Kind, string Name, string Definition);

/// <summary>What differs between two readings of a schema.</summary>
/// <param name="What">In words: <c>index parcel_note dropped, table depot created</c>.</param>
/// <param name="Script">Statements that would have done it; an object that was altered is dropped and made anew.</param>
/// <param name="Names">The objects that differ.</param>
public sealed record SchemaDifference(string What, string Script, IReadOnlyList<string> Names)
{
    private const int MostNamed = 6;

    /// <param name="dialect">Of the definitions.</param>
    /// <param name="after">The later reading.</param>
    /// <param name="before">The earlier reading.</param>
    /// <returns>Null where nothing differs but layout.</returns>
    public static SchemaDifference? Between(IReadOnlyList<SchemaObject> before, IReadOnlyList<SchemaObject> after, SqlDialect dialect)
    {
        Dictionary<(string, string), SchemaObject> old = before.ToDictionary(o => (o.Kind, o.Name)), now = after.ToDictionary(o => (o.Kind, o.Name));
        List<SchemaObject> dropped = before.Where(o => !now.ContainsKey((o.Kind, o.Name))).ToList();
        List<SchemaObject> created = after.Where(o => !old.ContainsKey((o.Kind, o.Name))).ToList();
        List<SchemaObject> altered = after.Where(o => old.TryGetValue((o.Kind, o.Name), out SchemaObject? was) && !SameWords(was.Definition, o.Definition, dialect)).ToList();
        List<string> words =
        [
            .. dropped.Select(o => $"{o.Kind} {o.Name} dropped"), .. created.Select(o => $"{o.Kind} {o.Name} created"), .. altered.Select(o => $"{o.Kind} {o.Name} altered"),
        ];
        if (words.Count == 0)
        {
            return null;
        }

        string more = words.Count > MostNamed ? $" and {words.Count - MostNamed} more" : "";
        IEnumerable<string> script = dropped.Concat(altered).Select(o => $"DROP {o.Kind.ToUpperInvariant()} {Quoted(o.Name)};")
            .Concat(created.Concat(altered).Select(o => o.Definition.TrimEnd(';', ' ', '\n') + ";"));
        return new(string.Join(", ", words.Take(MostNamed)) + more, string.Join('\n', script), dropped.Concat(created).Concat(altered).Select(o => o.Name).ToList());
    }

    private static bool SameWords(string a, string b, SqlDialect dialect) => a == b || SqlLexer.Tokenize(a, dialect).Where(t => !t.IsTrivia).Select(t => a.Substring(t.Start, t.Length))
        .SequenceEqual(SqlLexer.Tokenize(b, dialect).Where(t => !t.IsTrivia).Select(t => b.Substring(t.Start, t.Length)));

    private static string Quoted(string name) =>
        name.All(c => char.IsAsciiLetterOrDigit(c) || c == '_') ? name : $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
}
