namespace SwiftLedger.Core.Sql;

public enum TokenKind : byte
{
    Whitespace,
    LineComment,
    BlockComment,

    /// <summary>A keyword or an identifier without quotes.</summary>
    Word,
    QuotedIdentifier,
    String,

    /// <summary>A blob or bit string: <c>x'0f'</c>, in PostgreSQL also <c>b'01'</c>.</summary>
    Blob,
    Number,
    Parameter,
    Operator,
    Comma,
    Dot,
    Semicolon,
    OpenParen,
    CloseParen,

    /// <summary>Characters that begin no token of the dialect.</summary>
    Unknown,
}

/// <summary>What is wrong with a token, if anything: the lexer never throws.</summary>
public enum TokenFlaw : byte
{
    None,
    UnterminatedString,
    UnterminatedIdentifier,
    UnterminatedComment,
    MalformedNumber,
    MalformedBlob,
    UnknownCharacter,
}

/// <summary>One token; the tokens of a text, in order, cover it without gap or overlap.</summary>
public readonly record struct Token(TokenKind Kind, TokenFlaw Flaw, int Start, int Length)
{
    public int End => Start + Length;

    public TextSpan Span => new(Start, Length);

    /// <summary>White space and comments: what the grammar does not see.</summary>
    public bool IsTrivia => Kind <= TokenKind.BlockComment;

    /// <summary>A number, string or blob.</summary>
    public bool IsLiteral => Kind is TokenKind.Number or TokenKind.String or TokenKind.Blob;
}
