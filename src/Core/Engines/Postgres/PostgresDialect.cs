using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>PostgreSQL manual, 4.1 "Lexical Structure": escape and dollar strings, nested comments, its operator rule.</summary>
internal static class PostgresDialect
{
    public static readonly SqlDialect Dialect = new()
    {
        Id = "postgreSql",
        Rules = LexicalRules.BitStrings | LexicalRules.EscapeStrings | LexicalRules.NationalStrings | LexicalRules.UnicodeStrings | LexicalRules.DollarStrings
            | LexicalRules.ReturnEndsLine | LexicalRules.NestedComments | LexicalRules.ColonEquals | LexicalRules.DoubledSigns | LexicalRules.QuestionOperators
            | LexicalRules.OddBlobs | LexicalRules.OctalAndBinary | LexicalRules.LetterBehindAt | LexicalRules.NestedBodies | LexicalRules.ColonSlices,
        OperatorLength = OperatorLength,
        Guard = new ServerReach(),
        Grammar = PostgresGrammar.Grammar,
        ParameterMarks = ":$",
    };

    /// <summary>
    /// The longest run of operator characters, by the two rules of PostgreSQL's manual, 4.1.3, about comments and a last
    /// <c>+</c> or <c>-</c>.
    /// </summary>
    public static int OperatorLength(ReadOnlySpan<char> text)
    {
        if (text[0] is '[' or ']')
        {
            return 1;
        }

        int end = 0;
        bool mayEndInSign = false;
        while (end < text.Length && CharClass.Is(text[end], CharClass.OperatorPart))
        {
            char next = end + 1 < text.Length ? text[end + 1] : '\0';
            if ((text[end] == '-' && next == '-') || (text[end] == '/' && next == '*'))
            {
                break;
            }

            mayEndInSign |= "~!@#%^&|`?".Contains(text[end]);
            end++;
        }

        while (!mayEndInSign && end > 1 && text[end - 1] is '+' or '-')
        {
            end--;
        }

        return end;
    }
}
