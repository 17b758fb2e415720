using System.Text;
using CsCheck;
using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Sql;

/// <summary>The short way through the lexer, and the writer that copies runs, must say what the long way says.</summary>
public class LexerPathsTests
{
    private static readonly string[] Pieces =
    [
        " ", "  ", "\n", "\t", "a", "Select", "in", "IN", "values", "(", ")", ",", ".", "..", ";", "=", "==", "<", "<=", "<>", "-", "--x\n", "/*y*/", "/*", "'", "'it''s'",
        "\"Q b\"", "[z]", "`w`", "x'0f'", "x", "e'\\''", "u&'a'", "u&", "n'", "$$t$$", "$1", "$a", ":p", "@q", "?", "?3", "::", "1", "1.5", ".5", "1e5", "12ab", "0x1F", "null",
        "TRUE", "not", "is", "set", "ö", "größe", "\uD83D\uDE00", "\uFEFF", "\u00A0", "averyverylongwordthatgoesbeyondsixteencharacters_", "_b$c",
    ];

    private static readonly Gen<string> Soup = Gen.Int[0, Pieces.Length - 1].Select(i => Pieces[i]).Array[0, 60].Select(string.Concat);

    [Theory]
    [InlineData("sqlite")]
    [InlineData("postgreSql")]
    public void Significant_tokens_are_all_tokens_without_space_and_comments(string engine) => Soup.Sample(
        sql =>
        {
            var significant = new List<Token>();
            var lexer = new SqlLexer(sql, Dialects.Of(engine));
            while (lexer.TryReadSignificant(out Token token))
            {
                significant.Add(token);
            }

            significant.ShouldBe(SqlLexer.Tokenize(sql, Dialects.Of(engine)).Where(t => !t.IsTrivia));
        },
        iter: 4_000);

    [Fact]
    public void A_pattern_is_its_own_pattern() => Soup.Sample(
        sql =>
        {
            // What is broken off in a string or a comment has no pattern that could be read again.
            if (SqlLexer.Tokenize(sql).Any(t => t.Flaw != TokenFlaw.None || t.Kind == TokenKind.BlockComment))
            {
                return;
            }

            SqlPattern once = SqlPattern.Of(sql);
            SqlPattern.Of(once.Text).ShouldBe(once);
        },
        iter: 4_000);

    [Fact]
    public void Long_statements_fold_as_short_ones_do()
    {
        var sql = new StringBuilder("SELECT ");
        var pattern = new StringBuilder("select ");
        for (int i = 0; i < 3_000; i++)
        {
            sql.Append("Column_Größe_").Append(i).Append(" , ");
            pattern.Append("column_größe_").Append(i).Append(", ");
        }

        SqlPattern.Of(sql.Append("'x' FROM t").ToString()).Text.ShouldBe(pattern.Append("? from t").ToString());
    }

    [Theory]
    [InlineData("select a  from t", "select a from t")]
    [InlineData("select a,b from t", "select a, b from t")]
    [InlineData("select a ,b from t", "select a, b from t")]
    [InlineData("select T . a from T", "select t.a from t")]
    [InlineData("select count (*) from t", "select count(*) from t")]
    [InlineData("select(1)", "select (?)")]
    [InlineData("select a from t where b=-1", "select a from t where b = ?")]
    [InlineData("select a from t where b = - 1", "select a from t where b = ?")]
    [InlineData("select -a from t", "select - a from t")]
    [InlineData("select t.null, t.in from t", "select t.null, t.in from t")]
    [InlineData("select null, not null", "select ?, not null")]
    [InlineData("SELECT a/*x*/FROM t", "select a from t")]
    [InlineData("select 1;; select 2;", "select ?; select ?")]
    [InlineData(";select 1", "select ?")]
    [InlineData("select \"MiXed\" from [Odd Name]", "select \"MiXed\" from [Odd Name]")]
    [InlineData("values (1), (2) on conflict (id) do nothing", "values (...) on conflict(id) do nothing")]
    [InlineData("values (lower('A'), 1), (lower('B'), 2)", "values (lower(?), ?)")]
    [InlineData("values (lower('A')), (upper('B'))", "values (lower(?)), (upper(?))")]
    [InlineData("select a in (), b in (1)", "select a in (), b in (...)")]
    [InlineData("select x from t where y in (1, a)", "select x from t where y in (?, a)")]
    public void Spacing_is_made_even_whatever_the_runs_are(string sql, string pattern) => SqlPattern.Of(sql).Text.ShouldBe(pattern);

    [Theory]
    [InlineData("select a::INT, b::text[] from t", "select a::int, b::text [ ] from t")]
    [InlineData("select $tag$any 'thing'$tag$, E'a\\'b', B'01'", "select ?, ?, ?")]
    [InlineData("select a from t where b = ANY($1)", "select a from t where b = any (?)")]
    public void Postgres_statements_fold_by_their_own_rules(string sql, string pattern) => SqlPattern.Of(sql, Dialects.PostgreSql).Text.ShouldBe(pattern);

    // SQLite manual, "SQL Language Expressions": the operators; PostgreSQL manual, 4.1.3: runs, and the rules for a last + or -.
    [Theory]
    [InlineData("->>", "sqlite", 3)]
    [InlineData("||", "sqlite", 2)]
    [InlineData("<<", "sqlite", 2)]
    [InlineData("!=", "sqlite", 2)]
    [InlineData("=-", "sqlite", 1)]
    [InlineData("!", "sqlite", 0)]
    [InlineData("@>", "postgreSql", 2)]
    [InlineData("=-", "postgreSql", 1)]
    [InlineData("@-", "postgreSql", 2)]
    [InlineData("*--comment", "postgreSql", 1)]
    [InlineData("<=>", "postgreSql", 3)]
    [InlineData("]", "postgreSql", 1)]
    public void Operators_are_as_long_as_the_manuals_say(string text, string engine, int length)
    {
        Token first = SqlLexer.Tokenize(text, Dialects.Of(engine))[0];
        (first.Kind == TokenKind.Operator ? first.Length : 0).ShouldBe(length);
    }
}
