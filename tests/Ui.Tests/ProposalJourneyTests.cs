using OpenQA.Selenium;
using Shouldly;
using Xunit;

namespace SwiftLedger.Ui.Tests;

/// <summary>What to change in the demo's database: looked for, one of it tried, shown by whom it was turned down, and found again by its address.</summary>
public sealed class ProposalJourneyTests(LedgerFixture ledger)
{
    [Fact]
    public void Proposals_are_found_one_is_tried_by_a_trial_and_another_is_turned_down_for_a_reason()
    {
        using IWebDriver browser = ledger.Open("/books/1");
        browser.Press("What to change");
        IWebElement seconds = browser.See(By.XPath("//input[@id=//label[contains(., 'each trial may measure')]/@for]"));
        browser.Axe().ShouldBeEmpty();
        seconds.SendKeys(Keys.Control + "a");
        seconds.SendKeys("6");
        browser.Press("Look for proposals");
        browser.SeeSettled(By.XPath("//th[contains(., 'Expected, not measured')]"));
        browser.SeeSettled(By.XPath("//button[normalize-space()='Try all']"));
        browser.Axe().ShouldBeEmpty();

        // The one whose twin is another query, with a script that shows it.
        browser.Click(By.XPath("//button[starts-with(normalize-space(), 'huts_without_reports')]"));
        browser.See("another query");
        browser.See("Not the same. This script, run anywhere, shows the difference:");
        browser.Axe().ShouldBeEmpty();

        // The list and what is sent for each of its rows, and the one statement that takes their place.
        browser.Click(By.XPath("//button[starts-with(normalize-space(), 'one statement for the ') and contains(., ' of guest_board')]"));
        browser.See(By.XPath("//pre[@aria-label='SQL that applies it' and contains(., 'LEFT JOIN member')]"));
        browser.See(By.XPath("//pre[@aria-label='SQL that takes it back' and contains(., 'each row')]"));
        browser.Axe().ShouldBeEmpty();

        browser.Click(By.XPath("//button[starts-with(normalize-space(), 'index on booking_night (night')]"));
        browser.Press("Try it");
        browser.SeeSettled(By.XPath("//dd[contains(., 'of all statements that it may touch')]/a"));
        browser.SeeSettled(By.XPath("//button[normalize-space()='Turn it down'][not(@disabled)]"));
        browser.Axe().ShouldBeEmpty();

        browser.Click(By.XPath("//button[starts-with(normalize-space(), 'drop index hut_altitude')]"));
        browser.Press("Turn it down");
        browser.See(By.XPath("//label[contains(., 'Who answers for it')]/input")).SendKeys("Ada");
        browser.See(By.XPath("//label[contains(., 'Why')]/textarea")).SendKeys("a report of the autumn needs it");
        browser.Click(By.XPath("//form//button[normalize-space()='Turn it down']"));
        browser.See("Take that back");
        browser.Navigate().Refresh();
        browser.See("a report of the autumn needs it");
        browser.Axe().ShouldBeEmpty();
    }
}
