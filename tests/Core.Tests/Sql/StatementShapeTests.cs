using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Sql;

public class StatementShapeTests
{
    [Theory]
    [InlineData("select a from t order by a", true)]
    [InlineData("select a from (select a from t order by a)", false)]
    [InlineData("select a, row_number() over (order by a) from t", false)]
    [InlineData("select a from t union select b from u order by 1", true)]
    [InlineData("select 'order by' from t", false)]
    public void Only_an_outermost_order_by_orders_the_rows(string sql, bool orders) => StatementShape.Of(sql).OrdersRows.ShouldBe(orders);

    [Theory]
    [InlineData("select :hut, @night, $x, :hut", "hut,night,x")]
    [InlineData("select ?, ?, ?", "1,2,3")]
    [InlineData("select ?2, ?1", "2,1")]
    [InlineData("select ':no', \":no\" -- :no", "")]
    public void Parameters_are_named_in_order_of_first_use(string sql, string keys) => string.Join(',', StatementShape.Of(sql).Parameters).ShouldBe(keys);

    [Theory]
    [InlineData("ATTACH 'x' AS y", true)]
    [InlineData("detach y", true)]
    [InlineData("VACUUM INTO 'copy.db'", true)]
    [InlineData("VACUUM", false)]
    [InlineData("select load_extension('x')", true)]
    [InlineData("select \"load_extension\"('x')", true)]
    [InlineData("select 'load_extension'", false)]
    [InlineData("explain query plan select 1", false)]
    public void What_would_reach_outside_the_copies_is_refused(string sql, bool refused) => (StatementShape.Of(sql).Refusal is not null).ShouldBe(refused);

    [Theory]
    [InlineData("explain query plan SELECT 1", "select")]
    [InlineData("/* a */ -- b\n Insert into t values (1)", "insert")]
    [InlineData("(select 1)", "select")]
    [InlineData("", "")]
    public void The_first_word_is_that_of_the_statement(string sql, string word) => StatementShape.Of(sql).FirstWord.ShouldBe(word);

    [Theory]
    [InlineData("select 'open", TokenFlaw.UnterminatedString)]
    [InlineData("select \"open", TokenFlaw.UnterminatedIdentifier)]
    [InlineData("select 12ab", TokenFlaw.MalformedNumber)]
    [InlineData("select x'0'", TokenFlaw.MalformedBlob)]
    [InlineData("select \u00A7 from t", TokenFlaw.None)]
    [InlineData("select ! from t", TokenFlaw.UnknownCharacter)]
    public void The_first_flaw_is_told_with_its_place(string sql, TokenFlaw flaw)
    {
        StatementShape shape = StatementShape.Of(sql);
        (shape.Flaw?.Flaw ?? TokenFlaw.None).ShouldBe(flaw);
        if (shape.Flaw is { } token)
        {
            token.Start.ShouldBe(7);
            StatementShape.Describe(flaw).ShouldEndWith(".");
        }
    }
}
