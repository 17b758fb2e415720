using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Captures;

/// <summary>
/// Writes what a capture shows of a repeated statement as a unit of a workload: the list, and what is sent for each of its rows. A capture does not tell
/// which column of the list gives which value: that is read from names, and asked for where they do not tell.
/// </summary>
public static partial class CapturedUnit
{
    /// <summary>One unit of a workload file.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="callsPerDay">Units in a day.</param>
    /// <param name="list">An execution of the statement before the repeated ones.</param>
    /// <param name="each">Executions of the repeated statement within one unit, or else any.</param>
    /// <param name="dialect">Of the executions.</param>
    /// <returns>Null where a text was too long to be kept whole.</returns>
    public static string? Text(string name, double callsPerDay, CaseSource list, IReadOnlyList<CaseSource> each, SqlDialect dialect)
    {
        if (each.Count == 0 || each.Append(list).Any(e => e.Sql.Length > CapturedSample.LongestSql || e.Binds.Length > CapturedSample.LongestBinds || e.Binds.AsSpan().ContainsAny('\n', '\r')))
        {
            return null;
        }

        CaseSource before = CapturedWorkload.WithParameters(CapturedWorkload.Bare(list, dialect), dialect);
        CaseSource[] all = [.. each.Select(e => CapturedWorkload.WithParameters(CapturedWorkload.Bare(e, dialect), dialect))];
        CaseSource repeated = all[0];
        IReadOnlyList<Binding> given = BindLine.Pairs(before.Binds);
        List<IReadOnlyList<Binding>> values = [.. all.Where(e => e.Sql == repeated.Sql).Select(e => BindLine.Pairs(e.Binds))];
        IReadOnlyList<(string Name, string[] Called)> columns = ColumnsOf(before.Sql, dialect);
        var names = new Dictionary<string, string>(StringComparer.Ordinal);
        var binds = new List<Binding>(given);
        var open = new List<string>();
        var pairs = new List<string>();
        foreach (string key in StatementShape.Of(repeated.Sql, dialect).Parameters)
        {
            List<SqlValue> seen = [.. values.Select(v => v.FirstOrDefault(b => b.Key == key)?.Value).OfType<SqlValue>().Distinct()];
            if (seen is [var one] && values.Count > 1)
            {
                // The same for all rows: it comes from where the list has its own values, or stands beside them.
                string own = given.FirstOrDefault(b => b.Value == one)?.Key ?? Free(Word(key, "same"), binds, columns);
                names[key] = own;
                if (binds.All(b => b.Key != own))
                {
                    binds.Add(new(own, one));
                }

                continue;
            }

            string? column = ColumnFor(repeated.Sql, key, columns, dialect);
            string called = Free(column is not null && PlainWord().IsMatch(column) ? column.ToLowerInvariant() : Word(key, "row"), binds);
            names[key] = called;
            if (column is null)
            {
                open.Add(called);
            }
            else if (!called.Equals(column, StringComparison.OrdinalIgnoreCase))
            {
                pairs.Add($"{called} = {column}");
            }
        }

        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"-- unit: {name.ReplaceLineEndings(" ").Trim()}\n-- calls: {CapturedWorkload.Rounded(callsPerDay)}/day\n");
        if (binds.Count > 0)
        {
            text.Append("-- bind: ").Append(BindLine.TextOf(binds)).Append('\n');
        }

        text.Append(before.Sql.Trim().TrimEnd(';')).Append(";\n");
        foreach (string parameter in open)
        {
            text.Append(CultureInfo.InvariantCulture, $"-- Which column of the list gives {parameter}? Its name stands behind it: each row: {parameter} = column\n");
        }

        text.Append("-- each row").Append(pairs.Count > 0 ? $": {string.Join(", ", pairs)}" : "").Append('\n');
        return text.Append(Renamed(repeated.Sql, names, dialect).Trim().TrimEnd(';')).Append(";\n").ToString();
    }

    /// <summary>What a query returns, with what it is called elsewhere; none where its grammar is not known, or it names no columns one by one.</summary>
    private static List<(string Name, string[] Called)> ColumnsOf(string sql, SqlDialect dialect)
    {
        if (SyntaxTree.Read(sql, dialect).Statement is not Query { Body: Select select })
        {
            return [];
        }

        List<TableSource> tables = [.. select.From?.Descend().Prepend(select.From).OfType<TableSource>().DistinctBy(t => t.Span) ?? []];
        string TableOf(Name name) => tables.FirstOrDefault(t => name.Qualifier.Length > 0 && (t.Alias?.Name?.Value ?? t.Table.Last).Equals(name.Qualifier, StringComparison.OrdinalIgnoreCase))?.Table.Last ?? (tables.Count == 1 ? tables[0].Table.Last : "");
        return [.. select.Items.Select(i => (Name: i.Alias?.Value ?? (i.Value as Name)?.Last, Own: i.Value as Name)).Where(i => i.Name is not null)
            .Select(i => (i.Name!, (string[])[i.Name!, .. i.Own is null ? [] : NamesFor(TableOf(i.Own), i.Own.Last)]))];
    }

    /// <summary>The column of the list that may give a parameter: of its own name, of the name of the column that it is held against, or of that column's table and name.</summary>
    private static string? ColumnFor(string sql, string key, IReadOnlyList<(string Name, string[] Called)> columns, SqlDialect dialect)
    {
        var wanted = new List<string> { key };
        if (SyntaxTree.Read(sql, dialect).Statement is { } statement)
        {
            string table = statement.Descend().OfType<TableSource>().FirstOrDefault()?.Table.Last ?? "";
            foreach (Binary compared in statement.Descend().OfType<Binary>().Where(b => b.Operator is "=" or "=="))
            {
                if ((compared.Left, compared.Right) is (Name left, Parameter p) && p.Key == key)
                {
                    wanted.AddRange(NamesFor(table, left.Last));
                }
                else if ((compared.Left, compared.Right) is (Parameter q, Name right) && q.Key == key)
                {
                    wanted.AddRange(NamesFor(table, right.Last));
                }
            }
        }

        // Its own name goes before what else a column may be called.
        return wanted.Select(w => columns.FirstOrDefault(c => c.Name.Equals(w, StringComparison.OrdinalIgnoreCase)).Name).FirstOrDefault(c => c is not null)
            ?? wanted.Select(w => columns.FirstOrDefault(c => c.Called.Contains(w, StringComparer.OrdinalIgnoreCase)).Name).FirstOrDefault(c => c is not null);
    }

    /// <summary>A key of <c>member</c> is called <c>member_id</c> or <c>member</c> elsewhere, of <c>members</c> likewise; a column that is no key has its own name. Common practice, no source.</summary>
    private static IEnumerable<string> NamesFor(string table, string column)
    {
        string one = table.EndsWith('s') ? table[..^1] : table;
        return column.Equals("id", StringComparison.OrdinalIgnoreCase)
            ? [.. new[] { table, one }.Where(t => t.Length > 0).SelectMany(t => new[] { $"{t}_id", $"{t}id", t }), column] : [column];
    }

    private static string Word(string key, string otherwise) => PlainWord().IsMatch(key) ? key : $"{otherwise}_{key}";

    /// <summary>A name that no bind line of the list has, nor any of its columns, which would go before a bind line.</summary>
    private static string Free(string name, List<Binding> binds, IReadOnlyList<(string Name, string[] Called)>? columns = null)
    {
        string free = name;
        for (int i = 2; binds.Exists(b => b.Key == free) || columns?.Any(c => c.Name.Equals(free, StringComparison.OrdinalIgnoreCase)) == true; i++)
        {
            free = string.Create(CultureInfo.InvariantCulture, $"{name}_{i}");
        }

        return free;
    }

    private static string Renamed(string sql, Dictionary<string, string> names, SqlDialect dialect)
    {
        var text = new StringBuilder();
        int bare = 0;
        foreach (Token token in SqlLexer.Tokenize(sql, dialect))
        {
            string piece = token.Span.Of(sql);
            if (!dialect.Binds(token, piece))
            {
                text.Append(piece);
                continue;
            }

            string key = piece == "?" ? (++bare).ToString(CultureInfo.InvariantCulture) : piece[1..];
            text.Append(':').Append(names.GetValueOrDefault(key, key));
        }

        return text.ToString();
    }

    [GeneratedRegex("^[A-Za-z_][A-Za-z0-9_]*$", RegexOptions.CultureInvariant)]
    private static partial Regex PlainWord();
}
