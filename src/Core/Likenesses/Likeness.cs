using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Likenesses;

/// <summary>A database without its rows: its schema, and what planners and makers of rows want to know of its values. What it was made from cannot be told from it.</summary>
/// <param name="Engine">Its <see cref="Engines.Engine.Id"/>.</param>
/// <param name="Version">Of the engine that it was taken from.</param>
/// <param name="Settings">What an empty database like it is made with, by the engine's own names.</param>
/// <param name="Schema">Statements that make what rows stand in, in order.</param>
/// <param name="Later">Statements for when the rows are there: indexes, constraints, views, triggers.</param>
/// <param name="Planner">The planner's own statistics, where the engine takes them as they are; empty where it gathers its own.</param>
/// <param name="Tables">With their rows, in any order.</param>
/// <param name="Notes">What is not in it, in sentences.</param>
public sealed record Likeness(
    string Engine, string Version, IReadOnlyDictionary<string, string> Settings, IReadOnlyList<string> Schema, IReadOnlyList<string> Later, IReadOnlyList<PlannerLine> Planner, IReadOnlyList<LikenessTable> Tables, IReadOnlyList<string> Notes)
{
    /// <summary>Bytes that the rows take, by the widths of their values: indexes and pages not counted.</summary>
    public double Bytes => Tables.Sum(t => t.Rows * (double)t.Columns.Sum(c => c.Width * (1 - c.Nulls)));
}

/// <param name="Name">As the engine has it; with its schema where the engine has schemas.</param>
/// <param name="Rows">That are made: whoever wants another size states it here.</param>
/// <param name="Columns">Those that hold values of their own, in any order.</param>
public sealed record LikenessTable(string Name, long Rows, IReadOnlyList<LikenessColumn> Columns);

/// <summary>What is told of a column's values.</summary>
/// <param name="Name">As the engine has it.</param>
/// <param name="Kind">What the values are.</param>
/// <param name="Nulls">Share of the rows that are NULL.</param>
/// <param name="Distinct">Different values; below 0: their share of the rows, negated.</param>
/// <param name="Width">Bytes of a value, on average.</param>
/// <param name="Order">Correlation between the order of values and that of rows, from -1 to 1; null where it is not told.</param>
/// <param name="Common">The most common values, the most common first.</param>
/// <param name="Bounds">Of groups with equally many rows each, common values and NULL left out; empty where values are not told.</param>
public sealed record LikenessColumn(string Name, ValueKind Kind, double Nulls, double Distinct, double Width, double? Order, IReadOnlyList<CommonValue> Common, IReadOnlyList<string> Bounds)
{
    /// <summary>Different values among so many rows.</summary>
    public double DistinctOf(double rows) => Distinct >= 0 ? Distinct : Math.Max(1, -Distinct * rows);
}

/// <param name="Share">Of all rows.</param>
/// <param name="Value">As text; null where it is not told.</param>
public sealed record CommonValue(double Share, string? Value);

/// <summary>A line of the planner's own statistics.</summary>
/// <param name="Table">Whose.</param>
/// <param name="Index">Whose; null for the table.</param>
/// <param name="Text">As the engine keeps it.</param>
public sealed record PlannerLine(string Table, string? Index, string Text);

/// <summary>What values are, as far as making others like them goes.</summary>
public enum ValueKind
{
    /// <summary>Whole numbers.</summary>
    Whole,

    /// <summary>Numbers with a fraction.</summary>
    Number,

    /// <summary>Days and moments, as a type of their own or as text that sorts by time (ISO 8601).</summary>
    Moment,

    /// <summary>Words.</summary>
    Text,

    /// <summary>One of few that the schema itself names, or true and false.</summary>
    Label,

    /// <summary>Bytes, documents, lists and whatever else.</summary>
    Other,
}

/// <summary>Something in a file of statistics cannot be used.</summary>
/// <param name="message">What, and where.</param>
public sealed class LikenessException(string message) : Exception(message);

/// <summary>The texts that a user has handed in anyway: what they name tells nothing new.</summary>
public sealed class NamedValues
{
    private readonly HashSet<string> _values = new(StringComparer.Ordinal);

    /// <summary>Takes the literals of a text: of statements, or of a schema.</summary>
    /// <param name="sql">Any text of the dialect.</param>
    /// <param name="dialect">Whose lexical rules hold.</param>
    public void AddLiterals(string sql, SqlDialect dialect)
    {
        foreach (Token token in SqlLexer.Tokenize(sql, dialect))
        {
            string text = sql.Substring(token.Start, token.Length);
            if (token.Kind == TokenKind.Number)
            {
                _values.Add(text);
            }
            else if (token.Kind == TokenKind.String && text.IndexOf('\'', StringComparison.Ordinal) is >= 0 and var quote && text.Length > quote + 1)
            {
                _values.Add(text[(quote + 1)..^1].Replace("''", "'", StringComparison.Ordinal));
            }
        }
    }

    /// <summary>Takes a value that something is bound to.</summary>
    /// <param name="value">Any.</param>
    public void Add(SqlValue value) => _values.Add(value.Kind == SqlValueKind.Text ? value.Text : value.ToString());

    /// <summary>Whether somebody named it.</summary>
    /// <param name="value">As text.</param>
    public bool Contains(string value) => _values.Contains(value);
}
