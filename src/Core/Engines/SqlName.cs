using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Engines;

/// <summary>How a name is written in a statement, whatever it is.</summary>
public static class SqlName
{
    /// <summary>A table as a statement has to name it.</summary>
    /// <param name="table">Of a catalogue.</param>
    public static string Of(CatalogTable table) => In(table.Schema, table.OwnName);

    /// <summary>The same.</summary>
    /// <param name="table">As a catalogue has it, with its schema where it needs one.</param>
    /// <param name="schema">That schema; null where it needs none.</param>
    public static string Of(string table, string? schema) => schema is null ? Quoted(table) : In(schema, table[(schema.Length + 1)..]);

    /// <summary>Something by its own name in a schema.</summary>
    /// <param name="schema">Null where it need not be named.</param>
    /// <param name="name">Without it.</param>
    public static string In(string? schema, string name) => schema is null ? Quoted(name) : $"{Quoted(schema)}.{Quoted(name)}";

    /// <summary>A name as it can stand in a statement: in quotes where it is no plain word in lower case, or a word of the grammar.</summary>
    public static string Quoted(string name) => name.Length > 0 && !char.IsAsciiDigit(name[0]) && name.All(c => char.IsAsciiLetterLower(c) || char.IsAsciiDigit(c) || c == '_') && !Reserved.Contains(name)
        ? name : $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    private static readonly HashSet<string> Reserved = [.. KnownEngines.All.Select(e => e.Dialect.Grammar).Where(g => g is not null).SelectMany(g => g!.Reserved).Select(w => w.ToLowerInvariant())];
}
