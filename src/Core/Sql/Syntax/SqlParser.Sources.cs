namespace SwiftLedger.Core.Sql.Syntax;

/// <content>What a query reads.</content>
internal sealed partial class SqlParser
{
    private bool LooseJoins => _grammar.Has(GrammarRules.LooseJoins);

    private Source From()
    {
        Enter();
        Source left = Joined(ReadSource());
        for (int i = 0; !LooseJoins && Take(TokenKind.Comma); i++)
        {
            if (i > Longest)
            {
                throw Unknown("so many tables");
            }

            Source right = Joined(ReadSource());
            left = Placed(new Join(left, ",", right, null, [], null), left);
        }

        _depth--;
        return left;
    }

    private Source Joined(Source left)
    {
        for (int i = 0; i <= Longest; i++)
        {
            if (OneJoin(left) is not { } joined)
            {
                return left;
            }

            left = joined;
        }

        throw Unknown("so many tables");
    }

    /// <summary>The source with the next one joined to it; null where no join follows.</summary>
    private Join? OneJoin(Source left)
    {
        if (JoinWords() is not { } words)
        {
            return null;
        }

        Source right = ReadSource();
        bool conditional = !words.Contains("CROSS", StringComparison.Ordinal) && !words.Contains("NATURAL", StringComparison.Ordinal);
        if (!LooseJoins)
        {
            // a JOIN b JOIN c ON ... ON ...: the inner condition is that of the inner join.
            Enter();
            while (conditional && _words[_at] is not ("ON" or "USING"))
            {
                right = OneJoin(right) ?? throw Unknown();
            }

            _depth--;
        }

        Expression? on = null;
        Identifier[] columns = [];
        Identifier? alias = null;
        if ((conditional || LooseJoins) && Take("ON"))
        {
            on = Expression();
        }
        else if ((conditional || LooseJoins) && Take("USING"))
        {
            columns = EnclosedList(static p => p.Identifier());
            alias = Wide && Take("AS") ? Identifier() : null;
        }

        return Placed(new Join(left, words, right, on, columns, alias), left);
    }

    private string? JoinWords()
    {
        if (LooseJoins && Take(TokenKind.Comma))
        {
            return ",";
        }

        int ahead = 0;
        while (_words[_at + ahead] is "NATURAL" or "INNER" or "LEFT" or "RIGHT" or "FULL" or "CROSS" or "OUTER")
        {
            ahead++;
            if (ahead > 3)
            {
                throw Unknown();
            }
        }

        if (!IsAt(ahead, "JOIN"))
        {
            return ahead == 0 ? null : throw Unknown();
        }

        string words = ahead switch { 0 => "JOIN", 1 => _words[_at] + " JOIN", _ => string.Join(' ', _words[_at..(_at + ahead)]) + " JOIN" };
        if (words is not ("JOIN" or "INNER JOIN" or "CROSS JOIN" or "LEFT JOIN" or "RIGHT JOIN" or "FULL JOIN" or "LEFT OUTER JOIN" or "RIGHT OUTER JOIN" or "FULL OUTER JOIN"
            or "NATURAL JOIN" or "NATURAL INNER JOIN" or "NATURAL LEFT JOIN" or "NATURAL RIGHT JOIN" or "NATURAL FULL JOIN"
            or "NATURAL LEFT OUTER JOIN" or "NATURAL RIGHT OUTER JOIN" or "NATURAL FULL OUTER JOIN") && !(LooseJoins && words is "NATURAL CROSS JOIN"))
        {
            throw Unknown();
        }

        _at += ahead + 1;
        return words;
    }

    private Source ReadSource()
    {
        int start = _at;
        bool lateral = Wide && Take("LATERAL");
        if (Is(TokenKind.OpenParen))
        {
            return Enclosed(start, lateral);
        }

        if (Wide && Is("ROWS") && IsAt(1, "FROM"))
        {
            throw Unknown("ROWS FROM");
        }

        if (!Is("ONLY") && KindBehindName() == TokenKind.OpenParen)
        {
            Expression function = Function();
            bool numbered = Wide && Is("WITH") && IsAt(1, "ORDINALITY");
            _at += numbered ? 2 : 0;
            return Placed(new FunctionSource(lateral, function, numbered, SourceAlias()), start);
        }

        return lateral ? throw Unknown() : Table(aliased: true);
    }

    /// <summary>What stands behind a name with its dots.</summary>
    private TokenKind KindBehindName()
    {
        int at = _at;
        while (at + 2 < _count && _tokens[at + 1].Kind == TokenKind.Dot)
        {
            at += 2;
        }

        return _tokens[Math.Min(at + 1, _count)].Kind;
    }

    private Source Enclosed(int start, bool lateral)
    {
        Need(TokenKind.OpenParen);
        Enter();
        Query? query = null;
        Source? inner = null;
        if (BeginsQuery(0))
        {
            query = Query();
        }
        else
        {
            int first = _at;
            inner = From();
            if (inner is DerivedTable { Alias: null, Lateral: false } derived && Wide && (GoesOnAsQuery || Is(TokenKind.CloseParen)))
            {
                // ((SELECT ...) UNION ...) is a query, not a join of queries.
                QueryTerm term = new EnclosedQuery(derived.Query);
                term.Place(_sql, derived.Span!.Value.Start, derived.Span.Value.End);
                query = QueryBehind(first, null, TermsBehind(term, 1));
            }
        }

        _depth--;
        Need(TokenKind.CloseParen);
        if (query is not null)
        {
            return Placed(new DerivedTable(lateral, query, SourceAlias()), start);
        }

        return lateral ? throw Unknown() : Placed(new EnclosedSource(inner!, SourceAlias()), start);
    }

    private TableSource Table(bool aliased)
    {
        int start = _at;
        bool only = Wide && Take("ONLY");
        bool enclosed = only && Take(TokenKind.OpenParen);
        Name name = Name();
        if (enclosed)
        {
            throw Unknown("ONLY with parentheses");
        }

        bool inherited = Wide && TakeSign('*');
        Alias? alias = aliased ? SourceAlias() : null;
        return TableBehind(start, name, only, inherited, alias);
    }

    private TableSource TableBehind(int start, Name name, bool only, bool inherited, Alias? alias)
    {
        string hint = "";
        Identifier? index = null;
        if (_grammar.Has(GrammarRules.IndexHints))
        {
            if (Take("INDEXED", "BY"))
            {
                hint = "INDEXED BY";
                index = Identifier();
            }
            else if (Take("NOT", "INDEXED"))
            {
                hint = "NOT INDEXED";
            }
        }

        TableSample? sample = Wide && Is("TABLESAMPLE") ? Sample() : null;
        return Placed(new TableSource(name, only, inherited, alias, hint, index, sample), start);
    }

    private TableSample Sample()
    {
        int start = _at;
        Need("TABLESAMPLE");
        Name method = Name();
        Expression[] arguments = EnclosedList(static p => p.Expression());
        Expression? seed = null;
        if (Take("REPEATABLE"))
        {
            Need(TokenKind.OpenParen);
            seed = Expression();
            Need(TokenKind.CloseParen);
        }

        return Placed(new TableSample(method, arguments, seed), start);
    }

    private Alias? SourceAlias()
    {
        int start = _at;
        if (Take("AS"))
        {
            if (Wide && Is(TokenKind.OpenParen))
            {
                return Placed(new Alias(null, Worded: true, EnclosedList(static p => p.AliasColumn())), start);
            }

            Identifier name = _grammar.Has(GrammarRules.StringAliases) ? Label() : Identifier();
            return Placed(new Alias(name, Worded: true, AliasColumns()), start);
        }

        bool named = Kind == TokenKind.QuotedIdentifier || (Kind == TokenKind.String && _grammar.Has(GrammarRules.StringAliases))
            || (Kind == TokenKind.Word && (_uses[_at] & WordUse.Reserved) == 0 && !IsSourceWord);
        return named ? Placed(new Alias(Label(), Worded: false, AliasColumns()), start) : null;
    }

    /// <summary>Whether the next word goes on with the statement, though it is no reserved one.</summary>
    private bool IsSourceWord => _words[_at] switch
    {
        "INDEXED" => _grammar.Has(GrammarRules.IndexHints),
        "WINDOW" => !Wide && IsName(_at + 1) && IsAt(2, "AS"),
        "CROSS" or "FULL" or "INNER" or "LEFT" or "NATURAL" or "OUTER" or "RIGHT" => true,
        "SET" => true,
        _ => false,
    };

    private SyntaxNode[] AliasColumns() => Wide && Is(TokenKind.OpenParen) ? EnclosedList(static p => p.AliasColumn()) : [];

    private SyntaxNode AliasColumn()
    {
        int start = _at;
        Identifier name = Identifier();
        if (Kind is TokenKind.Comma or TokenKind.CloseParen)
        {
            return name;
        }

        TypeName type = Type();
        return Placed(new TypedColumn(name, type, Take("COLLATE") ? Name() : null), start);
    }
}
