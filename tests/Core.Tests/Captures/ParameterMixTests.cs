using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public sealed class ParameterMixTests
{
    /// <summary>Fisher, The Design of Experiments (1935), chapter 2: the lady who tastes tea, 3 of 4 cups right; tables of her 70: 1, 16, 36, 16, 1.</summary>
    [Fact]
    public void Fishers_test_gives_the_chances_of_the_tasting() =>
        new[] { FisherExact.TwoSided(3, 4, 1, 4), FisherExact.TwoSided(4, 4, 0, 4) }.ShouldBe([34 / 70.0, 2 / 70.0], 1e-12);

    [Theory]
    [InlineData(0, 10, 0, 10, 1)]
    [InlineData(5, 10, 5, 10, 1)]
    [InlineData(7, 7, 0, 0, 1)]
    public void Equal_shares_are_no_surprise(int x, int n, int y, int m, double expected) => FisherExact.TwoSided(x, n, y, m).ShouldBe(expected, 1e-9);

    [Fact]
    public void A_value_asked_for_far_more_often_is_named()
    {
        ParameterMix mix = ParameterMix.Between([.. Draws(20, busy: 2)], [.. Draws(20, busy: 17)], Dialects.Sqlite);
        mix.Moved.ShouldBeTrue();
        mix.Sentence.ShouldBe("The mix of parameters moved: hut = 3 in 2 of 20 executions drawn before, 17 of 20 after.");
    }

    [Fact]
    public void Values_in_the_text_count_like_parameters() => ParameterMix.Between(
        [.. Draws(20, 1).Select(Literal)], [.. Draws(20, 18).Select(Literal)], Dialects.Sqlite).Sentence.ShouldContain("v1 = 3 in 1 of 20");

    [Fact]
    public void The_same_mix_is_not_said_to_have_moved() =>
        ParameterMix.Between([.. Draws(20, 5)], [.. Draws(20, 8)], Dialects.Sqlite).ShouldBe(new(false, "The mix of parameters did not visibly move (20 and 20 executions drawn)."));

    // Five draws are the fewest; the hypergeometric distribution gives 2/252 = 0.8 % for none of five against five of five, (6 + 1)/462 = 1.5 % against five of six.
    [Theory]
    [InlineData(4, 4, 4, "Too few samples")]
    [InlineData(5, 5, 5, "The mix of parameters moved")]
    [InlineData(5, 6, 5, "The mix of parameters did not visibly move")]
    public void A_mix_is_said_to_have_moved_at_a_chance_of_one_in_a_hundred(int before, int after, int busy, string begins) =>
        ParameterMix.Between([.. Draws(before, 0)], [.. Draws(after, busy)], Dialects.Sqlite).Sentence.ShouldStartWith(begins);

    [Fact]
    public void A_few_draws_tell_nothing() => ParameterMix.Between([.. Draws(3, 0)], [.. Draws(20, 20)], Dialects.Sqlite).Sentence.ShouldStartWith("Too few samples");

    [Fact]
    public void A_statement_without_parameters_has_no_mix() =>
        ParameterMix.Between([new("SELECT a FROM t", "", 1)], [], Dialects.Sqlite).ShouldBe(ParameterMix.None);

    private static IEnumerable<CaseSource> Draws(int count, int busy) =>
        Enumerable.Range(0, count).Select(i => new CaseSource("SELECT name FROM hut WHERE id = :hut", $"hut={(i < busy ? 3 : 100 + i)}", 10));

    private static CaseSource Literal(CaseSource draw) => new(draw.Sql.Replace(":hut", draw.Binds[4..], StringComparison.Ordinal), "", draw.Ticks);
}
