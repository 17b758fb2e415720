namespace SwiftLedger.Core.Sql;

/// <summary>One statement of a script.</summary>
/// <param name="Number">From 1, in the order of the script.</param>
/// <param name="Whole">Comments and white space before it, the statement, its semicolon: the parts of a script, joined, give it back.</param>
/// <param name="Body">From its first to its last significant token, without the semicolon.</param>
public sealed record ScriptStatement(int Number, TextSpan Whole, TextSpan Body);

/// <summary>Where a script's statements begin and end.</summary>
/// <param name="Statements">Statements that hold more than comments.</param>
/// <param name="Rest">What follows the last statement: comments and white space, often empty.</param>
public sealed record SqlScript(IReadOnlyList<ScriptStatement> Statements, TextSpan Rest)
{
    /// <summary>
    /// Cuts a script at its semicolons, but for those inside the body of a trigger, a routine or a rule: where such bodies end is what the
    /// dialect's <see cref="LexicalRules.TriggerBodies"/> and <see cref="LexicalRules.NestedBodies"/> say.
    /// </summary>
    public static SqlScript Split(string text, SqlDialect dialect)
    {
        var statements = new List<ScriptStatement>();
        var lexer = new SqlLexer(text, dialect);
        var body = new ScriptBody(dialect);
        int wholeStart = 0, bodyStart = -1, bodyEnd = 0;

        while (lexer.TryReadSignificant(out Token token))
        {
            if (token.Kind != TokenKind.Semicolon)
            {
                bodyStart = bodyStart < 0 ? token.Start : bodyStart;
                bodyEnd = token.End;
                body.Take(token.Kind, lexer.TextOf(token));
                continue;
            }

            if (bodyStart < 0)
            {
                continue;
            }

            if (!body.EndsAtSemicolon())
            {
                bodyEnd = token.End;
                continue;
            }

            statements.Add(new(statements.Count + 1, TextSpan.Between(wholeStart, token.End), TextSpan.Between(bodyStart, bodyEnd)));
            wholeStart = token.End;
            bodyStart = -1;
            body = new(dialect);
        }

        if (bodyStart >= 0)
        {
            statements.Add(new(statements.Count + 1, TextSpan.Between(wholeStart, bodyEnd), TextSpan.Between(bodyStart, bodyEnd)));
            wholeStart = bodyEnd;
        }

        return new(statements, TextSpan.Between(wholeStart, text.Length));
    }
}
