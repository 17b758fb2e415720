using CsCheck;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Sql;

public class SqlLexerTests
{
    private static readonly Gen<string> AnyText = Gen.Frequency(
        (3, Gen.String),
        (5, Gen.OneOf("'", "''", "\"", "`", "[", "]", "$tag$", "$$", "--", "/*", "*/", "\n", "\r\n", "e'\\'", "x'0f'", "1e", "0x", ":a", "::", "?1", "@", "#", ";", "SELECT", " ", "é", "\uD83D\uDE00", "\uD83D", "1_000", "..", "->>")
            .List[0, 30].Select(l => string.Concat(l))));

    [Fact]
    public void Tokens_joined_give_the_text_back_in_every_dialect()
    {
        AnyText.Sample(text =>
        {
            foreach (SqlDialect dialect in KnownEngines.All.Select(e => e.Dialect))
            {
                List<Token> tokens = SqlLexer.Tokenize(text, dialect);
                string.Concat(tokens.Select(t => text.Substring(t.Start, t.Length))).ShouldBe(text);
                tokens.ShouldAllBe(t => t.Length > 0);
            }
        }, iter: 3_000);
    }

    // SQLite manual, "Literal Values (Constants)" and "Identifiers": 'it''s', x'53', "a", [a], `a` and their rules.
    [Theory]
    [InlineData("'it''s'", TokenKind.String)]
    [InlineData("x'53514C'", TokenKind.Blob)]
    [InlineData("\"a\"\"b\"", TokenKind.QuotedIdentifier)]
    [InlineData("`a``b`", TokenKind.QuotedIdentifier)]
    [InlineData("[a b]", TokenKind.QuotedIdentifier)]
    [InlineData("1.5e-3", TokenKind.Number)]
    [InlineData(".5", TokenKind.Number)]
    [InlineData("0x1F", TokenKind.Number)]
    [InlineData("1_000_000", TokenKind.Number)]
    [InlineData("->>", TokenKind.Operator)]
    [InlineData("||", TokenKind.Operator)]
    [InlineData("?", TokenKind.Parameter)]
    [InlineData("?123", TokenKind.Parameter)]
    [InlineData(":name", TokenKind.Parameter)]
    [InlineData("@name", TokenKind.Parameter)]
    [InlineData("$name::space(suffix)", TokenKind.Parameter)]
    [InlineData("größe$1", TokenKind.Word)]
    [InlineData("/* never ended", TokenKind.BlockComment)]
    [InlineData("-- to the end", TokenKind.LineComment)]
    public void Sqlite_reads_this_as_one_token(string text, TokenKind kind)
    {
        Token token = SqlLexer.Tokenize(text).ShouldHaveSingleItem();
        token.Kind.ShouldBe(kind);
        token.Flaw.ShouldBe(TokenFlaw.None);
    }

    // PostgreSQL manual 4.1.1 to 4.1.5.
    [Theory]
    [InlineData("E'it\\'s'", TokenKind.String)]
    [InlineData("U&'d\\0061t'", TokenKind.String)]
    [InlineData("U&\"d\\0061t\"", TokenKind.QuotedIdentifier)]
    [InlineData("$tag$ ' $$ $tag$", TokenKind.String)]
    [InlineData("$$it's$$", TokenKind.String)]
    [InlineData("B'1001'", TokenKind.Blob)]
    [InlineData("X'1FF'", TokenKind.Blob)]
    [InlineData("$1", TokenKind.Parameter)]
    [InlineData("/* a /* nested */ b */", TokenKind.BlockComment)]
    [InlineData("0b1010", TokenKind.Number)]
    [InlineData("0o17", TokenKind.Number)]
    [InlineData("1.925e-3", TokenKind.Number)]
    [InlineData("::", TokenKind.Operator)]
    [InlineData("@>", TokenKind.Operator)]
    [InlineData("<->", TokenKind.Operator)]
    public void Postgres_reads_this_as_one_token(string text, TokenKind kind)
    {
        Token token = SqlLexer.Tokenize(text, Dialects.PostgreSql).ShouldHaveSingleItem();
        token.Kind.ShouldBe(kind);
        token.Flaw.ShouldBe(TokenFlaw.None);
    }

    // PostgreSQL manual 4.1.3: "@-" may end in a sign, "*-" may not; "--" always begins a comment.
    [Fact]
    public void A_postgres_operator_ends_in_a_sign_only_where_the_manual_lets_it()
    {
        Texts("@-", Dialects.PostgreSql).ShouldBe(["@-"]);
        Texts("*-1", Dialects.PostgreSql).ShouldBe(["*", "-", "1"]);
        Texts("+--x", Dialects.PostgreSql).ShouldBe(["+", "--x"]);
    }

    // SQLite manual, "SQL Comments": block comments do not nest.
    [Fact]
    public void Sqlite_comments_do_not_nest() =>
        Texts("/* a /* b */ c", Dialects.Sqlite).ShouldBe(["/* a /* b */", " ", "c"]);

    [Theory]
    [InlineData("'open", TokenFlaw.UnterminatedString)]
    [InlineData("\"open", TokenFlaw.UnterminatedIdentifier)]
    [InlineData("x'123'", TokenFlaw.MalformedBlob)]
    [InlineData("12abc", TokenFlaw.MalformedNumber)]
    [InlineData("#", TokenFlaw.UnknownCharacter)]
    public void A_flaw_is_named_and_nothing_is_thrown(string text, TokenFlaw flaw) =>
        SqlLexer.Tokenize(text).ShouldHaveSingleItem().Flaw.ShouldBe(flaw);

    private static List<string> Texts(string text, SqlDialect dialect) =>
        SqlLexer.Tokenize(text, dialect).Select(t => text.Substring(t.Start, t.Length)).ToList();

    // MySQL 8 reference manual, 11.1.1 "String Literals", 11.7 "Comments", 14.4.2 "Comparison Functions and Operators".
    [Theory]
    [InlineData("'it\\'s'", TokenKind.String)]
    [InlineData("\"a\\\"b\"", TokenKind.String)]
    [InlineData("\"a\"\"b\"", TokenKind.String)]
    [InlineData("N'a'", TokenKind.String)]
    [InlineData("`a b`", TokenKind.QuotedIdentifier)]
    [InlineData("b'01'", TokenKind.Blob)]
    [InlineData("# to the end", TokenKind.LineComment)]
    [InlineData("-- to the end", TokenKind.LineComment)]
    [InlineData("<=>", TokenKind.Operator)]
    [InlineData("&&", TokenKind.Operator)]
    [InlineData(":=", TokenKind.Operator)]
    public void MySql_reads_this_as_one_token(string text, TokenKind kind)
    {
        Token token = SqlLexer.Tokenize(text, Dialects.MySql).ShouldHaveSingleItem();
        (token.Kind, token.Flaw).ShouldBe((kind, TokenFlaw.None));
    }

    // The same manual, 11.7: "5--1" is no comment there.
    [Fact]
    public void MySql_wants_white_space_behind_two_dashes() =>
        SqlPattern.Of("SELECT a--1 FROM parcel WHERE note = \"it\\\"s\" # why\n AND id = 4", Dialects.MySql).Text
            .ShouldBe("select a - ? from parcel where note = ? and id = ?");

    // Where a comment to the end of the line ends: SQLite's tokenize.c and MySQL's lexer stop at the line feed alone; PostgreSQL's scan.l, non_newline [^\n\r].
    [Theory]
    [InlineData("sqlite", 1)]
    [InlineData("mySql", 1)]
    [InlineData("postgreSql", 2)]
    public void A_carriage_return_ends_a_comment_where_the_engine_says_so(string engine, int statements) =>
        SqlScript.Split("SELECT 1 -- a\r; DELETE FROM t", Dialects.Of(engine)).Statements.Count.ShouldBe(statements);

    [Theory]
    [InlineData("SELECT 1 /*/")]
    [InlineData("/*/ SELECT 1")]
    [InlineData("/*/")]
    [InlineData("/**/")]
    [InlineData("SELECT 1 /*a='b'")]
    public void A_comment_that_only_looks_closed_holds_no_tags(string sql) => CommentTags.Read(sql).ShouldBeEmpty();
}
