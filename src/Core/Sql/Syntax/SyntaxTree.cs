namespace SwiftLedger.Core.Sql.Syntax;

/// <summary>What the grammar does not know.</summary>
/// <param name="Construct">By name: the word at which reading ended, or a construct that is passed through.</param>
/// <param name="Span">Where it stands.</param>
public sealed record UnknownSyntax(string Construct, TextSpan Span);

/// <summary>A statement's tree, or what kept it from being read: nothing is guessed.</summary>
/// <param name="Sql">As it was given.</param>
/// <param name="Statement">Null where the grammar does not know it; the text then stands for itself.</param>
/// <param name="Unknown">What is passed through untouched; of a statement that was not read, where reading ended.</param>
public sealed record SyntaxTree(string Sql, Statement? Statement, IReadOnlyList<UnknownSyntax> Unknown)
{
    /// <summary>Reads one statement; a semicolon may end it.</summary>
    /// <param name="sql">The statement, comments included.</param>
    /// <param name="dialect">Whose rules it is read by; one without a grammar knows no statement.</param>
    /// <returns>Always a tree: it never throws, whatever the text is.</returns>
    public static SyntaxTree Read(string sql, SqlDialect dialect)
    {
        if (dialect.Grammar is not { } grammar)
        {
            return new(sql, null, [new("a grammar", new(0, sql.Length))]);
        }

        var parser = new SqlParser(sql, dialect, grammar);
        return parser.ReadStatement() is { } statement ? new(sql, statement, parser.Passed) : new(sql, null, [parser.Stop!]);
    }

    /// <summary>The statement as it stands, but for what was altered.</summary>
    /// <param name="statement">A copy of <see cref="Statement"/> with its changes.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <exception cref="InvalidOperationException">The statement was not read, or its dialect has no grammar.</exception>
    public string With(Statement statement, SqlDialect dialect)
    {
        if (Statement?.Span is not { } span || dialect.Grammar is not { } grammar)
        {
            throw new InvalidOperationException("A statement that was not read cannot be altered.");
        }

        return string.Concat(Sql.AsSpan(0, span.Start), SyntaxPrinter.Print(statement, grammar), Sql.AsSpan(span.End));
    }

    /// <summary>The statement as it stands, with one part in the place of another.</summary>
    /// <param name="part">Of <see cref="Statement"/>.</param>
    /// <param name="by">What takes its place; in parentheses where it binds less tightly than its place asks for.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <exception cref="ArgumentException">The part is none of the statement's.</exception>
    public string Replaced(SyntaxNode part, SyntaxNode by, SqlDialect dialect)
    {
        SyntaxNode? parent = Statement?.Descend().FirstOrDefault(n => n.Children.Any(c => ReferenceEquals(c, part)));
        if (parent is null || part.Span is not { } span || dialect.Grammar is not { } grammar)
        {
            throw new ArgumentException("It is no part of the statement.", nameof(part));
        }

        int asked = Pieces.Of(parent, grammar).First(p => ReferenceEquals(p.Node, part)).Binds;
        string text = SyntaxPrinter.Print(by, grammar);
        text = by.Binds(grammar) < asked ? $"({text})" : text;
        return SyntaxPrinter.Joined(SyntaxPrinter.Joined(Sql[..span.Start], text), Sql[span.End..]);
    }
}
