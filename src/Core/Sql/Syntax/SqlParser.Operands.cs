namespace SwiftLedger.Core.Sql.Syntax;

/// <content>What operators stand between: literals, names, calls, parentheses.</content>
internal sealed partial class SqlParser
{
    private Expression Operand(bool plain = false)
    {
        int start = _at;
        switch (Kind)
        {
            case TokenKind.Number or TokenKind.Blob:
                _at++;
                return Placed(new Literal(Text(start)), start);
            case TokenKind.String when KindAt(1) == TokenKind.Dot && _grammar.Has(GrammarRules.StringAliases):
                return NameOrCall();
            case TokenKind.String:
                return StringLiteral();
            case TokenKind.Parameter:
                if (IsBesideSign)
                {
                    throw Unknown();
                }

                _at++;
                return Placed(new Parameter(Text(start)), start);
            case TokenKind.OpenParen:
                return FieldsOf(Enclosed());
            case TokenKind.Operator:
                return Prefixed();
            case TokenKind.QuotedIdentifier:
                return NameOrCall();
            case TokenKind.Word when _words[_at].Length == 0:
                return NameOrCall();
            case TokenKind.Word:
                return WordOperand(plain);
            default:
                throw Unknown();
        }
    }

    /// <summary>Whether what begins with a question mark touches another sign: a driver's parameter before an operator, or one operator; nobody can tell.</summary>
    private bool IsBesideSign => WideExpressions && _sql[_tokens[_at].Start] == '?' && KindAt(1) == TokenKind.Operator && _tokens[_at + 1].Start == _tokens[_at].End;

    private Literal StringLiteral()
    {
        int start = _at++;

        // Strings on lines of their own are one: PostgreSQL's manual, 4.1.2.1.
        while (WideExpressions && Kind == TokenKind.String && _sql.AsSpan(_tokens[_at - 1].End, _tokens[_at].Start - _tokens[_at - 1].End).ContainsAny('\n', '\r'))
        {
            _at++;
        }

        if (WideExpressions && Is("UESCAPE") && KindAt(1) == TokenKind.String)
        {
            _at += 2;
        }

        return Placed(new Literal(_sql[_tokens[start].Start.._tokens[_at - 1].End]), start);
    }

    private Unary Prefixed()
    {
        int start = _at;
        string sign = Sign();
        int binds = _grammar.Prefixes(sign);
        if (binds == 0 || IsBesideSign)
        {
            throw Unknown();
        }

        _at++;
        return Placed(new Unary(sign, Expression(Unary.OperandBinds(binds))), start);
    }

    private Expression WordOperand(bool plain)
    {
        int start = _at;
        switch (_words[_at])
        {
            case "NOT" when !plain:
                _at++;
                return Placed(new Unary("NOT", Expression(SqlGrammar.Not)), start);
            case "CASE":
                return Case();
            case "CAST" when KindAt(1) == TokenKind.OpenParen:
                return Cast();
            case "EXISTS" when KindAt(1) == TokenKind.OpenParen:
                _at++;
                return Enclosed() switch
                {
                    Syntax.Subquery { Query: var query } => Placed(new Exists(query), start),
                    Enclosed { Inner: Syntax.Subquery { Query: var query } } => Placed(new Exists(query), start),
                    _ => throw Unknown(),
                };
            case "ARRAY" when WideExpressions && KindAt(1) is TokenKind.OpenParen or TokenKind.Operator:
                return Array();
            case "ROW" when WideExpressions && KindAt(1) == TokenKind.OpenParen:
                _at += 2;
                Expression[] items = Is(TokenKind.CloseParen) ? [] : List(static p => p.ValueOrDefault());
                Need(TokenKind.CloseParen);
                return FieldsOf(Placed(new Row(items, Worded: true), start));
            case "OPERATOR" when WideExpressions && KindAt(1) == TokenKind.OpenParen:
                string sign = QualifiedOperator();
                _at++;
                return Placed(new Unary(sign, Expression(Unary.OperandBinds(SqlGrammar.AnyOperator))), start);
            case "CURRENT" when IsAt(1, "OF"):
                _at += 2;
                return Placed(new CurrentOf(Identifier()), start);
            case "DEFAULT" or "CAST":
            case "RAISE" when !Wide && KindAt(1) != TokenKind.OpenParen:
                throw Unknown();
            case var word when WideExpressions && _grammar.WordedTypes.Contains(word):
                return TypedLiteral() ?? NameOrCall();
            case var word when _grammar.Values.Contains(word) && KindAt(1) is not (TokenKind.Dot or TokenKind.OpenParen):
                _at++;
                return Placed(new Literal(Text(start)), start);
            case var word when WideExpressions && word is "CURRENT_TIME" or "CURRENT_TIMESTAMP" or "LOCALTIME" or "LOCALTIMESTAMP" && KindAt(1) == TokenKind.OpenParen:
                return Function();
            default:
                return NameOrCall();
        }
    }

    private Expression NameOrCall()
    {
        int start = _at;
        TokenKind behind = KindBehindName();
        if (behind == TokenKind.OpenParen)
        {
            return FieldsOf(Function());
        }

        if (behind == TokenKind.String && WideExpressions && Kind is TokenKind.Word or TokenKind.QuotedIdentifier)
        {
            return TypedLiteral() ?? throw Unknown();
        }

        Name name = Name();
        if (Is(TokenKind.Dot) && KindAt(1) == TokenKind.Operator && _sql[_tokens[_at + 1].Start] == '*' && _tokens[_at + 1].Length == 1)
        {
            _at += 2;
            return Placed(new AllColumns(name), start);
        }

        return WideExpressions && IsSign('[') ? FieldsOf(name) : name;
    }

    /// <summary>Fields, elements and all columns of what was read.</summary>
    private Expression FieldsOf(Expression of)
    {
        for (int i = 0; WideExpressions && i < Longest; i++)
        {
            if (IsSign('['))
            {
                of = Subscript(of);
            }
            else if (Is(TokenKind.Dot) && KindAt(1) is TokenKind.Word or TokenKind.QuotedIdentifier)
            {
                _at++;
                of = Placed(new Field(of, Label()), of);
            }
            else if (Is(TokenKind.Dot) && KindAt(1) == TokenKind.Operator && _sql[_tokens[_at + 1].Start] == '*')
            {
                _at += 2;
                return Placed(new AllColumns(of), of);
            }
            else
            {
                break;
            }
        }

        return of;
    }

    /// <summary>What stands in parentheses: a query, several values, or one.</summary>
    private Expression Enclosed()
    {
        int start = _at;
        Need(TokenKind.OpenParen);
        if (BeginsQuery(0))
        {
            Query query = Query();
            Need(TokenKind.CloseParen);
            return Placed(new Subquery(query), start);
        }

        Expression first = Expression();
        Expression bare = first;
        while (bare is Enclosed { Inner: var within })
        {
            bare = within;
        }

        if (bare is Syntax.Subquery { Query: var inner } && Wide && GoesOnAsQuery && first.Span!.Value.End == _tokens[_at - 1].End)
        {
            // ((SELECT ...) UNION ...) is a query, not an operator's operand.
            QueryTerm term = new EnclosedQuery(inner);
            term.Place(_sql, first.Span.Value.Start, first.Span.Value.End);
            Query query = QueryBehind(start + 1, null, TermsBehind(term, 1));
            Need(TokenKind.CloseParen);
            return Placed(new Subquery(query), start);
        }

        if (!Is(TokenKind.Comma))
        {
            Need(TokenKind.CloseParen);
            return Placed(new Enclosed(first), start);
        }

        var items = new List<Expression> { first };
        while (Take(TokenKind.Comma))
        {
            items.Add(Expression());
        }

        Need(TokenKind.CloseParen);
        return Placed(new Row([.. items], Worded: false), start);
    }

    private Case Case()
    {
        int start = _at;
        Need("CASE");
        Expression? operand = Is("WHEN") ? null : Expression();
        var whens = new List<When>();
        do
        {
            int first = _at;
            Need("WHEN");
            Expression condition = Expression();
            Need("THEN");
            whens.Add(Placed(new When(condition, Expression()), first));
        }
        while (Is("WHEN"));

        Expression? otherwise = Take("ELSE") ? Expression() : null;
        Need("END");
        return Placed(new Case(operand, [.. whens], otherwise), start);
    }

    private Cast Cast()
    {
        int start = _at;
        _at++;
        Need(TokenKind.OpenParen);
        Expression operand = Expression();
        Need("AS");
        TypeName type = Type();
        Need(TokenKind.CloseParen);
        return Placed(new Cast(operand, type, Short: false), start);
    }

    private Expression Array()
    {
        int start = _at;
        Need("ARRAY");
        if (Is(TokenKind.OpenParen))
        {
            return Enclosed() switch
            {
                Syntax.Subquery { Query: var query } => Placed(new ArrayQuery(query), start),
                _ => throw Unknown(),
            };
        }

        return ArrayList(start, worded: true);
    }

    private Expression ArrayList(int start, bool worded)
    {
        if (!TakeSign('['))
        {
            throw Unknown();
        }

        Enter();
        Expression[] items = IsSign(']') ? [] : List(static p => p.IsSign('[') ? p.ArrayList(p._at, worded: false) : p.Expression());
        _depth--;
        return TakeSign(']') ? FieldsOf(Placed(new ArrayList(items, worded), start)) : throw Unknown();
    }
}
