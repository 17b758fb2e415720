using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>A value that a statement of a loop gets from the row that it runs for.</summary>
/// <param name="Parameter">Its key.</param>
/// <param name="Column">The column's name; upper and lower case are the same.</param>
public sealed record RowValue(string Parameter, string Column);

/// <summary>One statement of a unit of work.</summary>
/// <param name="Sql">The statement.</param>
/// <param name="Body">Where it stands in the unit's text.</param>
/// <param name="ForEachRowOf">The statement, from 0, for each of whose rows it runs once; null where it runs once.</param>
/// <param name="Values">Which columns give which parameters, where their names differ.</param>
/// <param name="Parameters">Keys of its parameters.</param>
/// <param name="OrdersRows">Whether its outermost query has ORDER BY.</param>
public sealed record UnitStatement(
    string Sql, TextSpan Body, int? ForEachRowOf, IReadOnlyList<RowValue> Values, IReadOnlyList<string> Parameters, bool OrdersRows);

/// <summary>
/// Several statements that a piece of an application sends as a whole, one behind the other, or once for each row of an earlier one. Its text is
/// a script: <c>-- each row</c> above a statement makes it a loop over the rows of the nearest statement before it that is in none,
/// <c>-- each row of 2</c> over those of the second one.
/// </summary>
/// <remarks>
/// In a loop a parameter gets its value from the column of its name, or the one that <c>-- each row: id = hut_id</c> names, of the row that the
/// loop is at, or of one around it; what no row gives comes from the bind lines.
/// </remarks>
public sealed record WorkUnit(IReadOnlyList<UnitStatement> Statements)
{
    /// <summary>Statements of one unit.</summary>
    public const int MostStatements = 100;

    /// <summary>Keys of the parameters of all statements, each once.</summary>
    public IReadOnlyList<string> Parameters => [.. Statements.SelectMany(s => s.Parameters).Distinct()];

    /// <summary>Those that no row can give: of statements that are in no loop.</summary>
    public IReadOnlyList<string> BoundParameters => [.. Statements.Where(s => s.ForEachRowOf is null).SelectMany(s => s.Parameters).Distinct()];

    /// <summary>Whether any statement orders its rows: then their order is part of what the unit gives.</summary>
    public bool OrdersRows => Statements.Any(s => s.OrdersRows);

    /// <summary>Reads a unit's text.</summary>
    /// <param name="text">As <see cref="WorkloadStatement.Sql"/> has it.</param>
    /// <param name="dialect">Of its statements.</param>
    /// <returns>Null where it is one statement.</returns>
    public static WorkUnit? Of(string text, SqlDialect dialect)
    {
        // Most texts are one statement, and hold no semicolon at all.
        if (!text.Contains(';', StringComparison.Ordinal))
        {
            return null;
        }

        SqlScript script = SqlScript.Split(text, dialect);
        return script.Statements.Count < 2 ? null : Of(text, script.Statements, dialect);
    }

    /// <summary>The unit as a script in which every statement behind the first says how it belongs to it: what a change has to say.</summary>
    public string ToScript()
    {
        var text = new System.Text.StringBuilder(Statements[0].Sql);
        for (int i = 1; i < Statements.Count; i++)
        {
            UnitStatement s = Statements[i];
            int nearest = Enumerable.Range(0, i).Last(n => Statements[n].ForEachRowOf is null);
            string values = s.Values.Count == 0 ? "" : ": " + string.Join(", ", s.Values.Select(v => $"{v.Parameter} = {v.Column}"));
            text.Append(";\n-- ").Append(s.ForEachRowOf is not { } list ? Directive.Then : list == nearest ? Directive.EachRow : $"{Directive.EachRow} of {(list + 1).ToString(System.Globalization.CultureInfo.InvariantCulture)}")
                .Append(values).Append('\n').Append(s.Sql);
        }

        return text.ToString();
    }

    /// <param name="text">What the statements stand in.</param>
    /// <param name="items">At least two.</param>
    /// <param name="dialect">Of the statements.</param>
    private static WorkUnit Of(string text, IReadOnlyList<ScriptStatement> items, SqlDialect dialect)
    {
        var statements = new List<UnitStatement>();
        foreach (ScriptStatement item in items)
        {
            string sql = item.Body.Of(text);
            StatementShape shape = StatementShape.Of(sql, dialect);
            Directive? loop = LoopOf(Directive.ReadFrom(text, TextSpan.Between(item.Whole.Start, item.Body.Start), dialect));
            int nearest = statements.FindLastIndex(s => s.ForEachRowOf is null);
            int? list = loop is null || nearest < 0 ? null : ListOf(loop) is { } named ? Math.Clamp(named - 1, 0, statements.Count - 1) : nearest;
            statements.Add(new(sql, item.Body, list, list is null ? [] : ValuesOf(loop!) ?? [], shape.Parameters, shape.OrdersRows));
        }

        return new(statements);
    }

    internal static Directive? LoopOf(IEnumerable<Directive> directives) => directives.FirstOrDefault(d => d.Key == Directive.EachRow);

    /// <summary>The statement that a loop names, from 1; null where it names none.</summary>
    internal static int? ListOf(Directive loop) =>
        loop.Qualifier.Length > 0 ? int.Parse(loop.Qualifier.Split(' ')[^1], System.Globalization.CultureInfo.InvariantCulture) : null;

    /// <summary>Which columns a loop names; null where that cannot be read.</summary>
    internal static IReadOnlyList<RowValue>? ValuesOf(Directive loop)
    {
        var values = new List<RowValue>();
        foreach (string pair in loop.Value.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
        {
            string[] sides = pair.Split('=', StringSplitOptions.TrimEntries);
            if (sides is not [{ Length: > 0 } parameter, { Length: > 0 } column])
            {
                return null;
            }

            values.Add(new(parameter.TrimStart(':', '$', '@', '?'), column.Trim('"')));
        }

        return values;
    }
}
