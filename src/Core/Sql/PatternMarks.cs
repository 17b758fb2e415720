namespace SwiftLedger.Core.Sql;

/// <summary>What stands in a statement where its pattern has a mark for a value.</summary>
/// <param name="Span">In the statement.</param>
/// <param name="Question">Which of the bare question marks of the statement it is, from 1; 0 where it is none.</param>
public readonly record struct PatternMark(TextSpan Span, int Question);

/// <summary>The values of a statement, mark by mark of its pattern, and the length of its lists.</summary>
public sealed class PatternMarks
{
    private readonly List<PatternMark> _marks = [];
    private int _questions;

    /// <summary>In the order of the pattern; those of folded lists are not among them.</summary>
    public IReadOnlyList<PatternMark> Marks => _marks;

    /// <summary>Items of its longest list behind IN or in ARRAY, or rows of its VALUES; 0 where it has none.</summary>
    public int ListLength { get; private set; }

    internal void Clear()
    {
        _marks.Clear();
        (ListLength, _questions) = (0, 0);
    }

    internal void Add(TextSpan span, bool question) => _marks.Add(new(span, question ? ++_questions : 0));

    /// <param name="items">Its length; 0 for a row, which is an item itself.</param>
    /// <param name="questions">Bare question marks in it.</param>
    internal void AddList(int items, int questions = 0)
    {
        ListLength = Math.Max(ListLength, items);
        _questions += questions;
    }

    /// <summary>What a mark is compared with or set to, for people: <c>hut_id</c> in <c>hut_id = ?</c>, <c>night &gt;=</c> in <c>night &gt;= ?</c>; empty where nothing of that kind stands before it.</summary>
    /// <param name="sql">The statement.</param>
    /// <param name="mark">One of its marks.</param>
    /// <param name="dialect">Of the statement.</param>
    public static string NameOf(ReadOnlySpan<char> sql, PatternMark mark, SqlDialect dialect)
    {
        var lexer = new SqlLexer(sql, dialect);
        Token before = default, last = default;
        while (lexer.TryReadSignificant(out Token token) && token.Start < mark.Span.Start)
        {
            (before, last) = (last, token);
        }

        ReadOnlySpan<char> column = sql.Slice(before.Start, before.Length), sign = sql.Slice(last.Start, last.Length);
        bool named = before.Length > 0 && before.Kind is TokenKind.Word or TokenKind.QuotedIdentifier;
        return !named ? ""
            : sign is "=" ? column.ToString()
            : last.Kind == TokenKind.Operator || sign.Equals("like", StringComparison.OrdinalIgnoreCase) || sign.Equals("between", StringComparison.OrdinalIgnoreCase) ? $"{column} {sign}"
            : "";
    }
}
