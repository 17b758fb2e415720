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
    /// Cuts a script at its semicolons. A semicolon inside the body of CREATE TRIGGER ... BEGIN ... END does not cut:
    /// there only one that follows "; END" does, the rule that SQLite's own sqlite3_complete() uses. Bodies of
    /// PostgreSQL's CREATE FUNCTION or PROCEDURE in BEGIN ATOMIC ... END are kept whole by counting BEGIN, CASE and END.
    /// </summary>
    public static SqlScript Split(string text, SqlDialect dialect)
    {
        var statements = new List<ScriptStatement>();
        var lexer = new SqlLexer(text, dialect);
        var body = new BodyTracker();
        int wholeStart = 0, bodyStart = -1, bodyEnd = 0;

        while (lexer.TryReadSignificant(out Token token))
        {
            if (token.Kind != TokenKind.Semicolon)
            {
                bodyStart = bodyStart < 0 ? token.Start : bodyStart;
                bodyEnd = token.End;
                body.Take(token, lexer.TextOf(token));
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
            body = new();
        }

        if (bodyStart >= 0)
        {
            statements.Add(new(statements.Count + 1, TextSpan.Between(wholeStart, bodyEnd), TextSpan.Between(bodyStart, bodyEnd)));
            wholeStart = bodyEnd;
        }

        return new(statements, TextSpan.Between(wholeStart, text.Length));
    }

    /// <summary>Follows the words of one statement to know whether a semicolon lies inside a body.</summary>
    private struct BodyTracker
    {
        private int _words;
        private bool _create;
        private bool _trigger;
        private bool _routine;
        private bool _inTriggerBody;
        private bool _afterSemicolon;
        private bool _afterEnd;
        private int _routineDepth;

        public void Take(Token token, ReadOnlySpan<char> text)
        {
            if (token.Kind != TokenKind.Word)
            {
                _afterEnd = _afterSemicolon = false;
                return;
            }

            _words++;
            if (_words <= 6 && !_trigger && !_routine)
            {
                TakeHead(text);
            }

            bool begin = Same(text, "begin"), end = Same(text, "end");
            if (_routine)
            {
                _routineDepth += begin || (_routineDepth > 0 && Same(text, "case")) ? 1 : 0;
                _routineDepth -= end && _routineDepth > 0 ? 1 : 0;
            }

            _afterEnd = _inTriggerBody && _afterSemicolon && end;
            _inTriggerBody |= _trigger && begin;
            _afterSemicolon = false;
        }

        /// <summary>Whether a semicolon here ends the statement.</summary>
        public bool EndsAtSemicolon()
        {
            bool ends = _inTriggerBody ? _afterEnd : _routineDepth == 0;
            _afterSemicolon = true;
            return ends;
        }

        private void TakeHead(ReadOnlySpan<char> text)
        {
            if (Same(text, "create"))
            {
                _create = true;
            }
            else if (_create && Same(text, "trigger"))
            {
                _trigger = true;
            }
            else if (_create && (Same(text, "function") || Same(text, "procedure")))
            {
                _routine = true;
            }
            else if (!Same(text, "explain") && !Same(text, "query") && !Same(text, "plan") && !Same(text, "or")
                && !Same(text, "replace") && !Same(text, "temp") && !Same(text, "temporary"))
            {
                _words = 7;
            }
        }

        private static bool Same(ReadOnlySpan<char> word, string keyword) =>
            word.Equals(keyword, StringComparison.OrdinalIgnoreCase);
    }
}
