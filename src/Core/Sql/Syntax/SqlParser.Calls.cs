namespace SwiftLedger.Core.Sql.Syntax;

/// <content>Functions, windows and types.</content>
internal sealed partial class SqlParser
{
    private Expression Function()
    {
        int start = _at;
        bool plainName = KindAt(1) == TokenKind.OpenParen;
        string word = plainName ? _words[_at] : "";
        if (plainName && word.Length > 0)
        {
            if (_grammar.OpaqueCalls.Contains(word))
            {
                return PassedThrough(word);
            }

            if (_grammar.Reserved.Contains(word) && !_grammar.Functions.Contains(word))
            {
                throw Unknown();
            }

            if (_grammar.WordedCalls.Contains(word) && Worded(word) is { } call)
            {
                return call;
            }
        }

        Identifier first = plainName ? Label() : Identifier();
        return Call(NameBehind(first, start), start);
    }

    /// <summary>What has a grammar of its own: up to its closing parenthesis, as it stands.</summary>
    private Opaque PassedThrough(string construct)
    {
        int start = _at, open = 0;
        do
        {
            _at++;
            open += Is(TokenKind.OpenParen) ? 1 : Is(TokenKind.CloseParen) ? -1 : 0;
        }
        while (open > 0 && _at < _count);

        Need(TokenKind.CloseParen);
        Opaque passed = Placed(new Opaque(construct, _sql[_tokens[start].Start.._tokens[_at - 1].End]), start);
        _passed.Add(new(construct, passed.Span!.Value));
        return passed;
    }

    private Call Call(Name name, int start)
    {
        Need(TokenKind.OpenParen);
        string quantifier = Take("DISTINCT") ? "DISTINCT" : Take("ALL") ? "ALL" : "";
        Expression[] arguments = [];
        OrderTerm[] order = [], within = [];
        if (IsSign('*') && KindAt(1) == TokenKind.CloseParen)
        {
            _at++;
            arguments = [Placed(new AllColumns(null), _at - 1)];
        }
        else if (!Is(TokenKind.CloseParen))
        {
            arguments = Is("ORDER") ? [] : List(static p => p.Argument());
            order = Take("ORDER", "BY") ? List(static p => p.OrderTerm()) : [];
        }

        Need(TokenKind.CloseParen);
        if (Wide && order.Length == 0 && Take("WITHIN", "GROUP"))
        {
            Need(TokenKind.OpenParen);
            Need("ORDER");
            Need("BY");
            within = List(static p => p.OrderTerm());
            Need(TokenKind.CloseParen);
        }

        Expression? filter = null;
        if (Is("FILTER") && KindAt(1) == TokenKind.OpenParen)
        {
            _at += 2;
            Need("WHERE");
            filter = Expression();
            Need(TokenKind.CloseParen);
        }

        SyntaxNode? over = null;
        if (Is("OVER") && (KindAt(1) == TokenKind.OpenParen || IsName(_at + 1)))
        {
            _at++;
            over = Is(TokenKind.OpenParen) ? Window() : Identifier();
        }

        return Placed(new Call(name, quantifier, arguments, order, within, filter, over), start);
    }

    private Expression Argument()
    {
        int start = _at;
        if (WideExpressions && Take("VARIADIC"))
        {
            return Placed(new Argument(null, "VARIADIC", Expression()), start);
        }

        if (WideExpressions && IsName(_at) && KindAt(1) == TokenKind.Operator && Chars(_at + 1) is "=>" or ":=")
        {
            Identifier label = Identifier();
            string sign = Text(_at++);
            return Placed(new Argument(label, sign, Expression()), start);
        }

        return Expression();
    }

    /// <summary>A call whose arguments are parted by words; null where they are parted by commas, and nothing was read.</summary>
    private WordedCall? Worded(string word)
    {
        int start = _at;
        Identifier name = Label();
        Need(TokenKind.OpenParen);
        var arguments = new List<WordedArgument>();
        string words = word == "TRIM" && _words[_at] is "BOTH" or "LEADING" or "TRAILING" ? _words[_at++] : Take("FOR") ? "FOR" : "";
        if (words.Length > 0 && Take("FROM"))
        {
            words += " FROM";
        }

        bool worded = words.Length > 0;
        while (true)
        {
            int first = _at;
            if (Is(TokenKind.CloseParen))
            {
                break;
            }

            Expression value = word == "EXTRACT" && arguments.Count == 0 && Kind == TokenKind.Word ? ExtractedField() : Expression(0, plain: word == "POSITION");
            arguments.Add(Placed(new WordedArgument(words, value), first));
            if (Take(TokenKind.Comma))
            {
                words = ",";
            }
            else if (_words[_at] is "FROM" or "FOR" or "PLACING" or "SIMILAR" or "ESCAPE" || (word == "POSITION" && Is("IN")))
            {
                words = _words[_at++];
                worded = true;
            }
            else
            {
                break;
            }
        }

        if (!worded)
        {
            _at = start;
            return null;
        }

        Need(TokenKind.CloseParen);
        return Placed(new WordedCall(name, [.. arguments]), start);
    }

    private Literal ExtractedField()
    {
        _at++;
        return Placed(new Literal(Text(_at - 1)), _at - 1);
    }

    private Window Window()
    {
        int start = _at;
        Need(TokenKind.OpenParen);
        Identifier? inherited = IsName(_at) && !(_words[_at] is "PARTITION" or "RANGE" or "ROWS" or "GROUPS") ? Identifier() : null;
        Expression[] partition = Take("PARTITION", "BY") ? List(static p => p.Expression()) : [];
        OrderTerm[] order = Take("ORDER", "BY") ? List(static p => p.OrderTerm()) : [];
        Frame? frame = _words[_at] is "RANGE" or "ROWS" or "GROUPS" ? Frame() : null;
        Need(TokenKind.CloseParen);
        return Placed(new Window(inherited, partition, order, frame), start);
    }

    private Frame Frame()
    {
        int start = _at;
        string unit = _words[_at++];
        bool between = Take("BETWEEN");
        FrameBound from = FrameBound();
        FrameBound? to = null;
        if (between)
        {
            Need("AND");
            to = FrameBound();
        }

        if (from.Words == "UNBOUNDED FOLLOWING" || to?.Words == "UNBOUNDED PRECEDING" || (to is null && from.Words == "FOLLOWING"))
        {
            throw Unknown();
        }

        string exclude = "";
        if (Take("EXCLUDE"))
        {
            exclude = Take("NO", "OTHERS") ? "EXCLUDE NO OTHERS" : Take("CURRENT", "ROW") ? "EXCLUDE CURRENT ROW" : "EXCLUDE " + NeedOne("GROUP", "TIES");
        }

        return Placed(new Frame(unit, from, to, exclude), start);
    }

    private FrameBound FrameBound()
    {
        int start = _at;
        if (Take("CURRENT", "ROW"))
        {
            return Placed(new FrameBound(null, "CURRENT ROW"), start);
        }

        if (Is("UNBOUNDED") && (IsAt(1, "PRECEDING") || IsAt(1, "FOLLOWING")))
        {
            _at++;
            return Placed(new FrameBound(null, "UNBOUNDED " + _words[_at++]), start);
        }

        Expression offset = Expression(SqlGrammar.And + 1);
        return Placed(new FrameBound(offset, NeedOne("PRECEDING", "FOLLOWING")), start);
    }

    /// <summary>A type with a string behind it; null where it is none, and nothing was read.</summary>
    private TypedLiteral? TypedLiteral()
    {
        int start = _at;
        if (!TryType(out TypeName? type) || Kind != TokenKind.String)
        {
            _at = start;
            return null;
        }

        string text = Text(_at++);
        List<string> unit = type!.Words[0].Equals("INTERVAL", StringComparison.OrdinalIgnoreCase) ? IntervalUnit() : [];
        return Placed(new TypedLiteral(type, text, unit), start);
    }

    private List<string> IntervalUnit()
    {
        var words = new List<string>();
        if (_words[_at] is not ("YEAR" or "MONTH" or "DAY" or "HOUR" or "MINUTE" or "SECOND"))
        {
            return words;
        }

        words.Add(_words[_at++]);
        if (Is("TO") && _words[_at + 1] is "MONTH" or "HOUR" or "MINUTE" or "SECOND")
        {
            words.AddRange(["TO", _words[_at + 1]]);
            _at += 2;
        }

        if (words[^1] == "SECOND" && Is(TokenKind.OpenParen))
        {
            Modifiers(words);
        }

        return words;
    }

    private TypeName Type() => TryType(out TypeName? type) ? type! : throw Unknown();

    private bool TryType(out TypeName? type)
    {
        int start = _at;
        type = null;
        if (Kind is not (TokenKind.Word or TokenKind.QuotedIdentifier or TokenKind.String) || (Kind == TokenKind.String && WideExpressions))
        {
            return false;
        }

        if (Kind == TokenKind.Word && _grammar.Reserved.Contains(_words[_at]) && !_grammar.WordedTypes.Contains(_words[_at]) && !_grammar.Functions.Contains(_words[_at]))
        {
            return false;
        }

        var words = new List<string> { Text(_at++) };
        string first = _words[start];
        if (!WideExpressions)
        {
            // SQLite takes any words for a type.
            while (Kind is TokenKind.Word or TokenKind.QuotedIdentifier)
            {
                words.Add(Text(_at++));
            }
        }
        else
        {
            MoreOfType(first, words);
        }

        if (Is(TokenKind.OpenParen))
        {
            Modifiers(words);
        }

        if (WideExpressions)
        {
            if (first is "TIME" or "TIMESTAMP" && _words[_at] is "WITH" or "WITHOUT" && IsAt(1, "TIME") && IsAt(2, "ZONE"))
            {
                words.AddRange([_words[_at], "TIME", "ZONE"]);
                _at += 3;
            }
            else if (first == "INTERVAL")
            {
                words.AddRange(IntervalUnit());
            }

            Bounds(words);
        }

        type = Placed(new TypeName(words), start);
        return true;
    }

    private void MoreOfType(string first, List<string> words)
    {
        if (first == "DOUBLE" && Take("PRECISION"))
        {
            words.Add("PRECISION");
        }

        if (first == "NATIONAL" && _words[_at] is "CHARACTER" or "CHAR")
        {
            words.Add(_words[_at++]);
        }

        if (first is "CHARACTER" or "CHAR" or "NCHAR" or "NATIONAL" or "BIT" && Take("VARYING"))
        {
            words.Add("VARYING");
        }

        while (Is(TokenKind.Dot) && KindAt(1) is TokenKind.Word or TokenKind.QuotedIdentifier)
        {
            words.AddRange([".", Text(_at + 1)]);
            _at += 2;
        }
    }

    /// <summary>Numbers in parentheses behind a type.</summary>
    private void Modifiers(List<string> words)
    {
        int start = _at;
        _at++;
        words.Add("(");
        while (!Is(TokenKind.CloseParen))
        {
            if (_at >= _count || Kind is not (TokenKind.Number or TokenKind.Comma or TokenKind.Word or TokenKind.String) && !IsSign('-') && !IsSign('+'))
            {
                _at = start;
                throw Unknown();
            }

            words.Add(Text(_at++));
        }

        _at++;
        words.Add(")");
    }

    /// <summary>Brackets that make a type one of arrays.</summary>
    private void Bounds(List<string> words)
    {
        if (Take("ARRAY"))
        {
            words.Add("ARRAY");
        }

        while (IsSign('[') && ((KindAt(1) == TokenKind.Operator && _sql[_tokens[_at + 1].Start] == ']') || (KindAt(1) == TokenKind.Number && KindAt(2) == TokenKind.Operator)))
        {
            words.Add("[");
            _at++;
            if (Kind == TokenKind.Number)
            {
                words.Add(Text(_at++));
            }

            if (!TakeSign(']'))
            {
                throw Unknown();
            }

            words.Add("]");
        }
    }
}
