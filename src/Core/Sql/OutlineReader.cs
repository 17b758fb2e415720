namespace SwiftLedger.Core.Sql;

/// <summary>Reads query blocks from tokens, parentheses matched.</summary>
internal sealed class OutlineReader
{
    private const int DeepestQuery = 200;

    private static readonly HashSet<string> Clauses = new(StringComparer.Ordinal)
    {
        "from", "where", "group", "having", "order", "limit", "offset", "window", "returning", "set", "values",
    };

    private static readonly HashSet<string> Joins = new(StringComparer.Ordinal) { "join", "left", "right", "full", "inner", "cross", "natural", "outer", "straight_join" };

    private static readonly HashSet<string> Compounds = new(StringComparer.Ordinal) { "union", "intersect", "except" };

    private static readonly HashSet<string> Aggregates = new(StringComparer.Ordinal)
    {
        "count", "sum", "total", "avg", "min", "max", "group_concat", "string_agg", "array_agg", "bool_and", "bool_or",
    };

    private readonly string _sql;
    private readonly List<Token> _tokens = [];
    private readonly int[] _closing;
    private readonly string[] _words;
    private readonly List<QueryBlock> _blocks = [];

    public OutlineReader(string sql, SqlDialect dialect)
    {
        _sql = sql;
        var lexer = new SqlLexer(sql, dialect);
        while (lexer.TryReadSignificant(out Token token))
        {
            _tokens.Add(token);
        }

        _words = [.. _tokens.Select(t => t.Kind == TokenKind.Word ? Text(t).ToLowerInvariant() : "")];
        _closing = Match();
    }

    public IReadOnlyList<QueryBlock> Read()
    {
        ReadQueries(0, _tokens.Count, 0);
        return [.. _blocks.OrderBy(b => b.Span.Start)];
    }

    private string Text(Token token) => _sql.Substring(token.Start, token.Length);

    private int[] Match()
    {
        int[] closing = new int[_tokens.Count];
        var open = new Stack<int>();
        for (int i = 0; i < closing.Length; i++)
        {
            closing[i] = i;
            if (_tokens[i].Kind == TokenKind.OpenParen)
            {
                open.Push(i);
            }
            else if (_tokens[i].Kind == TokenKind.CloseParen && open.TryPop(out int start))
            {
                closing[start] = i;
            }
        }

        // What is never closed reaches to the end.
        while (open.TryPop(out int start))
        {
            closing[start] = closing.Length - 1;
        }

        return closing;
    }

    private bool BeginsQuery(int open) => _tokens[open].Kind == TokenKind.OpenParen && open + 1 < _words.Length && _words[open + 1] is "select" or "with" or "values";

    /// <summary>Reads the queries between two tokens, those in parentheses too.</summary>
    private void ReadQueries(int start, int end, int depth)
    {
        if (depth > DeepestQuery)
        {
            return;
        }

        for (int i = start; i < end; i++)
        {
            if (_tokens[i].Kind == TokenKind.OpenParen)
            {
                ReadQueries(i + 1, _closing[i], depth + 1);
                i = _closing[i];
            }
            else if (_words[i] is "select" or "update" or "delete" && (i == start || _words[i - 1] is not ("for" or "on")))
            {
                int stop = i + 1;
                while (stop < end && !Compounds.Contains(_words[stop]) && (_words[stop] != "select" || _words[i] == "select"))
                {
                    stop = _closing[stop] + 1;
                }

                ReadBlock(i, Math.Min(stop, end), depth);
                i = Math.Min(stop, end) - 1;
            }
        }
    }

    private void ReadBlock(int start, int end, int depth)
    {
        var sources = new List<SourceItem>();
        var conditions = new List<SqlCondition>();
        bool distinct = false, aggregates = false, limited = false;
        TextSpan? orderBy = null;
        string offset = "", clause = _words[start] == "update" ? "from" : _words[start];
        int at = start + 1;
        while (at < end)
        {
            int stop = at;
            while (stop < end && !(Clauses.Contains(_words[stop]) && !(_words[stop] == "set" && clause != "from")))
            {
                stop = _closing[stop] + 1;
            }

            stop = Math.Min(stop, end);
            switch (clause)
            {
                case "select":
                    distinct = _words[at] == "distinct" || Contains(at, stop, "distinct");
                    aggregates = Enumerable.Range(at, Math.Max(0, stop - at - 1)).Any(i => Aggregates.Contains(_words[i]) && _tokens[i + 1].Kind == TokenKind.OpenParen);
                    break;
                case "from":
                    ReadSources(at, stop, sources, conditions);
                    break;
                case "where":
                    ReadConditions(at, stop, conditions);
                    break;
                case "group":
                    aggregates = true;
                    break;
                case "order":
                    orderBy = stop > at ? new(_tokens[at - 1].Start, _tokens[stop - 1].End - _tokens[at - 1].Start) : null;
                    break;
                case "offset":
                    offset = at < stop ? Text(_tokens[at]) : "";
                    break;
                case "limit":
                    limited = true;
                    // LIMIT offset, count.
                    int comma = Enumerable.Range(at, stop - at).FirstOrDefault(i => _tokens[i].Kind == TokenKind.Comma, -1);
                    offset = comma > at ? Text(_tokens[at]) : offset;
                    break;
            }

            ReadQueries(at, stop, depth + 1);
            clause = stop < end ? _words[stop] : "";
            at = stop + 1;
        }

        _blocks.Add(new(new(_tokens[start].Start, _tokens[end - 1].End - _tokens[start].Start), sources, conditions, distinct, aggregates, orderBy, offset, limited));
    }

    private bool Contains(int start, int end, string word) => Enumerable.Range(start, Math.Max(0, end - start)).Any(i => _words[i] == word);

    private void ReadSources(int start, int end, List<SourceItem> sources, List<SqlCondition> conditions)
    {
        int at = start;
        while (at < end)
        {
            if (_tokens[at].Kind == TokenKind.Comma || Joins.Contains(_words[at]) || _words[at] is "only" or "lateral" or "or" or "rollback" or "ignore" or "replace")
            {
                at++;
            }
            else if (_words[at] == "on")
            {
                int stop = at + 1;
                while (stop < end && !Joins.Contains(_words[stop]) && _tokens[stop].Kind != TokenKind.Comma)
                {
                    stop = _closing[stop] + 1;
                }

                ReadConditions(at + 1, Math.Min(stop, end), conditions);
                at = stop;
            }
            else if (_words[at] == "using" && at + 1 < end)
            {
                at = _closing[at + 1] + 1;
            }
            else if (_tokens[at].Kind == TokenKind.OpenParen && !BeginsQuery(at))
            {
                // Joins in parentheses.
                ReadSources(at + 1, _closing[at], sources, conditions);
                at = _closing[at] + 1;
            }
            else
            {
                at = ReadSource(at, end, sources);
            }
        }
    }

    private int ReadSource(int start, int end, List<SourceItem> sources)
    {
        int at = start;
        string name = "";
        if (BeginsQuery(at))
        {
            at = _closing[at] + 1;
        }
        else
        {
            name = Plain(_tokens[at++]);
            while (at + 1 < end && _tokens[at].Kind == TokenKind.Dot)
            {
                name = Plain(_tokens[at + 1]);
                at += 2;
            }

            if (at < end && _tokens[at].Kind == TokenKind.OpenParen)
            {
                at = _closing[at] + 1;
            }
        }

        string alias = name;
        if (at + 1 < end && _words[at] == "as")
        {
            alias = Plain(_tokens[at + 1]);
            at += 2;
        }
        else if (at < end && _tokens[at].Kind is TokenKind.Word or TokenKind.QuotedIdentifier && !Joins.Contains(_words[at])
            && _words[at] is not ("on" or "using" or "indexed" or "not" or "tablesample"))
        {
            alias = Plain(_tokens[at++]);
        }

        sources.Add(new(name, alias, new(_tokens[start].Start, _tokens[Math.Min(at, end) - 1].End - _tokens[start].Start)));
        if (at + 1 < end && _words[at] is "indexed" or "not")
        {
            at += _words[at] == "indexed" ? 3 : 2;
        }

        return Math.Max(at, start + 1);
    }

    private void ReadConditions(int start, int end, List<SqlCondition> conditions)
    {
        foreach ((int from, int to) in Split(start, end, "and"))
        {
            (int first, int last) = Unwrapped(from, to);
            if (first >= last)
            {
                continue;
            }

            if ((first, last) != (from, to) && Split(first, last, "and").Count() > 1)
            {
                ReadConditions(first, last, conditions);
                continue;
            }

            conditions.Add(Condition(first, last));
        }
    }

    /// <summary>Ranges between a word at the top level; an AND of BETWEEN and what CASE holds do not count.</summary>
    private IEnumerable<(int From, int To)> Split(int start, int end, string word)
    {
        int from = start, cases = 0;
        bool between = false;
        for (int i = start; i < end; i = _closing[i] + 1)
        {
            cases += _words[i] == "case" ? 1 : _words[i] == "end" ? -1 : 0;
            between |= _words[i] == "between";
            if (_words[i] == word && cases == 0)
            {
                if (word == "and" && between)
                {
                    between = false;
                    continue;
                }

                yield return (from, i);
                from = i + 1;
            }
        }

        yield return (from, end);
    }

    private (int From, int To) Unwrapped(int from, int to)
    {
        while (from < to && _tokens[from].Kind == TokenKind.OpenParen && _closing[from] == to - 1 && !BeginsQuery(from))
        {
            (from, to) = (from + 1, to - 1);
        }

        return (from, to);
    }

    private SqlCondition Condition(int from, int to)
    {
        List<ColumnUse> columns = Columns(from, to);
        bool subquery = Enumerable.Range(from, to - from).Any(BeginsQuery);
        var span = new TextSpan(_tokens[from].Start, _tokens[to - 1].End - _tokens[from].Start);
        int collate = Enumerable.Range(from, to - from).FirstOrDefault(i => _words[i] == "collate", -1);
        string collation = collate >= 0 && collate + 1 < to ? Text(_tokens[collate + 1]) : "";
        List<(int From, int To)> alternatives = [.. Split(from, to, "or")];
        if (alternatives.Count > 1)
        {
            return new(span, "OR", columns, Side(from, from), Side(from, from), subquery, collation, [.. alternatives.Select(a => (IReadOnlyList<ColumnUse>)Columns(a.From, a.To))]);
        }

        int cases = 0;
        for (int i = from; i < to; i = _closing[i] + 1)
        {
            cases += _words[i] == "case" ? 1 : _words[i] == "end" ? -1 : 0;
            if (cases > 0)
            {
                continue;
            }

            bool not = _words[i] == "not" && i + 1 < to && _words[i + 1] is "in" or "like" or "between" or "glob";
            string word = not ? _words[i + 1] : _words[i];
            if (word is "in" or "like" or "glob" or "between" or "is" or "ilike" or "regexp" or "match"
                || (_tokens[i].Kind == TokenKind.Operator && Text(_tokens[i]) is "=" or "==" or "<" or ">" or "<=" or ">=" or "<>" or "!="))
            {
                string sign = word.Length > 0 ? word.ToUpperInvariant() : Text(_tokens[i]);
                return new(span, (not ? "NOT " : "") + sign, columns, Side(from, i), Side(not ? i + 2 : i + 1, to), subquery, collation, []);
            }
        }

        return new(span, "", columns, Side(from, to), Side(to, to), subquery, collation, []);
    }

    private ConditionSide Side(int from, int to)
    {
        (from, to) = Unwrapped(from, to);
        List<ColumnUse> columns = Columns(from, to);
        string value = to - from == 1 && columns.Count == 0 ? Text(_tokens[from]) : "";
        if (columns.Count == 0)
        {
            return new(columns, "", value);
        }

        for (int i = from; i < to; i++)
        {
            if (_tokens[i].Kind == TokenKind.OpenParen && !BeginsQuery(i) && i > from && _words[i - 1].Length > 0
                && columns.Any(c => c.Span.Start > _tokens[i].Start && c.Span.Start < _tokens[_closing[i]].Start))
            {
                return new(columns, _words[i - 1], "");
            }

            if (_tokens[i].Kind == TokenKind.Operator && Text(_tokens[i]) is "+" or "-" or "*" or "/" or "%" or "||" or "&" or "|")
            {
                return new(columns, Text(_tokens[i]), "");
            }
        }

        return new(columns, "", "");
    }

    /// <summary>Names that are neither keywords, functions nor inside a subquery.</summary>
    private List<ColumnUse> Columns(int from, int to)
    {
        var columns = new List<ColumnUse>();
        for (int i = from; i < to; i++)
        {
            if (BeginsQuery(i))
            {
                i = _closing[i];
                continue;
            }

            bool name = _tokens[i].Kind == TokenKind.QuotedIdentifier || (_tokens[i].Kind == TokenKind.Word && !Keywords.IsReserved(_words[i]));
            if (!name || (i > from && _words[i - 1] is "collate" or "as"))
            {
                continue;
            }

            if (i + 2 < to && _tokens[i + 1].Kind == TokenKind.Dot)
            {
                columns.Add(new(Plain(_tokens[i]), Plain(_tokens[i + 2]), new(_tokens[i].Start, _tokens[i + 2].End - _tokens[i].Start)));
                i += 2;
            }
            else if (i + 1 >= to || _tokens[i + 1].Kind != TokenKind.OpenParen)
            {
                columns.Add(new("", Plain(_tokens[i]), _tokens[i].Span));
            }
        }

        return columns;
    }

    private string Plain(Token token) => token.Kind == TokenKind.QuotedIdentifier ? Text(token).Trim('"', '`', '[', ']') : Text(token);
}
