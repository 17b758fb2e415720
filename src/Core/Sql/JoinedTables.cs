using System.Text;

namespace SwiftLedger.Core.Sql;

/// <summary>The tables of a query block that are simply joined, in any order that is wanted: inner joins, whose conditions may stand anywhere.</summary>
public sealed class JoinedTables
{
    private static readonly HashSet<string> Fixed = new(StringComparer.OrdinalIgnoreCase) { "left", "right", "full", "outer", "natural", "using", "indexed", "lateral", "tablesample" };

    private static readonly HashSet<string> Ends = new(StringComparer.OrdinalIgnoreCase)
    {
        "where", "group", "having", "order", "limit", "offset", "fetch", "for", "window", "union", "intersect", "except",
    };

    private readonly string _sql;
    private readonly SqlDialect _dialect;
    private readonly QueryBlock _block;
    private readonly int _end;
    private readonly List<string> _conditions;

    private JoinedTables(string sql, SqlDialect dialect, QueryBlock block, int end, List<string> conditions) => (_sql, _dialect, _block, _end, _conditions) = (sql, dialect, block, end, conditions);

    /// <summary>Null where the block's tables are not simply joined: one of an outer join stays where it is.</summary>
    /// <param name="sql">The statement.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <param name="block">One of its own.</param>
    public static JoinedTables? Of(string sql, SqlDialect dialect, QueryBlock block)
    {
        if (block.Sources.Count == 0)
        {
            return null;
        }

        var conditions = new List<string>();
        List<Token> tokens = [.. SqlLexer.Tokenize(sql, dialect).Where(t => !t.IsTrivia && t.Start >= block.Sources[0].Span.Start && t.End <= block.Span.End)];
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
        return new(sql, dialect, block, end, conditions);
    }

    /// <summary>Whether the list says <c>*</c>: its columns come in the order of the tables.</summary>
    public bool GivesAllColumns
    {
        get
        {
            Token before = default;
            foreach (Token token in SqlLexer.Tokenize(_sql, _dialect).Where(t => !t.IsTrivia && t.Start >= _block.Span.Start && t.End <= _block.Sources[0].Span.Start))
            {
                ReadOnlySpan<char> previous = before.Length > 0 ? before.Span.Of(_sql) : "";
                if (token.Span.Of(_sql) is "*" && (before.Kind == TokenKind.Comma || previous.Equals("select", StringComparison.OrdinalIgnoreCase)
                    || previous.Equals("distinct", StringComparison.OrdinalIgnoreCase) || previous.Equals("all", StringComparison.OrdinalIgnoreCase)))
                {
                    return true;
                }

                before = token;
            }

            return false;
        }
    }

    /// <summary>The statement with its tables in an order that stands as written where the engine keeps that of CROSS JOIN.</summary>
    /// <param name="order">All tables of the block.</param>
    /// <param name="behind">What is to stand behind a table, by its place in the text; moves with it.</param>
    public string Crossed(IReadOnlyList<SourceItem> order, IReadOnlyDictionary<int, string>? behind = null)
    {
        var from = new StringBuilder(string.Join(" CROSS JOIN ", order.Select(s => TextOf(s) + (behind?.GetValueOrDefault(s.Span.End) ?? ""))));
        if (_conditions.Count > 0)
        {
            from.Append(" ON ").AppendJoin(" AND ", _conditions.Select(c => _conditions.Count == 1 ? c : $"({c})"));
        }

        return With(from.ToString());
    }

    /// <summary>The statement as loops, each table inside of those before it, where the engine keeps a subquery with OFFSET apart.</summary>
    /// <param name="order">All tables of the block.</param>
    /// <param name="tablesOf">The tables that a condition speaks of; null where that is not known, and it is left to the end.</param>
    /// <returns>Null where a condition cannot stand twice, or nothing ties a table to those before it.</returns>
    public string? Nested(IReadOnlyList<SourceItem> order, Func<SqlCondition, IReadOnlyCollection<SourceItem>?> tablesOf)
    {
        int folds = FoldsFrom();
        var from = new StringBuilder(TextOf(order[0]));
        var before = new HashSet<SourceItem> { order[0] };
        foreach (SourceItem table in order.Skip(1))
        {
            List<SqlCondition> here = [.. _block.Conditions.Where(c => c.Span.Start < folds && !c.HasSubquery && tablesOf(c) is { } tables && tables.Contains(table) && tables.All(t => t == table || before.Contains(t)))];
            if (here.Any(c => SqlLexer.Tokenize(c.Span.Of(_sql).ToString(), _dialect).Any(t => t is { Kind: TokenKind.Parameter, Length: 1 })) || !here.Any(c => tablesOf(c)!.Count > 1))
            {
                return null;
            }

            from.Append(" CROSS JOIN LATERAL (SELECT * FROM ").Append(TextOf(table)).Append(" WHERE ").AppendJoin(" AND ", here.Select(c => $"({c.Span.Of(_sql)})")).Append(" OFFSET 0) AS ").Append(NameOf(table));
            before.Add(table);
        }

        if (_conditions.Count > 0)
        {
            // What ON said holds of the last table as well as of its own.
            from.Append(" JOIN (SELECT) AS swift_ledger_end ON ").AppendJoin(" AND ", _conditions.Select(c => $"({c})"));
        }

        return With(from.ToString());
    }

    /// <summary>Where rows are folded: what HAVING says is no condition on a row.</summary>
    private int FoldsFrom()
    {
        int depth = 0;
        foreach (Token token in SqlLexer.Tokenize(_sql, _dialect).Where(t => t.Start >= _end))
        {
            depth += token.Kind == TokenKind.OpenParen ? 1 : token.Kind == TokenKind.CloseParen ? -1 : 0;
            if (depth == 0 && token.Kind == TokenKind.Word && token.Span.Of(_sql) is var word && (word.Equals("group", StringComparison.OrdinalIgnoreCase) || word.Equals("having", StringComparison.OrdinalIgnoreCase)))
            {
                return token.Start;
            }
        }

        return _sql.Length;
    }

    private string With(string from) => string.Concat(_sql.AsSpan(0, _block.Sources[0].Span.Start), from, _sql.AsSpan(_end));

    private string TextOf(SourceItem table) => table.Span.Of(_sql).ToString();

    /// <summary>The last word of what names it, as written: its alias, or its own name.</summary>
    private string NameOf(SourceItem table)
    {
        string text = TextOf(table);
        return SqlLexer.Tokenize(text, _dialect).Last(t => !t.IsTrivia).Span.Of(text).ToString();
    }
}
