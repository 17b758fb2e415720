using Shouldly;
using SwiftLedger.Core.Budgets;
using Xunit;

namespace SwiftLedger.Core.Tests.Budgets;

/// <summary>Limits through the checks of a book: the worst first, and told before they break.</summary>
public class GateCourseTests
{
    [Fact]
    public void The_worst_comes_first_then_what_nears_its_limit_then_the_least_room()
    {
        GateCourse[] courses = [.. GateCourse.Of([Check(1, Kept("a", 0.5), Kept("b", 0.2)), Check(2, Kept("a", 0.5), Kept("b", 0.2), Kept("c", 0.05), Kept("d", 0.3) with { State = CheckState.Broken, Room = -0.1 })])];
        courses.Select(c => c.Latest.Name).ShouldBe(["d", "c", "b", "a"]);
        courses[1].Nears.ShouldBe("5.00 % of it is left.");
        courses[2].Nears.ShouldBeNull();
        courses[3].Points.Select(p => (p.Check, p.Room)).ShouldBe([(1, 0.5), (2, 0.5)]);
        GateCourse.Of([]).ShouldBeEmpty();
    }

    [Fact]
    public void What_the_last_check_has_no_more_is_not_shown_and_a_gap_is_left_out()
    {
        GateCourse only = GateCourse.Of([Check(1, Kept("a", 0.5), Kept("gone", 0.5)), Check(2), Check(3, Kept("a", 0.4))]).ShouldHaveSingleItem();
        only.Points.Select(p => p.Check).ShouldBe([1, 3]);
    }

    /// <summary>Theil-Sen over ten checks at least; a step of 2 % a check leaves 30 % for 15 more.</summary>
    [Fact]
    public void A_course_that_goes_down_is_told_before_it_breaks_and_one_that_only_scatters_is_not()
    {
        static string? Nears(Func<int, double> room, int checks = 20, string limit = "work <= 5") =>
            GateCourse.Of([.. Enumerable.Range(1, checks).Select(i => Check(i, Kept("a", room(i)) with { Limit = i <= checks - 6 ? "work <= 5" : limit }))])[0].Nears;
        Nears(i => 0.7 - (0.02 * i)).ShouldBe("30.0 % of it is left, and at the pace of the last 20 checks it is used up in about 15.");
        Nears(i => 0.7 - (0.02 * i), checks: 9).ShouldBeNull("too few for a pace");
        Nears(i => 0.7 - (0.002 * i)).ShouldBeNull("that is far off");
        Nears(i => 0.3 + (i % 2 * 0.1)).ShouldBeNull();
        Nears(i => 0.2 + (0.02 * i)).ShouldBeNull("there is more room each time");
        Nears(i => 0.7 - (0.02 * i), limit: "work <= 6").ShouldBeNull("the limit was moved six checks ago");
    }

    [Fact]
    public void Percentiles_are_courses_of_their_own_and_a_moved_limit_stays_one()
    {
        KeptItem median = Kept("a", 0.5) with { Rule = "time", Limit = "p50 <= 5 ms" }, high = median with { Limit = "p95 <= 20 ms" };
        GateCourse[] courses = [.. GateCourse.Of([Check(1, median, high), Check(2, median with { Limit = "p50 <= 6 ms" }, high)])];
        courses.Length.ShouldBe(2);
        courses.ShouldAllBe(c => c.Points.Count == 2);
    }

    [Fact]
    public void Places_of_one_rule_of_the_house_are_one_course_as_its_worst_place_is()
    {
        KeptItem rule = Kept("", null) with { Rule = "whole-table", House = true };
        GateCourse.Of([Check(1, rule, rule with { State = CheckState.Broken, Place = "b.sql:1:1" })]).ShouldHaveSingleItem().Latest.State.ShouldBe(CheckState.Broken);
    }

    /// <summary>A limit that is next to nothing is exceeded by more than a number can say, which JSON does not hold.</summary>
    [Fact]
    public void Room_that_is_no_number_is_not_kept()
    {
        var item = new CheckItem(CheckRules.Work, CheckState.Broken, new("a.sql", null), "a", "work <= 0", "So.") { Room = double.NegativeInfinity };
        KeptItem.Of(item).Room.ShouldBeNull();
        KeptItem.Of(item with { Room = -2 }).Room.ShouldBe(-2);
    }

    private static KeptItem Kept(string name, double? room) => new("work", "work", CheckState.Kept, "a.sql:1:1", name, "work <= 5", "It is so.", room, false, null);

    private static KeptCheck Check(int number, params KeptItem[] items) => new(number, DateTimeOffset.UnixEpoch, "main", "abc", false, CheckState.Kept, "So.", [], items);
}
