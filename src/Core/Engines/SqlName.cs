namespace SwiftLedger.Core.Engines;

/// <summary>How a name is written in a statement, whatever it is.</summary>
public static class SqlName
{
    /// <summary>A name as it can stand in a statement: in quotes where it is no plain word in lower case, or a word of the grammar.</summary>
    public static string Quoted(string name) => name.Length > 0 && !char.IsAsciiDigit(name[0]) && name.All(c => char.IsAsciiLetterLower(c) || char.IsAsciiDigit(c) || c == '_') && !Reserved.Contains(name)
        ? name : $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    private static readonly HashSet<string> Reserved = [.. KnownEngines.All.Select(e => e.Dialect.Grammar).Where(g => g is not null).SelectMany(g => g!.Reserved).Select(w => w.ToLowerInvariant())];
}
