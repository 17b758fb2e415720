using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Engines.Sqlite;

/// <summary>
/// Holds a statement to a plan for SQLite: <c>INDEXED BY</c> where the plan goes through an index, <c>NOT INDEXED</c> where it reads the
/// table itself, and <c>CROSS JOIN</c> where the tables are to be taken in another order than now (SQLite manual, "The INDEXED BY Clause": a statement whose index is gone fails, rather than run by another plan).
/// </summary>
internal sealed class IndexedBy : IPlanPins
{
    /// <summary>The statement with the plan's indexes written into it; null where the plan gives nothing to write.</summary>
    /// <param name="wanted">The plan that it is to keep.</param>
    /// <param name="instead">The plan that it runs by now; null where that is not known.</param>
    /// <param name="sql">The statement.</param>
    public string? Rewrite(string sql, Plan wanted, Plan? instead = null)
    {
        StatementOutline outline = StatementOutline.Of(sql, SqliteDialect.Dialect);
        var inserts = new Dictionary<int, string>();
        foreach (PlanOperator o in wanted.Lines().Select(l => l.Operator).Where(o => o.Kind is OperatorKind.Scan or OperatorKind.Search && o.Object is not null))
        {
            if (o.Index is "rowid" or OperatorText.BuiltForThis || outline.Find(o.Object) is not var (_, source) || source.Name.Length == 0
                || sql.AsSpan(source.Span.End).TrimStart() is var behind && (behind.StartsWith("INDEXED", StringComparison.OrdinalIgnoreCase) || behind.StartsWith("NOT INDEXED", StringComparison.OrdinalIgnoreCase)))
            {
                continue;
            }

            inserts.TryAdd(source.Span.End, o.Index is { } index ? $" INDEXED BY {index}" : " NOT INDEXED");
        }

        IReadOnlyList<string> order = JoinOrder.Of(wanted);
        if (instead is not null && !JoinOrder.Of(instead).SequenceEqual(order) && JoinOrder.Write(sql, outline, order, inserts) is { } ordered)
        {
            return ordered;
        }

        if (inserts.Count == 0)
        {
            return null;
        }

        foreach ((int at, string words) in inserts.OrderByDescending(i => i.Key))
        {
            sql = sql.Insert(at, words);
        }

        return sql;
    }

    /// <summary>The indexes that a statement names by INDEXED BY.</summary>
    public IReadOnlyList<string> IndexesNamed(string sql)
    {
        var names = new List<string>();
        List<Token> tokens = [.. SqlLexer.Tokenize(sql, SqliteDialect.Dialect).Where(t => !t.IsTrivia)];
        for (int i = 0; i + 2 < tokens.Count; i++)
        {
            if (tokens[i].Span.Of(sql).Equals("INDEXED", StringComparison.OrdinalIgnoreCase) && tokens[i + 1].Span.Of(sql).Equals("BY", StringComparison.OrdinalIgnoreCase))
            {
                names.Add(tokens[i + 2].Span.Of(sql).Trim('"', '`', '[', ']'));
            }
        }

        return names;
    }

    /// <summary>Whether a statement pins its plan.</summary>
    public bool Pins(string sql) => IndexesNamed(sql).Count > 0 || sql.Contains("NOT INDEXED", StringComparison.OrdinalIgnoreCase) || sql.Contains("CROSS JOIN", StringComparison.OrdinalIgnoreCase);
}
