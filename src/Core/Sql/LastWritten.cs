namespace SwiftLedger.Core.Sql;

/// <summary>What stands last in a pattern under way, as far as the next token cares.</summary>
internal enum LastWritten : byte
{
    Nothing,
    Operand,

    /// <summary>A word of which nobody has asked yet what it is: most are followed by something to which it does not matter.</summary>
    Word,
    Keyword,
    In,
    Values,

    /// <summary>A word behind which NULL is grammar and no literal.</summary>
    GrammarOfNull,
    Operator,
    Comma,
    OpenParen,
    CloseParen,

    /// <summary>A dot or a cast: the next word is a name, whatever it reads.</summary>
    Dot,

    /// <summary>A semicolon that is written only if another statement follows.</summary>
    EndOfStatement,
    Semicolon,
}

internal static class LastWrittenRules
{
    private const uint NoSpaceBehind =
        (1u << (int)LastWritten.Nothing) | (1u << (int)LastWritten.OpenParen) | (1u << (int)LastWritten.Dot);

    /// <summary>1 where a space belongs between it and the next word, literal or operator, else 0.</summary>
    public static int Gap(this LastWritten last) => (int)(~(NoSpaceBehind >> (int)last) & 1);
}
