namespace SwiftLedger.Core.Sql.Syntax;

/// <content>Statements that alter rows.</content>
internal sealed partial class SqlParser
{
    private string ConflictWord() => _grammar.Has(GrammarRules.ConflictWords) && Take("OR") ? " OR " + NeedOne("ROLLBACK", "ABORT", "REPLACE", "FAIL", "IGNORE") : "";

    private Insert Insert(int start, With? with)
    {
        string verb = Take("REPLACE") ? "REPLACE" : "INSERT";
        if (verb == "INSERT")
        {
            Need("INSERT");
            verb += ConflictWord();
        }

        Need("INTO");
        int table = _at;
        Name name = Name();
        Alias? alias = Is("AS") ? SourceAlias() : null;
        TableSource into = Placed(new TableSource(name, Only: false, Inherited: false, alias, "", null, null), table);
        Expression[] columns = Is(TokenKind.OpenParen) && !BeginsQuery(1) && KindAt(1) != TokenKind.OpenParen ? EnclosedList(static p => p.Target()) : [];
        string overriding = Overriding();
        Query? rows = Take("DEFAULT", "VALUES") ? null : Query();
        var conflicts = new List<OnConflict>();
        while (Is("ON") && IsAt(1, "CONFLICT"))
        {
            conflicts.Add(Conflict());
        }

        return Placed(new Insert(with, verb, into, columns, overriding, rows, conflicts.Count == 0 ? [] : [.. conflicts], Returning()), start);
    }

    private string Overriding()
    {
        if (!Wide || !Take("OVERRIDING"))
        {
            return "";
        }

        string whose = NeedOne("SYSTEM", "USER");
        Need("VALUE");
        return $"OVERRIDING {whose} VALUE";
    }

    private SelectItem[] Returning() => Take("RETURNING") ? List(static p => p.SelectItem()) : [];

    /// <summary>A column that is written, with its fields and elements.</summary>
    private Expression Target()
    {
        Name name = Name();
        return WideExpressions && IsSign('[') ? FieldsOf(name) : name;
    }

    private OnConflict Conflict()
    {
        int start = _at;
        _at += 2;
        OrderTerm[] columns = [];
        Expression? where = null;
        Identifier? constraint = null;
        if (Is(TokenKind.OpenParen))
        {
            columns = EnclosedList(static p => p.OrderTerm());
            where = Take("WHERE") ? Expression() : null;
        }
        else if (Wide && Take("ON", "CONSTRAINT"))
        {
            constraint = Identifier();
        }

        Need("DO");
        if (Take("NOTHING"))
        {
            return Placed(new OnConflict(columns, where, constraint, [], null), start);
        }

        Need("UPDATE");
        Need("SET");
        Assignment[] set = List(static p => p.Assignment());
        return Placed(new OnConflict(columns, where, constraint, set, Take("WHERE") ? Expression() : null), start);
    }

    private Assignment Assignment()
    {
        int start = _at;
        bool enclosed = Is(TokenKind.OpenParen);
        Expression[] columns = enclosed ? EnclosedList(static p => p.Target()) : [Target()];
        if (!TakeSign('='))
        {
            throw Unknown();
        }

        return Placed(new Assignment(columns, enclosed, AssignedValue(enclosed)), start);
    }

    private Expression AssignedValue(bool several)
    {
        int start = _at;
        if (!several || !Is(TokenKind.OpenParen) || BeginsQuery(1) || KindAt(1) == TokenKind.OpenParen)
        {
            return Wide ? ValueOrDefault() : Expression();
        }

        Expression[] values = EnclosedList(static p => p.ValueOrDefault());
        return Placed(values.Length == 1 && values[0] is not DefaultValue ? new Enclosed(values[0]) : (Expression)new Row(values, Worded: false), start);
    }

    private TableSource WrittenTable()
    {
        int start = _at;
        bool only = Wide && Take("ONLY");
        Name name = Name();
        bool inherited = Wide && TakeSign('*');
        return TableBehind(start, name, only, inherited, Is("SET") ? null : SourceAlias());
    }

    private Update Update(int start, With? with)
    {
        Need("UPDATE");
        string verb = "UPDATE" + ConflictWord();
        TableSource table = WrittenTable();
        Need("SET");
        Assignment[] set = List(static p => p.Assignment());
        Source? from = Take("FROM") ? From() : null;
        Expression? where = Take("WHERE") ? Expression() : null;
        return Placed(new Update(with, verb, table, set, from, where, Returning()), start);
    }

    private Delete Delete(int start, With? with)
    {
        Need("DELETE");
        Need("FROM");
        TableSource table = WrittenTable();
        Source? read = Wide && Take("USING") ? From() : null;
        Expression? where = Take("WHERE") ? Expression() : null;
        return Placed(new Delete(with, table, read, where, Returning()), start);
    }

    private Merge Merge(int start, With? with)
    {
        Need("MERGE");
        Need("INTO");
        TableSource table = WrittenTable();
        Need("USING");
        Source read = Joined(ReadSource());
        Need("ON");
        Expression on = Expression();
        var actions = new List<MergeAction>();
        while (Is("WHEN"))
        {
            actions.Add(MergeAction());
        }

        return actions.Count == 0 ? throw Unknown() : Placed(new Merge(with, table, read, on, [.. actions], Returning()), start);
    }

    private MergeAction MergeAction()
    {
        int start = _at;
        Need("WHEN");
        string words = Take("NOT", "MATCHED") ? "NOT MATCHED" : "MATCHED";
        if (words == "MATCHED")
        {
            Need("MATCHED");
        }
        else if (Take("BY"))
        {
            words += " BY " + NeedOne("SOURCE", "TARGET");
        }

        Expression? and = Take("AND") ? Expression() : null;
        Need("THEN");
        if (Take("DO", "NOTHING"))
        {
            return Placed(new MergeAction(words, and, "DO NOTHING", [], [], "", null), start);
        }

        if (words != "MATCHED" && words != "NOT MATCHED BY SOURCE")
        {
            return Added(start, words, and);
        }

        if (Take("DELETE"))
        {
            return Placed(new MergeAction(words, and, "DELETE", [], [], "", null), start);
        }

        Need("UPDATE");
        Need("SET");
        return Placed(new MergeAction(words, and, "UPDATE SET", List(static p => p.Assignment()), [], "", null), start);
    }

    private MergeAction Added(int start, string words, Expression? and)
    {
        Need("INSERT");
        Expression[] columns = Is(TokenKind.OpenParen) ? EnclosedList(static p => p.Target()) : [];
        string overriding = Overriding();
        Row? values = Take("DEFAULT", "VALUES") ? null : Take("VALUES") ? ValuesRow() : throw Unknown();
        return Placed(new MergeAction(words, and, "INSERT", [], columns, overriding, values), start);
    }
}
