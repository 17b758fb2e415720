namespace SwiftLedger.Core.Sql;

/// <summary>Where the lexical rules of engines part. What is not listed is the same in all of them.</summary>
[Flags]
public enum LexicalRules
{
    None = 0,

    /// <summary>Strings stand in single or double quotes and know backslashes.</summary>
    BackslashStrings = 1 << 0,

    /// <summary><c>#</c> begins a comment.</summary>
    HashComments = 1 << 1,

    /// <summary><c>--</c> begins a comment only before white space.</summary>
    DashesBeforeSpace = 1 << 2,

    /// <summary><c>:=</c> is an operator.</summary>
    ColonEquals = 1 << 3,

    /// <summary>Names may stand in backticks.</summary>
    BacktickNames = 1 << 4,

    /// <summary>Names may stand in square brackets.</summary>
    BracketNames = 1 << 5,

    /// <summary><c>b'01'</c>.</summary>
    BitStrings = 1 << 6,

    /// <summary><c>e'a\n'</c>.</summary>
    EscapeStrings = 1 << 7,

    /// <summary><c>n'a'</c>, a string like any other.</summary>
    NationalStrings = 1 << 8,

    /// <summary><c>u&amp;'a'</c> and <c>u&amp;"a"</c>.</summary>
    UnicodeStrings = 1 << 9,

    /// <summary><c>$tag$a$tag$</c>, and <c>$1</c> for a parameter.</summary>
    DollarStrings = 1 << 10,

    /// <summary>A carriage return ends a line comment.</summary>
    ReturnEndsLine = 1 << 11,

    /// <summary>Block comments nest, and must be closed.</summary>
    NestedComments = 1 << 12,

    /// <summary><c>::</c> and <c>..</c> are operators.</summary>
    DoubledSigns = 1 << 13,

    /// <summary><c>?|</c> and <c>?&amp;</c> are operators.</summary>
    QuestionOperators = 1 << 14,

    /// <summary><c>$name::more(suffix)</c> is a parameter.</summary>
    ScopedParameters = 1 << 15,

    /// <summary>Hexadecimal strings may have any number of digits.</summary>
    OddBlobs = 1 << 16,

    /// <summary><c>0o17</c> and <c>0b01</c>.</summary>
    OctalAndBinary = 1 << 17,

    /// <summary>Behind <c>@</c> a parameter's name begins with a letter.</summary>
    LetterBehindAt = 1 << 18,

    /// <summary><c>a[2:3]</c>: a colon between operands is no parameter.</summary>
    ColonSlices = 1 << 21,

    /// <summary>The statements of a trigger's body end in semicolons of their own; the body ends with <c>; END</c>.</summary>
    TriggerBodies = 1 << 19,

    /// <summary>No semicolon inside parentheses ends a statement, nor one between a routine's <c>BEGIN</c> and its <c>END</c>.</summary>
    NestedBodies = 1 << 20,
}

/// <summary>How many characters the operator at the start of a text has; 0 where none stands there.</summary>
/// <param name="text">At least one character.</param>
public delegate int OperatorLength(ReadOnlySpan<char> text);

/// <summary>Says which statements reach beyond the database that they run in. It makes better messages; what holds is what the engine enforces.</summary>
public interface IStatementGuard
{
    /// <summary>Why a statement that begins with this word may not run, or null.</summary>
    /// <param name="first">In lower case.</param>
    string? RefusalOfFirst(string first);

    /// <summary>Why a statement with this token may not run, or null.</summary>
    /// <param name="first">The statement's first word, in lower case.</param>
    /// <param name="previous">The word before the token, in lower case; empty where none stands there.</param>
    /// <param name="word">The token in lower case where it is a word; else empty.</param>
    /// <param name="text">The token as it stands.</param>
    string? RefusalOf(string first, string previous, string word, ReadOnlySpan<char> text);
}

/// <summary>No statement of it runs anywhere.</summary>
file sealed class NothingRuns : IStatementGuard
{
    public string? RefusalOfFirst(string first) => null;

    public string? RefusalOf(string first, string previous, string word, ReadOnlySpan<char> text) => null;
}

/// <summary>Whose rules a text is read by: one for each engine, compared by identity.</summary>
public sealed class SqlDialect
{
    /// <summary>The engine's short name: stands in options and captures, and never changes.</summary>
    public required string Id { get; init; }

    public required LexicalRules Rules { get; init; }

    public required OperatorLength OperatorLength { get; init; }

    public required IStatementGuard Guard { get; init; }

    /// <summary>How statements are built; null for an engine of which only the words are known.</summary>
    public SqlGrammar? Grammar { get; init; }

    /// <summary>
    /// What begins a parameter in a text that is run. Captured texts hold others too, written by drivers: they are read alike for patterns,
    /// and are operators where a text is run.
    /// </summary>
    public string ParameterMarks { get; init; } = "?:@$";

    /// <summary>Whether a token is a parameter that is bound where its text is run.</summary>
    /// <param name="token">Of the text.</param>
    /// <param name="text">The token as it stands.</param>
    public bool Binds(Token token, ReadOnlySpan<char> text) => token.Kind == TokenKind.Parameter && ParameterMarks.Contains(text[0]);

    /// <summary>What all engines share, with operators of one character: for the formats of our own, such as bind lines.</summary>
    public static SqlDialect OfOurOwn { get; } = new()
    {
        Id = "own",
        Rules = LexicalRules.None,
        OperatorLength = static text => "+-*/%<>=&|~".Contains(text[0]) ? 1 : 0,
        Guard = new NothingRuns(),
    };

    public override string ToString() => Id;
}
