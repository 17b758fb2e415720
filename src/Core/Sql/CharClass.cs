namespace SwiftLedger.Core.Sql;

/// <summary>What a character can be part of, by the lexical rules that both engines share.</summary>
internal static class CharClass
{
    public const byte WordStart = 1, WordPart = 2, Digit = 4, Space = 8, OperatorPart = 16;

    private const int LoneShift = 8;

    /// <summary>The classes in the low byte, above them the kind of token that the character makes by itself.</summary>
    private static readonly ushort[] Classes = Build();

    /// <summary>Whether a character has one of the classes. Beyond ASCII everything but a byte order mark belongs to words.</summary>
    public static bool Is(char c, byte classes) =>
        c < 128 ? (Classes[c] & classes) != 0 : (classes & (WordStart | WordPart)) != 0 && c != '\uFEFF';

    /// <summary>The kind of token that an ASCII character makes by itself, a dot unless a number or another dot follows; white space for all others.</summary>
    public static TokenKind LoneToken(char c) => (TokenKind)(Classes[c] >> LoneShift);

    private static ushort[] Build()
    {
        var classes = new ushort[128];
        for (int c = 0; c < 128; c++)
        {
            bool letter = char.IsAsciiLetter((char)c) || c == '_';
            bool digit = char.IsAsciiDigit((char)c);
            int lone = c switch
            {
                ',' => (int)TokenKind.Comma,
                '.' => (int)TokenKind.Dot,
                ';' => (int)TokenKind.Semicolon,
                '(' => (int)TokenKind.OpenParen,
                ')' => (int)TokenKind.CloseParen,
                _ => 0,
            };
            classes[c] = (ushort)((letter ? WordStart | WordPart : 0)
                | (digit ? WordPart | Digit : 0)
                | (c == '$' ? WordPart : 0)
                | (c is ' ' or '\t' or '\n' or '\r' or '\f' or '\v' ? Space : 0)
                | ("+-*/<>=~!@#%^&|`?".Contains((char)c) ? OperatorPart : 0)
                | (lone << LoneShift));
        }

        return classes;
    }
}
