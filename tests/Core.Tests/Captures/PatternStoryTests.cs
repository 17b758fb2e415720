using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

/// <summary>Several deployments of one statement as one account; by hand: ten days of hours, each with its own cost of a call.</summary>
public class PatternStoryTests
{
    private const int Day = 1_440;

    private static readonly Band Band = Band.OfTolerance(0.05);

    [Fact]
    public void An_incident_and_two_fixes_are_one_account_that_ends_where_it_began()
    {
        PatternStory story = Of(5, 50, 20, 5)!;
        story.Moves.Select(m => (m.Step, m.Effect.Movement)).ShouldBe([(0, Movement.Regressed), (1, Movement.Improved), (2, Movement.Improved)]);
        story.Moves.Select(m => m.Ratio).ToArray().ShouldSatisfyAllConditions(r => r[0].ShouldBe(10, 0.3), r => r[1].ShouldBe(0.4, 0.02), r => r[2].ShouldBe(0.25, 0.02));
        story.Balance.Movement.ShouldBe(Movement.Level);
        story.Sentence.ShouldMatch(@"^v1 made it (10\.\d|9\.\d\d)x dearer; v2 made it 2\.\d\dx cheaper; v3 made it (4\.0\d|3\.9\d)x cheaper\. In balance it is level: what it took before the first of them, it takes since the last\.$");
    }

    [Theory]
    [InlineData(5, 50, 10, Movement.Regressed, "x dearer than before the first of them")]
    [InlineData(5, 50, 2, Movement.Improved, "x cheaper than before the first of them")]
    public void What_remains_is_told_in_both_directions(double first, double second, double third, Movement balance, string words)
    {
        PatternStory story = Of(first, second, third)!;
        story.Balance.Movement.ShouldBe(balance);
        story.Sentence.ShouldContain(words);
    }

    [Fact]
    public void One_that_did_nothing_is_left_out_and_one_move_alone_is_no_story()
    {
        Of(5, 5, 50, 50, 5)!.Moves.Select(m => m.Step).ShouldBe([1, 3]);
        Of(5, 50, 50).ShouldBeNull();
        Of(5, 5).ShouldBeNull();
        PatternStory.Of([], Band, 1).ShouldBeNull();
    }

    /// <summary>Two days of each cost, in milliseconds a call, with a deployment between each and the next.</summary>
    private static PatternStory? Of(params double[] costs)
    {
        int length = 2 * Day;
        int[] at = [.. Enumerable.Range(1, costs.Length - 1).Select(i => i * length)];
        return PatternStory.Of([.. at.Select((minute, i) =>
        {
            var spans = DeploymentSpans.Of(minute, [.. at.Where(o => o != minute)], (0, costs.Length * length), null);
            return new StoryStep($"v{i + 1}", new(spans, Hours(spans.From, spans.Before, costs[i]), Hours(spans.After, spans.To, costs[i + 1])));
        })], Band, 7);
    }

    private static List<TimedCell> Hours(int from, int to, double ms)
    {
        var random = new SplitMix((ulong)(from + 3));
        var cells = new List<TimedCell>();
        for (int minute = from; minute < to; minute += 60)
        {
            var cell = new Cell();
            for (int i = 0; i < 60; i++)
            {
                cell.Count(new() { Duration = TimeSpan.FromMilliseconds(ms * Math.Exp(0.3 * (random.Unit() - 0.5))) });
            }

            cells.Add(new(minute, cell));
        }

        return cells;
    }
}
