namespace SwiftLedger.Core.Sql.Syntax;

/// <content>Operators and their operands, by how tightly they bind.</content>
internal sealed partial class SqlParser
{
    private bool WideExpressions => _grammar.Has(GrammarRules.WideExpressions);

    private Expression Expression() => Expression(0);

    /// <param name="binds">Operators that bind less tightly end it.</param>
    /// <param name="plain">Whether tests such as IN and LIKE end it too, as before the AND of BETWEEN.</param>
    private Expression Expression(int binds, bool plain = false)
    {
        Enter();
        Expression left = Operand(plain);
        for (int i = 0; i <= Longest; i++)
        {
            if (Behind(left, binds, plain) is not { } wider)
            {
                _depth--;
                return left;
            }

            left = wider;
        }

        throw Unknown("so long a row of operators");
    }

    /// <summary>What an operator behind an operand makes of it; null where none follows that binds as tightly as asked for.</summary>
    private Expression? Behind(Expression left, int binds, bool plain)
    {
        switch (Kind)
        {
            case TokenKind.Operator:
                return BehindSign(left, binds);
            case TokenKind.Parameter when WideExpressions && _sql[_tokens[_at].Start] == '?' && _tokens[_at].Length == 1:
                if (IsBesideSign)
                {
                    throw Unknown();
                }

                // An operator of documents, not a driver's parameter.
                return binds <= SqlGrammar.AnyOperator ? Operated(left, "?", SqlGrammar.AnyOperator) : null;
            case TokenKind.Word when (_uses[_at] & WordUse.Operates) != 0:
                return BehindWord(left, binds, plain);
            default:
                return null;
        }
    }

    private Expression? BehindSign(Expression left, int binds)
    {
        if (WideExpressions && _tokens[_at].Length <= 2)
        {
            switch (Chars(_at))
            {
                case "[":
                    return Subscript(left);
                case "::":
                    if (SqlGrammar.Cast < binds)
                    {
                        return null;
                    }

                    _at++;
                    return Placed(new Cast(left, Type(), Short: true), left);
                case ":" or "=>" or ":=" or "]":
                    return null;
            }
        }

        if (IsBesideSign)
        {
            throw Unknown();
        }

        string sign = Sign();
        int own = _grammar.Binds(sign);
        return own == 0 || own < binds ? null : Operated(left, sign, own);
    }

    /// <summary>The sign at hand, without a string of its own where it is a usual one.</summary>
    private string Sign() => Chars(_at) switch
    {
        "=" => "=",
        "<" => "<",
        ">" => ">",
        "<=" => "<=",
        ">=" => ">=",
        "<>" => "<>",
        "+" => "+",
        "-" => "-",
        "*" => "*",
        "/" => "/",
        "||" => "||",
        _ => Text(_at),
    };

    private Expression Operated(Expression left, string sign, int own)
    {
        _at++;
        if (WideExpressions && _words[_at] is "ANY" or "SOME" or "ALL" && KindAt(1) == TokenKind.OpenParen)
        {
            return Quantified(left, sign);
        }

        Binary made = Placed(new Binary(left, sign, Expression(own + 1)), left);
        return own == SqlGrammar.Comparison && _grammar.Has(GrammarRules.StrictComparisons) && Kind == TokenKind.Operator && _grammar.Binds(Sign()) == own ? throw Unknown() : made;
    }

    private Quantified Quantified(Expression left, string sign)
    {
        string quantifier = _words[_at++];
        Expression among = Operand();
        return Placed(new Quantified(left, sign, quantifier, among is Enclosed { Inner: var inner } ? inner : among is Syntax.Subquery ? among : throw Unknown()), left);
    }

    private Subscript Subscript(Expression left)
    {
        _at++;
        Expression? low = IsSign(':') ? null : Expression();
        bool slice = TakeSign(':');
        Expression? high = slice && !IsSign(']') ? Expression() : null;
        return TakeSign(']') ? Placed(new Subscript(left, low, high, slice), left) : throw Unknown();
    }

    private Expression? BehindWord(Expression left, int binds, bool plain)
    {
        switch (_words[_at])
        {
            case "AND" when binds <= SqlGrammar.And && !plain:
                return Logic(left, "AND", SqlGrammar.And);
            case "OR" when binds <= SqlGrammar.Or && !plain:
                return Logic(left, "OR", SqlGrammar.Or);
            case "IS" when binds <= SqlGrammar.Is && !plain:
                return IsBehind(left);
            case "ISNULL" or "NOTNULL" when binds <= SqlGrammar.Is && !plain:
                return Placed(new Test(left, _words[_at++]), left);
            case "COLLATE" when binds <= SqlGrammar.Collate:
                _at++;
                return Placed(new Collated(left, _grammar.Has(GrammarRules.StringAliases) ? CollationLabel() : Name()), left);
            case "AT" when WideExpressions && binds <= SqlGrammar.TimeZone && (IsAt(1, "TIME") || IsAt(1, "LOCAL")):
                return ZoneBehind(left);
            case "OPERATOR" when WideExpressions && binds <= SqlGrammar.AnyOperator && KindAt(1) == TokenKind.OpenParen:
                return Operated(left, QualifiedOperator(), SqlGrammar.AnyOperator);
            case "OVERLAPS" when WideExpressions && left is Row && !plain && binds <= SqlGrammar.Is:
                _at++;
                return Placed(new Binary(left, "OVERLAPS", Operand()), left);
            case "NOT" when _grammar.Has(GrammarRules.LooseTests) && IsAt(1, "NULL") && binds <= SqlGrammar.Is:
                _at += 2;
                return Placed(new Test(left, "NOT NULL"), left);
            default:
                return plain || binds > _grammar.Tests ? null : TestBehind(left);
        }
    }

    private Name CollationLabel()
    {
        int start = _at;
        return Placed(new Name([Label()]), start);
    }

    private Logical Logic(Expression left, string word, int own)
    {
        var terms = new List<Expression>(4) { left };
        while (Take(word))
        {
            terms.Add(Expression(own + 1));
        }

        return Placed(new Logical(word, [.. terms]), left);
    }

    private Expression IsBehind(Expression left)
    {
        _at++;
        string not = Take("NOT") ? "IS NOT" : "IS";
        if (Is("DISTINCT") && IsAt(1, "FROM"))
        {
            _at += 2;
            return Placed(new Binary(left, not + " DISTINCT FROM", Expression(SqlGrammar.Is + 1)), left);
        }

        if (_grammar.Has(GrammarRules.LooseTests))
        {
            return Is("NULL") && NothingBehindNull ? Tested(left, not) : Placed(new Binary(left, not, Expression(_grammar.Tests + 1)), left);
        }

        if (_words[_at] is "NULL" or "TRUE" or "FALSE" or "UNKNOWN" or "DOCUMENT" or "NORMALIZED")
        {
            return Tested(left, not);
        }

        return _words[_at] is "NFC" or "NFD" or "NFKC" or "NFKD" && IsAt(1, "NORMALIZED")
            ? Placed(new Test(left, $"{not} {_words[_at++]} {_words[_at++]}"), left)
            : throw Unknown();
    }

    // NULL may itself begin an expression: a IS NULL + 1.
    private bool NothingBehindNull => !(KindAt(1) == TokenKind.Operator || IsAt(1, "COLLATE"));

    private Test Tested(Expression left, string not) => Placed(new Test(left, $"{not} {_words[_at++]}"), left);

    private AtTimeZone ZoneBehind(Expression left)
    {
        _at++;
        if (Take("LOCAL"))
        {
            return Placed(new AtTimeZone(left, null), left);
        }

        _at++;
        Need("ZONE");
        return Placed(new AtTimeZone(left, Expression(SqlGrammar.TimeZone + 1)), left);
    }

    /// <summary>An operator with its schema; ends at its closing parenthesis.</summary>
    private string QualifiedOperator()
    {
        int start = _at;
        while (!Is(TokenKind.CloseParen))
        {
            if (_at >= _count || (_at > start + 1 && Kind is not (TokenKind.Word or TokenKind.QuotedIdentifier or TokenKind.Dot or TokenKind.Operator)))
            {
                throw Unknown();
            }

            _at++;
        }

        return "OPERATOR(" + string.Concat(Enumerable.Range(start + 2, _at - start - 2).Select(Text)) + ")";
    }

    /// <summary>BETWEEN, IN, LIKE and their kin, with a NOT before them if it stands there; null where none follows.</summary>
    private Expression? TestBehind(Expression left)
    {
        int ahead = Is("NOT") ? 1 : 0;
        string word = _words[_at + ahead];
        bool not = ahead == 1;
        if (word == "BETWEEN")
        {
            _at += ahead + 1;
            return BetweenBehind(left, not);
        }

        if (word == "IN")
        {
            _at += ahead + 1;
            return Placed(new In(left, not, Among()), left);
        }

        if ((_uses[_at + ahead] & WordUse.Matches) != 0 && (word != "SIMILAR" || IsAt(ahead + 1, "TO")))
        {
            _at += ahead + 1;
            return MatchBehind(left, not, word);
        }

        return null;
    }

    private Between BetweenBehind(Expression left, bool not)
    {
        bool symmetric = Wide && Take("SYMMETRIC");
        _ = !symmetric && Wide && Take("ASYMMETRIC");
        Expression low = Wide ? Expression(SqlGrammar.Comparison, plain: true) : Expression(SqlGrammar.Is);
        Need("AND");
        return Placed(new Between(left, not, symmetric, low, Expression(_grammar.Tests + 1)), left);
    }

    private Expression Among()
    {
        int start = _at;
        if (!Is(TokenKind.OpenParen))
        {
            return !_grammar.Has(GrammarRules.LooseTests) ? throw Unknown() : KindBehindName() == TokenKind.OpenParen ? Function() : Name();
        }

        if (_grammar.Has(GrammarRules.LooseTests) && KindAt(1) == TokenKind.CloseParen)
        {
            _at += 2;
            return Placed(new Row([], Worded: false), start);
        }

        Expression among = Enclosed();
        switch (among)
        {
            case Enclosed { Inner: Syntax.Subquery { Query: var inner } subquery } when Wide:
                QueryTerm term = new EnclosedQuery(inner);
                term.Place(_sql, subquery.Span!.Value.Start, subquery.Span.Value.End);
                var query = new Query(null, term, [], []);
                query.Place(_sql, subquery.Span.Value.Start, subquery.Span.Value.End);
                return Placed(new Subquery(query), start);
            case Enclosed { Inner: var only }:
                return Placed(new Row([only], Worded: false), start);
            default:
                return among;
        }
    }

    private Expression MatchBehind(Expression left, bool not, string word)
    {
        string words = word;
        if (word == "SIMILAR")
        {
            Need("TO");
            words = "SIMILAR TO";
        }

        if (WideExpressions && _words[_at] is "ANY" or "SOME" or "ALL" && KindAt(1) == TokenKind.OpenParen)
        {
            return Quantified(left, not ? "NOT " + words : words);
        }

        Expression pattern = Expression(_grammar.Tests + 1);
        Expression? escape = Take("ESCAPE") ? Expression(_grammar.Tests + 1) : null;
        return Placed(new Match(left, not, words, pattern, escape), left);
    }
}
