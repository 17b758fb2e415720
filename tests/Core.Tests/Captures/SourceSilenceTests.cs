using Shouldly;
using SwiftLedger.Core.Captures;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

/// <summary>When a source is silent, and when it only comes seldom.</summary>
public class SourceSilenceTests
{
    private const int Hour = 60;

    [Theory]
    [InlineData(119, false)] // not two hours behind the end of its last
    [InlineData(120, true)]
    [InlineData(100_000, true)]
    public void One_that_came_hour_by_hour_is_silent_two_hours_after_its_last(int minutes, bool silent) =>
        SourceSilence.Since([.. Hours(0, 48)], (48 * Hour) + minutes).ShouldBe(silent ? 48 * Hour : null);

    [Theory]
    [InlineData(20, true)]
    [InlineData(19, false)]
    public void One_that_was_heard_from_in_fewer_hours_of_its_last_day_comes_and_goes(int hours, bool silent) =>
        (SourceSilence.Since([.. Hours(0, hours - 1), 23 * Hour], 40 * Hour) is not null).ShouldBe(silent);

    [Fact]
    public void What_comes_once_a_night_or_never_came_is_not_silent_by_day()
    {
        SourceSilence.Since([2 * Hour, 26 * Hour, 50 * Hour], 70 * Hour).ShouldBeNull();
        SourceSilence.Since([], 70 * Hour).ShouldBeNull();
    }

    [Fact]
    public void What_comes_once_a_night_may_be_quiet_for_a_day()
    {
        SourceSilence.LongestPause([2 * Hour, 3 * Hour, 26 * Hour, 50 * Hour]).ShouldBe(23 * Hour);
        SourceSilence.LongestPause([.. Hours(0, 48)]).ShouldBe(0);
        SourceSilence.LongestPause([2 * Hour]).ShouldBe(0);
        SourceSilence.LongestPause([]).ShouldBe(0);
    }

    private static IEnumerable<int> Hours(int from, int count) => Enumerable.Range(from, count).Select(h => h * Hour);
}
