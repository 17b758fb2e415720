using System.Text;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Engines.Sqlite;

/// <summary>The order in which nested loops take their tables, and a FROM that holds SQLite to it.</summary>
/// <remarks>
/// SQLite manual, "The SQLite Query Optimizer Overview", 7.1: the planner never reorders the tables of a CROSS JOIN; the one on the left
/// is always the outer loop.
/// </remarks>
internal static class JoinOrder
{
    private static readonly HashSet<string> Fixed = new(StringComparer.OrdinalIgnoreCase) { "left", "right", "full", "outer", "natural", "using", "indexed" };

    private static readonly HashSet<string> Ends = new(StringComparer.OrdinalIgnoreCase) { "where", "group", "having", "order", "limit", "window", "union", "intersect", "except" };

    /// <summary>The tables of the outermost loops, the outer first.</summary>
    public static IReadOnlyList<string> Of(Plan plan) =>
        [.. plan.Roots.Where(o => o.Kind is OperatorKind.Scan or OperatorKind.Search && o.Object is not null).Select(o => o.Object!)];

    /// <summary>The statement with its tables in this order; null where that cannot be written without changing what it means.</summary>
    /// <param name="order">Names as the plan has them.</param>
    /// <param name="behind">What is to stand behind a table, by its place in the text; moves with it.</param>
    /// <param name="outline">Of the statement.</param>
    /// <param name="sql">The statement.</param>
    public static string? Write(string sql, StatementOutline outline, IReadOnlyList<string> order, IReadOnlyDictionary<int, string> behind)
    {
        if (order.Count < 2 || outline.Blocks.FirstOrDefault(b => b.Sources.Count == order.Count && order.All(n => b.Source(n) is not null)) is not { } block
            || ReadFrom(sql, block) is not var (end, conditions))
        {
            return null;
        }

        List<SourceItem> wanted = [.. order.Select(n => block.Source(n)!)];
        bool moves = !wanted.SequenceEqual(block.Sources);
        int start = block.Sources[0].Span.Start;
        if (wanted.Distinct().Count() != order.Count || (moves && GivesAllColumns(sql, block, start)))
        {
            return null;
        }

        var from = new StringBuilder(string.Join(" CROSS JOIN ", wanted.Select(s => s.Span.Of(sql).ToString() + behind.GetValueOrDefault(s.Span.End, ""))));
        if (conditions.Count > 0)
        {
            from.Append(" ON ").AppendJoin(" AND ", conditions.Select(c => conditions.Count == 1 ? c : $"({c})"));
        }

        return string.Concat(sql.AsSpan(0, start), from.ToString(), sql.AsSpan(end));
    }

    /// <summary>Where the sources of a block end, and the conditions between them; null where they are not simply joined.</summary>
    private static (int End, List<string> Conditions)? ReadFrom(string sql, QueryBlock block)
    {
        var conditions = new List<string>();
        List<Token> tokens = [.. SqlLexer.Tokenize(sql, SqliteDialect.Dialect).Where(t => !t.IsTrivia && t.Start >= block.Sources[0].Span.Start && t.End <= block.Span.End)];
        int depth = 0, condition = -1, end = block.Sources[0].Span.End;
        void Close()
        {
            if (condition >= 0)
            {
                conditions.Add(sql[condition..end].Trim());
                condition = -1;
            }
        }

        foreach (Token token in tokens)
        {
            string word = token.Kind == TokenKind.Word ? token.Span.Of(sql).ToString() : "";
            bool within = block.Sources.Any(s => token.Start >= s.Span.Start && token.End <= s.Span.End);
            if (depth == 0 && !within)
            {
                if (token.Kind is TokenKind.CloseParen || Ends.Contains(word))
                {
                    break;
                }

                bool joins = token.Kind == TokenKind.Comma || word.Equals("join", StringComparison.OrdinalIgnoreCase)
                    || word.Equals("inner", StringComparison.OrdinalIgnoreCase) || word.Equals("cross", StringComparison.OrdinalIgnoreCase);
                bool on = word.Equals("on", StringComparison.OrdinalIgnoreCase);

                if ((condition < 0 && !joins && !on) || Fixed.Contains(word))
                {
                    return null;
                }

                if (joins || on)
                {
                    Close();
                    condition = on ? token.End : -1;
                }
            }

            depth += token.Kind == TokenKind.OpenParen ? 1 : token.Kind == TokenKind.CloseParen ? -1 : 0;
            end = token.Kind == TokenKind.Semicolon ? end : token.End;
        }

        Close();
        return (end, conditions);
    }

    /// <summary>Whether the list says <c>*</c>: its columns come in the order of the tables.</summary>
    private static bool GivesAllColumns(string sql, QueryBlock block, int until)
    {
        Token before = default;
        foreach (Token token in SqlLexer.Tokenize(sql, SqliteDialect.Dialect).Where(t => !t.IsTrivia && t.Start >= block.Span.Start && t.End <= until))
        {
            ReadOnlySpan<char> previous = before.Length > 0 ? before.Span.Of(sql) : "";
            if (token.Span.Of(sql) is "*" && (before.Kind == TokenKind.Comma || previous.Equals("select", StringComparison.OrdinalIgnoreCase)
                || previous.Equals("distinct", StringComparison.OrdinalIgnoreCase) || previous.Equals("all", StringComparison.OrdinalIgnoreCase)))
            {
                return true;
            }

            before = token;
        }

        return false;
    }
}
