using OpenQA.Selenium;
using Shouldly;
using Xunit;

namespace SwiftLedger.Ui.Tests;

/// <summary>A load of the demo: taken, begun, watched, cancelled, found again.</summary>
public sealed class RehearsalJourneyTests(LedgerFixture ledger)
{
    [Fact]
    public void A_load_is_taken_rehearsed_watched_and_cancelled_and_its_stints_stay()
    {
        using IWebDriver browser = ledger.Open("/books/1");
        browser.Press("Rehearse");
        browser.See("Loads that are ready");
        browser.Axe().ShouldBeEmpty();
        browser.Click(By.XPath("//a[contains(., 'Weather stations')]"));
        browser.See("commit after: every 100");
        browser.Press("Rehearse");
        browser.See(By.CssSelector("[role=progressbar]"));
        browser.See(By.XPath("//th[contains(., 'all tasks')]"));
        browser.See("stints done");
        browser.See("Stint by stint");
        browser.Axe().ShouldBeEmpty();
        browser.Press("Cancel");
        browser.See("what had been measured is kept");
        browser.See("Rehearse again");
        browser.Navigate().Refresh();
        browser.See("HdrHistogram log");
        browser.Axe().ShouldBeEmpty();
    }

    [Fact]
    public void A_mistake_in_a_load_is_shown_at_its_place()
    {
        using IWebDriver browser = ledger.Open("/books/1/rehearsals");
        browser.See("Loads that are ready");
        browser.Type("Load", "-- part: p\n-- think: soon\nSELECT 1;");
        browser.Press("Rehearse");
        browser.See("'soon' is not a think time");
    }
}
