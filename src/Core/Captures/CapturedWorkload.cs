using System.Globalization;
using System.Text;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Captures;

/// <summary>An execution to take a case from.</summary>
/// <param name="Ticks">How long it took; null where the capture does not tell.</param>
/// <param name="Binds">Its values, as in a bind line.</param>
/// <param name="Sql">The statement as it ran.</param>
public sealed record CaseSource(string Sql, string Binds, long? Ticks);

/// <summary>Writes statements of a capture as a workload file: calls from the capture, cases from parameters that really occurred.</summary>
public static class CapturedWorkload
{
    private const int MostCases = 4;

    /// <summary>One statement of the file, with its comments; null where no execution was kept.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="callsPerDay">From the capture.</param>
    /// <param name="medianTicks">What is typical.</param>
    /// <param name="executions">Kept executions of one pattern.</param>
    /// <param name="dialect">Of the executions.</param>
    public static string? Statement(string name, double callsPerDay, long medianTicks, IReadOnlyList<CaseSource> executions, SqlDialect dialect)
    {
        List<CaseSource> usable = Usable(executions, dialect);
        if (usable.Count == 0)
        {
            return null;
        }

        CaseSource typical = usable.MinBy(e => Math.Abs((e.Ticks ?? long.MaxValue / 2) - medianTicks))!;

        // Lists of other lengths are other texts: cases must fit the one statement.
        List<CaseSource> same = usable.Where(e => e.Sql == typical.Sql).ToList();
        return Written(name, callsPerDay, Cases(typical, same), typical.Sql);
    }

    /// <summary>What can be executed again: what was too long to be kept whole is no statement any more, and a comment has one line.</summary>
    private static List<CaseSource> Usable(IReadOnlyList<CaseSource> executions, SqlDialect dialect) =>
        [.. executions.Where(e => e.Sql.Length <= CapturedSample.LongestSql && e.Binds.Length <= CapturedSample.LongestBinds).Select(e => WithParameters(Bare(e, dialect), dialect)).Where(e => !e.Binds.AsSpan().ContainsAny('\n', '\r'))];

    private static string Written(string name, double callsPerDay, IEnumerable<string> cases, string sql)
    {
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"-- name: {name}\n-- calls: {Rounded(callsPerDay)}/day\n");
        foreach (string binds in cases)
        {
            text.Append(CultureInfo.InvariantCulture, $"-- bind: {binds}\n");
        }

        return text.Append(sql.Trim().TrimEnd(';')).Append(";\n").ToString();
    }

    /// <summary>The same for a load: as many of its values as were kept, each as often as the others.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="callsPerDay">From the capture.</param>
    /// <param name="executions">Kept executions of one pattern, drawn at random.</param>
    /// <param name="mostCases">Bind lines.</param>
    /// <param name="dialect">Of the executions.</param>
    public static string? Load(string name, double callsPerDay, IReadOnlyList<CaseSource> executions, int mostCases, SqlDialect dialect)
    {
        List<CaseSource> usable = Usable(executions, dialect);
        if (usable.Count == 0)
        {
            return null;
        }

        // Of lists with other lengths, the text that was executed most often.
        IGrouping<string, CaseSource> same = usable.GroupBy(e => e.Sql, StringComparer.Ordinal).MaxBy(g => g.Count())!;
        return Written(name, callsPerDay, same.Select(e => e.Binds).Where(b => b.Length > 0).Take(mostCases), same.Key);
    }

    /// <summary>A name for a pattern that has none: its kind and its first table.</summary>
    /// <param name="taken">Names that are in use.</param>
    /// <param name="kind">Its first keyword.</param>
    /// <param name="tables">Those that it names, in order of first use.</param>
    public static string NameFor(string kind, IReadOnlyList<string> tables, IReadOnlySet<string> taken)
    {
        string name = string.Join('_', new[] { kind.Length > 0 ? kind : "statement", tables.Count > 0 ? tables[0] : "" }.Where(p => p.Length > 0));
        int number = 2;
        string free = name;
        while (taken.Contains(free))
        {
            free = string.Create(CultureInfo.InvariantCulture, $"{name}_{number++}");
        }

        return free;
    }

    /// <summary>A typical set of parameters, the slowest, and the ends of the range of the first of them.</summary>
    private static IEnumerable<string> Cases(CaseSource typical, List<CaseSource> same)
    {
        if (typical.Binds.Length == 0)
        {
            return [];
        }

        List<CaseSource> inOrder = same.OrderBy(e => FirstNumber(e.Binds) ?? double.MaxValue).ThenBy(e => e.Binds, StringComparer.Ordinal).ToList();
        return new[] { typical, same.MaxBy(e => e.Ticks ?? 0)!, inOrder[0], inOrder[^1] }.Select(e => e.Binds).Distinct(StringComparer.Ordinal).Take(MostCases);
    }

    private static double? FirstNumber(string binds)
    {
        int at = binds.IndexOf('=', StringComparison.Ordinal) + 1;
        int end = binds.IndexOf(',', at);
        return double.TryParse(end < 0 ? binds.AsSpan(at) : binds.AsSpan(at, end - at), CultureInfo.InvariantCulture, out double value) ? value : null;
    }

    /// <summary>The statement without comments at its ends: tags of one execution belong to no case.</summary>
    internal static CaseSource Bare(CaseSource execution, SqlDialect dialect)
    {
        List<Token> tokens = SqlLexer.Tokenize(execution.Sql, dialect);
        int first = tokens.FindIndex(t => !t.IsTrivia), last = tokens.FindLastIndex(t => !t.IsTrivia && t.Kind != TokenKind.Semicolon);
        return first < 0 ? execution : execution with { Sql = execution.Sql[tokens[first].Start..tokens[last].End] };
    }

    /// <summary>Literals become parameters where the statement came with its values written into it.</summary>
    internal static CaseSource WithParameters(CaseSource execution, SqlDialect dialect)
    {
        List<Token> tokens = SqlLexer.Tokenize(execution.Sql, dialect);
        if (tokens.Any(t => dialect.Binds(t, t.Span.Of(execution.Sql))))
        {
            return execution;
        }

        if (execution.Binds.Length > 0)
        {
            return execution with { Sql = InOwnMarks(execution.Sql, tokens, dialect) };
        }

        var sql = new StringBuilder();
        var binds = new List<string>();
        foreach (Token token in tokens)
        {
            string text = execution.Sql.Substring(token.Start, token.Length);
            if (token.Kind == TokenKind.Number || (token.Kind == TokenKind.String && text[0] == '\''))
            {
                binds.Add(string.Create(CultureInfo.InvariantCulture, $"v{binds.Count + 1}={text}"));
                sql.Append(CultureInfo.InvariantCulture, $":v{binds.Count}");
            }
            else
            {
                sql.Append(text);
            }
        }

        return execution with { Sql = sql.ToString(), Binds = string.Join(", ", binds) };
    }

    /// <summary>A driver's <c>?</c> and <c>@name</c> as the engine itself writes parameters: it takes those for operators.</summary>
    private static string InOwnMarks(string sql, List<Token> tokens, SqlDialect dialect)
    {
        var own = new StringBuilder();
        int bare = 0;
        foreach (Token token in tokens)
        {
            string text = token.Span.Of(sql);
            own.Append(token.Kind != TokenKind.Parameter || dialect.ParameterMarks.Contains(text[0]) ? text
                : text == "?" ? string.Create(CultureInfo.InvariantCulture, $"${++bare}")
                : (text[0] == '?' ? "$" : ":") + text[1..]);
        }

        return own.ToString();
    }

    internal static string Rounded(double calls) => calls >= 10
        ? Math.Round(calls).ToString(CultureInfo.InvariantCulture)
        : calls.ToString("0.##", CultureInfo.InvariantCulture);
}
