namespace SwiftLedger.Core.Sql.Syntax;

/// <content>Queries and what stands around them.</content>
internal sealed partial class SqlParser
{
    private bool BeginsQuery(int ahead) => IsAt(ahead, "SELECT") || IsAt(ahead, "WITH") || IsAt(ahead, "VALUES") || (Wide && IsAt(ahead, "TABLE"));

    private bool GoesOnAsQuery => _words[_at] is "UNION" or "INTERSECT" or "EXCEPT" or "ORDER" or "LIMIT" or "OFFSET" or "FETCH" or "FOR";

    private With With()
    {
        int start = _at;
        Need("WITH");
        bool recursive = Take("RECURSIVE");
        return Placed(new With(recursive, List(static p => p.CommonTable())), start);
    }

    private CommonTable CommonTable()
    {
        int start = _at;
        Identifier name = Identifier();
        Identifier[] columns = Is(TokenKind.OpenParen) ? EnclosedList(static p => p.Identifier()) : [];
        Need("AS");
        string kept = Take("NOT", "MATERIALIZED") ? "NOT MATERIALIZED" : Take("MATERIALIZED") ? "MATERIALIZED" : "";
        Need(TokenKind.OpenParen);
        Enter();
        Statement body = Statement();
        _depth--;
        if (body is not Syntax.Query && !_grammar.Has(GrammarRules.AlteringTables))
        {
            throw Unknown();
        }

        Need(TokenKind.CloseParen);
        return Placed(new CommonTable(name, columns, kept, body), start);
    }

    /// <summary>A query with its own WITH, if it has one.</summary>
    private Query Query()
    {
        int start = _at;
        return Query(start, Is("WITH") ? With() : null);
    }

    private Query Query(int start, With? with)
    {
        Enter();
        Query query = QueryBehind(start, with, Terms(1));
        _depth--;
        return query;
    }

    /// <summary>A query of which the first term is read.</summary>
    private Query QueryBehind(int start, With? with, QueryTerm body)
    {
        OrderTerm[] order = Take("ORDER", "BY") ? List(static p => p.OrderTerm()) : [];
        var tail = new List<SyntaxNode>();
        while (Tail() is { } part)
        {
            tail.Add(part);
        }

        return Placed(new Query(with, body, order, tail.Count == 0 ? [] : [.. tail]), start);
    }

    private QueryTerm Terms(int binds) => TermsBehind(Term(), binds);

    private QueryTerm TermsBehind(QueryTerm left, int binds)
    {
        for (int i = 0; ; i++)
        {
            int own = Is("INTERSECT") && !_grammar.Has(GrammarRules.FlatSetOperations) ? 2 : _words[_at] is "UNION" or "EXCEPT" or "INTERSECT" ? 1 : 0;
            if (own == 0 || own < binds)
            {
                return left;
            }

            if (i > Longest)
            {
                throw Unknown("so long a row of queries");
            }

            string words = _words[_at++];
            words = Take("ALL") ? words + " ALL" : Wide && Take("DISTINCT") ? words + " DISTINCT" : words;
            left = Placed(new SetOperation(left, words, Terms(own + 1)), left);
        }
    }

    private QueryTerm Term()
    {
        int start = _at;
        switch (_words[_at])
        {
            case "SELECT":
                return Select();
            case "VALUES":
                _at++;
                return Placed(new Values(List(static p => p.ValuesRow())), start);
            case "TABLE" when Wide:
                _at++;
                return Placed(new WholeTable(Table(aliased: false)), start);
            default:
                if (!Is(TokenKind.OpenParen) || !Wide)
                {
                    throw Unknown();
                }

                _at++;
                Query inner = Query();
                Need(TokenKind.CloseParen);
                return Placed(new EnclosedQuery(inner), start);
        }
    }

    private Row ValuesRow()
    {
        int start = _at;
        return Placed(new Row(EnclosedList(static p => p.ValueOrDefault()), Worded: false), start);
    }

    private Expression ValueOrDefault()
    {
        int start = _at;
        return Take("DEFAULT") ? Placed(new DefaultValue(), start) : Expression();
    }

    private Select Select()
    {
        int start = _at;
        Need("SELECT");
        string quantifier = Take("DISTINCT") ? "DISTINCT" : Take("ALL") ? "ALL" : "";
        Expression[] on = quantifier == "DISTINCT" && Wide && Take("ON") ? EnclosedList(static p => p.Expression()) : [];
        bool listed = !Wide || quantifier.Length > 0 || !(_at >= _count || Kind is TokenKind.CloseParen or TokenKind.Semicolon || _words[_at] is "FROM" or "WHERE" or "GROUP" or "HAVING" or "WINDOW" || GoesOnAsQuery);
        SelectItem[] items = listed ? List(static p => p.SelectItem()) : [];
        Source? from = Take("FROM") ? From() : null;
        Expression? where = Take("WHERE") ? Expression() : null;
        Expression[] groups = [];
        string groupQuantifier = "";
        if (Take("GROUP", "BY"))
        {
            groupQuantifier = !Wide ? "" : Take("DISTINCT") ? "DISTINCT" : Take("ALL") ? "ALL" : "";
            groups = List(static p => p.Group());
        }

        Expression? having = Take("HAVING") ? Expression() : null;
        NamedWindow[] windows = Is("WINDOW") && IsName(_at + 1) && IsAt(2, "AS") ? NamedWindows() : [];
        return Placed(new Select(quantifier, on, items, from, where, groupQuantifier, groups, having, windows), start);
    }

    private NamedWindow[] NamedWindows()
    {
        Need("WINDOW");
        return List(static p => p.NamedWindow());
    }

    private NamedWindow NamedWindow()
    {
        int start = _at;
        Identifier name = Identifier();
        Need("AS");
        return Placed(new NamedWindow(name, Window()), start);
    }

    private SelectItem SelectItem()
    {
        int start = _at;
        Expression value;
        if (TakeSign('*'))
        {
            value = Placed(new AllColumns(null), start);
        }
        else
        {
            value = Expression();
        }

        if (Take("AS"))
        {
            return Placed(new SelectItem(value, Label(), Worded: true), start);
        }

        Identifier? alias = value is not AllColumns && IsBareAlias ? Label() : null;
        return Placed(new SelectItem(value, alias, Worded: false), start);
    }

    private bool IsBareAlias => Kind switch
    {
        TokenKind.QuotedIdentifier => true,
        TokenKind.String => _grammar.Has(GrammarRules.StringAliases),
        TokenKind.Word when _words[_at] == "WINDOW" => !Wide && !(IsName(_at + 1) && IsAt(2, "AS")),
        TokenKind.Word => (_uses[_at] & WordUse.BareAlias) != 0,
        _ => false,
    };

    private Expression Group()
    {
        int start = _at;
        if (Wide && Is(TokenKind.OpenParen) && KindAt(1) == TokenKind.CloseParen)
        {
            _at += 2;
            return Placed(new Row([], Worded: false), start);
        }

        if (Wide && Take("GROUPING", "SETS"))
        {
            return Placed(new GroupingSets(EnclosedList(static p => p.Group())), start);
        }

        return Expression();
    }

    private OrderTerm OrderTerm()
    {
        int start = _at;
        Expression value = Expression();
        string direction = Take("ASC") ? "ASC" : Take("DESC") ? "DESC" : "";
        if (direction.Length == 0 && Wide && Is("USING") && KindAt(1) == TokenKind.Operator)
        {
            direction = "USING " + Text(_at + 1);
            _at += 2;
        }

        string nulls = Take("NULLS", "FIRST") ? "NULLS FIRST" : Take("NULLS", "LAST") ? "NULLS LAST" : "";
        return Placed(new OrderTerm(value, direction, nulls), start);
    }

    private SyntaxNode? Tail()
    {
        int start = _at;
        if (Take("LIMIT"))
        {
            if (Wide && Take("ALL"))
            {
                return Placed(new Bound("LIMIT ALL", null, null, ""), start);
            }

            Expression first = Expression();
            return _grammar.Has(GrammarRules.LimitPairs) && Take(TokenKind.Comma)
                ? Placed(new Bound("LIMIT", first, Expression(), ""), start)
                : Placed(new Bound("LIMIT", null, first, ""), start);
        }

        if (Take("OFFSET"))
        {
            Expression count = Expression();
            string after = !Wide ? "" : Take("ROWS") ? "ROWS" : Take("ROW") ? "ROW" : "";
            return Placed(new Bound("OFFSET", null, count, after), start);
        }

        if (Wide && Take("FETCH"))
        {
            string words = "FETCH " + NeedOne("FIRST", "NEXT");
            Expression? count = _words[_at] is "ROW" or "ROWS" ? null : Operand();
            string after = NeedOne("ROW", "ROWS") + (Take("WITH", "TIES") ? " WITH TIES" : Take("ONLY") ? " ONLY" : throw Unknown());
            return Placed(new Bound(words, null, count, after), start);
        }

        return Wide && Is("FOR") ? Lock() : null;
    }

    private LockRows Lock()
    {
        int start = _at;
        Need("FOR");
        string words = Take("UPDATE") ? "FOR UPDATE"
            : Take("SHARE") ? "FOR SHARE"
            : Take("KEY", "SHARE") ? "FOR KEY SHARE"
            : Take("NO", "KEY") && Take("UPDATE") ? "FOR NO KEY UPDATE"
            : throw Unknown();
        Name[] of = Take("OF") ? List(static p => p.Name()) : [];
        string wait = Take("NOWAIT") ? "NOWAIT" : Take("SKIP", "LOCKED") ? "SKIP LOCKED" : "";
        return Placed(new LockRows(words, of, wait), start);
    }
}
