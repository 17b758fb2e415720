using System.Globalization;
using System.Text;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A statement whose parameters are numbered as the server wants them, with their values as text.</summary>
/// <param name="Map">For each code unit of <paramref name="Sql"/> that differs in place: where a piece begins here, and where it did in the original.</param>
public sealed record PostgresParameters(string Sql, IReadOnlyList<string?> Values, IReadOnlyList<(int Here, int There)> Map)
{
    public static PostgresParameters Of(CaseRun run)
    {
        IReadOnlyList<string> keys = StatementShape.Of(run.Sql, PostgresEngine.Engine.Dialect).Parameters;
        bool numbered = keys.Count > 0 && keys.All(k => int.TryParse(k, NumberStyles.None, CultureInfo.InvariantCulture, out _));
        List<string> order = numbered ? [.. Enumerable.Range(1, keys.Max(k => int.Parse(k, CultureInfo.InvariantCulture))).Select(n => n.ToString(CultureInfo.InvariantCulture))] : [.. keys];
        var sql = new StringBuilder();
        var map = new List<(int, int)> { (0, 0) };
        int at = 0;
        foreach (Token token in SqlLexer.Tokenize(run.Sql, PostgresEngine.Engine.Dialect).Where(t => PostgresEngine.Engine.Dialect.Binds(t, t.Span.Of(run.Sql))))
        {
            sql.Append(run.Sql, at, token.Start - at).Append('$').Append(order.IndexOf(token.Span.Of(run.Sql)[1..]) + 1);
            at = token.End;
            map.Add((sql.Length, at));
        }

        sql.Append(run.Sql, at, run.Sql.Length - at);
        return new(sql.ToString(), [.. order.Select(k => TextOf(run.Bindings.FirstOrDefault(b => b.Key == k)?.Value))], map);
    }

    /// <summary>Where a place of the numbered text lies in the original.</summary>
    public int? Original(int? offset)
    {
        if (offset is not { } at)
        {
            return null;
        }

        (int here, int there) = Map.Last(m => m.Here <= at);
        return there + at - here;
    }

    /// <summary>The values as literals, for EXECUTE.</summary>
    public string Literals => string.Join(", ", Values.Select(v => v is null ? "NULL" : PostgresConnection.Literal(v)));

    private static string? TextOf(SqlValue? value) => value?.Kind switch
    {
        null or SqlValueKind.Null => null,
        SqlValueKind.Boolean => value.Integer == 1 ? "true" : "false",
        SqlValueKind.Text => value.Text,
        SqlValueKind.Blob => @"\x" + Convert.ToHexStringLower([.. value.Blob]),
        _ => value.ToString(),
    };
}
