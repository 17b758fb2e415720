using System.Globalization;
using System.Text;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A statement whose parameters are numbered as the server wants them, with their values as text.</summary>
/// <param name="Map">For each code unit of <paramref name="Sql"/> that differs in place: where a piece begins here, and where it did in the original.</param>
public sealed record PostgresParameters(string Sql, IReadOnlyList<string?> Values, IReadOnlyList<(int Here, int There)> Map)
{
    private const string ProbeName = "swift_ledger_types";

    private static readonly SqlDialect Dialect = PostgresEngine.Engine.Dialect;

    /// <summary>
    /// The text with NULL in place of each parameter that is only asked whether it is NULL, which gives it no type; null where there is none.
    /// Shown to the server, it tells the types that the other uses give.
    /// </summary>
    public string? Probe { get; private init; }

    /// <summary>Names of the parameters, in the order of their numbers.</summary>
    internal List<string> Keys { get; private init; } = [];

    public static PostgresParameters Of(CaseRun run) => Of(run, []);

    /// <summary>
    /// The same, with a cast where a parameter is only asked whether it is NULL and is used elsewhere: <c>:c IS NULL OR country = :c</c>. The
    /// server looks at each place alone, and refuses what one place leaves open.
    /// </summary>
    /// <param name="run">The case.</param>
    /// <param name="connection">Asked for the types, in a transaction that is rolled back.</param>
    internal static PostgresParameters Of(CaseRun run, PostgresConnection connection)
    {
        PostgresParameters plain = Of(run);
        if (plain.Probe is not { } probe)
        {
            return plain;
        }

        try
        {
            connection.Execute($"PREPARE {ProbeName} AS {probe}");
            List<string?> types = [.. connection.Rows($"SELECT t::pg_catalog.text FROM pg_catalog.pg_prepared_statements AS s, pg_catalog.unnest(s.parameter_types) WITH ORDINALITY AS u(t, n) WHERE s.name OPERATOR(pg_catalog.=) '{ProbeName}' ORDER BY n").Select(r => r[0])];
            connection.Execute($"DEALLOCATE {ProbeName}");
            return Of(run, [.. types.Select(t => t is "unknown" or "-" ? null : t)]);
        }
        catch (EngineException e) when (e.Code is not null)
        {
            // What is wrong with it is told where it is run.
            return plain;
        }
    }

    private static PostgresParameters Of(CaseRun run, IReadOnlyList<string?> types)
    {
        IReadOnlyList<string> keys = StatementShape.Of(run.Sql, Dialect).Parameters;
        bool numbered = keys.Count > 0 && keys.All(k => int.TryParse(k, NumberStyles.None, CultureInfo.InvariantCulture, out _));
        List<string> order = numbered ? [.. Enumerable.Range(1, keys.Max(k => int.Parse(k, CultureInfo.InvariantCulture))).Select(n => n.ToString(CultureInfo.InvariantCulture))] : [.. keys];
        StringBuilder sql = new(), probe = new();
        var map = new List<(int, int)> { (0, 0) };
        int at = 0;
        bool asked = false;
        Token[] tokens = [.. SqlLexer.Tokenize(run.Sql, Dialect).Where(t => !t.IsTrivia)];
        for (int i = 0; i < tokens.Length; i++)
        {
            string text = tokens[i].Span.Of(run.Sql);
            if (!Dialect.Binds(tokens[i], text))
            {
                continue;
            }

            int number = order.IndexOf(text[1..]) + 1;
            bool only = IsAskedForNull(run.Sql, tokens.AsSpan(i + 1));
            asked |= only;
            string before = run.Sql[at..tokens[i].Start], cast = only && number <= types.Count && types[number - 1] is { } type ? $"::{type}" : "";
            sql.Append(before).Append('$').Append(number).Append(cast);
            _ = only ? probe.Append(before).Append("NULL") : probe.Append(before).Append('$').Append(number);
            at = tokens[i].End;
            map.Add((sql.Length, at));
        }

        sql.Append(run.Sql, at, run.Sql.Length - at);
        probe.Append(run.Sql, at, run.Sql.Length - at);
        return new(sql.ToString(), [.. order.Select(k => TextOf(run.Bindings.FirstOrDefault(b => b.Key == k)?.Value))], map) { Keys = order, Probe = asked ? probe.ToString() : null };
    }

    /// <summary>Whether <c>IS NULL</c>, <c>IS NOT NULL</c> or their short forms follow.</summary>
    private static bool IsAskedForNull(string sql, ReadOnlySpan<Token> rest)
    {
        string Word(Token t) => t.Kind == TokenKind.Word ? t.Span.Of(sql).ToUpperInvariant() : "";
        return rest switch
        {
            [var one, ..] when Word(one) is "ISNULL" or "NOTNULL" => true,
            [var one, var two, ..] when Word(one) == "IS" && Word(two) == "NULL" => true,
            [var one, var two, var three, ..] => Word(one) == "IS" && Word(two) == "NOT" && Word(three) == "NULL",
            _ => false,
        };
    }

    /// <summary>What the server says, in the words of the workload: of a parameter that it can give no type it knows the number alone.</summary>
    /// <param name="e">Its complaint.</param>
    public string Explained(EngineException e)
    {
        const string undetermined = "could not determine data type of parameter $";
        int found = e.Message.IndexOf(undetermined, StringComparison.Ordinal);
        string digits = found < 0 ? "" : string.Concat(e.Message[(found + undetermined.Length)..].TakeWhile(char.IsAsciiDigit));
        return int.TryParse(digits, CultureInfo.InvariantCulture, out int number) && number > 0 && number <= Keys.Count
            ? $"{e.Message.TrimEnd('.')}: nothing there tells what '{Keys[number - 1]}' is. Write a cast at its place, as in CAST(:{Keys[number - 1]} AS text)."
            : e.Message;
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

    /// <summary>A value as text; null for NULL.</summary>
    internal static string? TextOf(SqlValue? value) => value?.Kind switch
    {
        null or SqlValueKind.Null => null,
        SqlValueKind.Boolean => value.Integer == 1 ? "true" : "false",
        SqlValueKind.Text => value.Text,
        SqlValueKind.Blob => @"\x" + Convert.ToHexStringLower([.. value.Blob]),
        _ => value.ToString(),
    };
}
