namespace SwiftLedger.Core.Sql;

/// <summary>Follows the tokens of one statement to know whether a semicolon lies inside a body.</summary>
internal struct ScriptBody(SqlDialect dialect)
{
    private TriggerBody _trigger;
    private NestedBody _nested;

    /// <param name="kind">Of the statement's next token that is no semicolon.</param>
    /// <param name="text">The token as it stands.</param>
    public void Take(TokenKind kind, ReadOnlySpan<char> text)
    {
        if (dialect.Rules.HasFlag(LexicalRules.TriggerBodies))
        {
            _trigger.Take(kind == TokenKind.Word ? text : "");
        }

        if (dialect.Rules.HasFlag(LexicalRules.NestedBodies))
        {
            _nested.Take(kind, text);
        }
    }

    /// <summary>Whether a semicolon here ends the statement.</summary>
    public bool EndsAtSemicolon() => _trigger.EndsAtSemicolon() && _nested.IsClosed;

    private static bool Same(ReadOnlySpan<char> word, string keyword) => word.Equals(keyword, StringComparison.OrdinalIgnoreCase);

    /// <summary>The automaton of SQLite's sqlite3_complete(), source file complete.c: behind CREATE [TEMP] TRIGGER only "; END ;" ends.</summary>
    private struct TriggerBody
    {
        private enum At
        {
            Start,
            Plain,
            Explain,
            Create,
            Trigger,
            Semicolon,
            End,
        }

        private At _at;

        /// <param name="word">Empty where the token is none.</param>
        public void Take(ReadOnlySpan<char> word) => _at = _at switch
        {
            At.Start when Same(word, "explain") => At.Explain,
            At.Start or At.Explain when Same(word, "create") => At.Create,
            At.Explain when !(Same(word, "explain") || Same(word, "temp") || Same(word, "temporary") || Same(word, "trigger") || Same(word, "end")) => At.Explain,
            At.Create when Same(word, "temp") || Same(word, "temporary") => At.Create,
            At.Create when Same(word, "trigger") => At.Trigger,
            At.Semicolon when Same(word, "end") => At.End,
            At.Trigger or At.Semicolon or At.End => At.Trigger,
            _ => At.Plain,
        };

        public bool EndsAtSemicolon()
        {
            if (_at is At.Trigger or At.Semicolon)
            {
                _at = At.Semicolon;
                return false;
            }

            return true;
        }
    }

    /// <summary>
    /// As psql counts, source file psqlscan.l: parentheses; and behind CREATE [OR REPLACE] FUNCTION or PROCEDURE, each BEGIN, each CASE
    /// inside it, and END.
    /// </summary>
    private struct NestedBody
    {
        private enum Head
        {
            Start,
            Create,
            Or,
            Replace,
            Routine,
            Other,
        }

        private Head _head;
        private int _parentheses;
        private int _blocks;

        public readonly bool IsClosed => _parentheses == 0 && _blocks == 0;

        public void Take(TokenKind kind, ReadOnlySpan<char> text)
        {
            switch (kind)
            {
                case TokenKind.OpenParen:
                    _parentheses++;
                    break;
                case TokenKind.CloseParen:
                    _parentheses = Math.Max(0, _parentheses - 1);
                    break;
                case TokenKind.Word:
                    _head = Next(text);
                    if (_head == Head.Routine && _parentheses == 0)
                    {
                        _blocks += Same(text, "begin") || (_blocks > 0 && Same(text, "case")) ? 1 : 0;
                        _blocks -= _blocks > 0 && Same(text, "end") ? 1 : 0;
                    }

                    break;
            }
        }

        private readonly Head Next(ReadOnlySpan<char> word) => _head switch
        {
            Head.Start when Same(word, "create") => Head.Create,
            Head.Create when Same(word, "or") => Head.Or,
            Head.Or when Same(word, "replace") => Head.Replace,
            Head.Create or Head.Replace when Same(word, "function") || Same(word, "procedure") => Head.Routine,
            Head.Routine => Head.Routine,
            _ => Head.Other,
        };
    }
}
