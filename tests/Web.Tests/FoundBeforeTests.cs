using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>What is shown while it is found anew, and when nothing old will do.</summary>
public class FoundBeforeTests
{
    private readonly FoundBefore<int, string> _found = new();

    [Fact]
    public async Task What_is_less_than_an_hour_old_is_shown_while_it_is_found_anew()
    {
        Of("a", 0, () => "first").ShouldBe("first");
        Of("a", 0, () => throw new InvalidOperationException("the state is the same")).ShouldBe("first");
        Of("b", 59, () => "second").ShouldBe("first");
        while (Of("b", 59, () => "second") != "second")
        {
            await Task.Yield();
        }
    }

    [Fact]
    public void Whoever_needs_what_is_true_now_and_whatever_is_older_or_rests_on_something_else_is_found_at_once()
    {
        Of("a", 0, () => "first").ShouldBe("first");
        Of("b", 1, () => "now", atOnce: true).ShouldBe("now");
        Of("c", 61, () => "later").ShouldBe("later");
        Of("c", 61, () => "other", basis: "other").ShouldBe("other");
    }

    [Fact]
    public async Task A_ledger_that_cannot_be_read_for_a_moment_is_read_again()
    {
        Of("a", 0, () => "first");
        int tried = 0;
        while (Of("b", 1, () => Interlocked.Increment(ref tried) == 1 ? throw new SqliteException("busy", 5) : "second") != "second")
        {
            await Task.Yield();
        }

        tried.ShouldBe(2);
        Should.Throw<SqliteException>(() => Of("c", 2, () => throw new SqliteException("busy", 5), atOnce: true));
    }

    private string Of(string state, int to, Func<string> find, bool atOnce = false, string basis = "") => _found.Of(1, state, basis, to, atOnce, find);
}
