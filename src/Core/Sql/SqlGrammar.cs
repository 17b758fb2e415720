using System.Collections.Frozen;

namespace SwiftLedger.Core.Sql;

/// <summary>Where the grammars of engines part. What is not listed is the same in all of them.</summary>
[Flags]
public enum GrammarRules
{
    None = 0,

    /// <summary>Whatever can be joined may say ON, and a comma joins like any other word.</summary>
    LooseJoins = 1 << 0,

    /// <summary>All set operations bind alike; a member of one stands in no parentheses.</summary>
    FlatSetOperations = 1 << 1,

    /// <summary><c>INDEXED BY</c> and <c>NOT INDEXED</c>.</summary>
    IndexHints = 1 << 2,

    /// <summary><c>INSERT OR ...</c>, <c>UPDATE OR ...</c>, <c>REPLACE</c>.</summary>
    ConflictWords = 1 << 3,

    /// <summary><c>LIMIT offset, count</c>.</summary>
    LimitPairs = 1 << 4,

    /// <summary><c>a IS b</c>, <c>a NOT NULL</c>, <c>a IN table</c>.</summary>
    LooseTests = 1 << 5,

    /// <summary>An alias may be a string.</summary>
    StringAliases = 1 << 6,

    /// <summary>A query may read nothing and list nothing, <c>DISTINCT ON</c>, <c>ONLY</c>, <c>LATERAL</c>, <c>TABLE</c>, <c>FETCH</c>, locks.</summary>
    WideQueries = 1 << 7,

    /// <summary><c>::</c>, arrays, fields of rows, <c>ANY</c>, typed literals, named arguments, time zones, operators with a schema.</summary>
    WideExpressions = 1 << 8,

    /// <summary>Statements that alter data may stand in WITH.</summary>
    AlteringTables = 1 << 9,

    /// <summary><c>MERGE</c>.</summary>
    Merge = 1 << 10,

    /// <summary>No comparison of a comparison without parentheses.</summary>
    StrictComparisons = 1 << 11,
}

/// <summary>An engine's grammar as data: which words are taken, how tightly its operators bind, and where it parts from others.</summary>
/// <remarks>How tightly something binds is a number; the greater, the tighter.</remarks>
public sealed class SqlGrammar
{
    public const int Or = 10;
    public const int And = 20;
    public const int Not = 30;
    public const int Is = 40;
    public const int Comparison = 50;
    public const int Matching = 60;
    public const int AnyOperator = 70;
    public const int Sum = 80;
    public const int Product = 90;
    public const int Power = 100;
    public const int TimeZone = 110;
    public const int Collate = 120;
    public const int Sign = 130;
    public const int Cast = 140;

    /// <summary>What no operator takes apart.</summary>
    public const int Primary = 200;

    public required GrammarRules Rules { get; init; }

    /// <summary>How tightly an operator of two operands binds; 0 where it is none.</summary>
    public required Func<string, int> Binds { get; init; }

    /// <summary>How tightly BETWEEN, IN and LIKE bind.</summary>
    public required int Tests { get; init; }

    /// <summary>Signs that may stand before an operand, and how tightly they bind; 0 where one may not.</summary>
    public required Func<string, int> Prefixes { get; init; }

    /// <summary>Words that match text, such as LIKE, in upper case.</summary>
    public required FrozenSet<string> Matches { get; init; }

    /// <summary>Words that are no name of a column or table without quotes, in upper case.</summary>
    public required FrozenSet<string> Reserved { get; init; }

    /// <summary>Reserved words that may name a function or a type all the same.</summary>
    public FrozenSet<string> Functions { get; init; } = [];

    /// <summary>Words that are no column's alias without AS, beside those that are reserved.</summary>
    public FrozenSet<string> NoBareAliases { get; init; } = [];

    /// <summary>Reserved words that may be an alias without AS all the same.</summary>
    public FrozenSet<string> BareAliases { get; init; } = [];

    /// <summary>Words that are values, in upper case: NULL, CURRENT_DATE.</summary>
    public required FrozenSet<string> Values { get; init; }

    /// <summary>Functions whose arguments are parted by words.</summary>
    public FrozenSet<string> WordedCalls { get; init; } = [];

    /// <summary>What looks like a function and has a grammar of its own, which is passed through.</summary>
    public FrozenSet<string> OpaqueCalls { get; init; } = [];

    /// <summary>Types that are written in several words or with a grammar of their own.</summary>
    public FrozenSet<string> WordedTypes { get; init; } = [];

    /// <summary>Functions, in lower case, that give the same for the same values whenever and however often they are called, and do nothing else.</summary>
    public FrozenSet<string> SteadyFunctions { get; init; } = [];

    public bool Has(GrammarRules rule) => (Rules & rule) != 0;
}
