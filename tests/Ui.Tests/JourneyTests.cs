using Microsoft.Data.Sqlite;
using OpenQA.Selenium;
using Shouldly;
using Xunit;

namespace SwiftLedger.Ui.Tests;

public sealed class JourneyTests(LedgerFixture ledger)
{
    [Fact]
    public void A_demo_change_is_run_to_its_verdict_and_a_regressed_line_is_opened_and_left_again()
    {
        using IWebDriver browser = ledger.Open("/books/1");
        browser.Press("Tidy up indexes on trail reports");
        browser.Press("Edit first");
        browser.Type("Workload", string.Concat(File.ReadAllText(Path.Combine(LedgerFixture.Repository, "src/Demo/Sql/workload.sql")).Split("\n\n")
            .Where(s => s.Contains("name: latest_reports", StringComparison.Ordinal) || s.Contains("name: reports_in_week", StringComparison.Ordinal) || s.Contains("name: huts_of_section", StringComparison.Ordinal))
            .Select(s => s + "\n")));
        browser.Press("Start the trial");
        browser.SeeVerdicts();
        IReadOnlyList<string> hurt = browser.FindElements(By.XPath("//tr[td[1][contains(., 'regressed')]]/td[2]//button")).Select(b => b.Text).ToList();
        hurt.ShouldContain("latest_reports 1");
        hurt.ShouldContain("reports_in_week 1");
        browser.Click(By.XPath("//tbody//button[contains(., 'latest_reports')]"));
        browser.See("SEARCH trail_report USING INDEX trail_report_section (section_id=?)");
        browser.See("USE TEMP B-TREE FOR ORDER BY");
        browser.Url.ShouldContain("/lines/");
        browser.See(By.XPath("//p[contains(., 'trail_report is now searched through trail_report_section instead of trail_report_section_written') and contains(., 'is gone')]"));

        // From the reason to the operator whose index is lost, and to the text that asked for it.
        browser.Click(By.LinkText("side by side, with row flow"));
        browser.See(By.XPath("//section[@aria-label='Row flow after']"));
        browser.Click(By.XPath("//button[.='SEARCH trail_report USING INDEX trail_report_section_written (section_id=?)']"));
        browser.See(By.XPath("//p[contains(., 'Finds entries of trail_report_section_written by section_id=?')]"));
        browser.See(By.XPath("//pre//span[contains(@class, 'bg-chosen') and contains(., 'section_id')]"));
        browser.Axe().ShouldBeEmpty();
        browser.Navigate().Back();
        browser.See("Samples, ms an execution");
        browser.Navigate().Back();
        browser.See("Bill: what a day of this workload costs");
        browser.Axe().ShouldBeEmpty();
        browser.Press("Run again");
        browser.CancelTrial();
        browser.See("Cancelled.");
    }

    [Fact]
    public void Two_plans_are_pasted_and_compared_without_a_trial()
    {
        using IWebDriver browser = ledger.Open("/plans");
        browser.Axe().ShouldBeEmpty();
        System.Collections.ObjectModel.ReadOnlyCollection<IWebElement> areas = browser.FindElements(By.TagName("textarea"));
        areas[0].SendKeys("QUERY PLAN\n`--SEARCH parcel USING INDEX parcel_depot (depot=?)");
        areas[2].SendKeys("QUERY PLAN\n`--SCAN parcel");
        browser.Press("Compare");
        browser.See("parcel is now read whole instead of searched through parcel_depot.");
        browser.Axe().ShouldBeEmpty();
        browser.Navigate().GoToUrl(new Uri(ledger.Address, "/glossary#temporaryStorage"));
        browser.See(By.XPath("//article[@id='temporaryStorage']//li"));
        browser.Axe().ShouldBeEmpty();
    }

    [Fact]
    public void An_error_keeps_the_text_and_so_does_a_reload()
    {
        using IWebDriver browser = ledger.Open("/new");
        browser.See(By.Id("subject")).SendKeys("/nowhere/at-all.db");
        browser.Type("Workload", "-- name: mine\nSELECT * FORM hut;");
        browser.Type("Change", "CREATE TABLE a(x);");
        browser.See("Statement 1: near \"FORM\": syntax error.");
        browser.See("There is no file '/nowhere/at-all.db'.");
        browser.Press("Start the trial");
        browser.See(By.XPath("//button[contains(., 'Workload, line 2, column 10')]"));
        browser.Axe().ShouldBeEmpty();
        browser.Navigate().Refresh();
        browser.See("SELECT * FORM hut;");
        browser.See(By.Id("subject")).GetAttribute("value").ShouldBe("/nowhere/at-all.db");
    }

    [Fact]
    public void A_file_is_uploaded_measured_cancelled_and_watched_from_another_browser()
    {
        string path = Path.Combine(ledger.Folder, "depot.db");
        MakeDepot(path);
        using IWebDriver browser = ledger.Open("/new");
        browser.FindElement(By.Id("upload")).SendKeys(path);
        browser.See("depot.db, ");
        browser.Type("Workload", "-- name: heavy\n-- calls: 5/day\nSELECT count(*) FROM parcel a, parcel b WHERE a.depot + b.depot = 7;");
        browser.Type("Change", "CREATE TABLE other(x);");
        browser.Press("Start the trial");
        browser.See(By.XPath("//button[.='Cancel']"));
        string address = browser.Url;
        browser.Quit();

        using IWebDriver again = ledger.Open(new Uri(address).PathAndQuery);
        again.See(By.XPath("//tbody//button[contains(., 'heavy')]"));
        again.CancelTrial();
        again.See("Cancelled.");
        again.See("depot.db");
    }

    [Fact]
    public void Every_view_can_be_reached_and_used_by_keyboard_alone()
    {
        using IWebDriver browser = ledger.Open("/books/1");
        browser.See("Tidy up indexes on trail reports");
        browser.TabTo(e => e.Text == "Composite index for the arrivals board");
        browser.PressKeys(Keys.Enter);
        browser.PressKeys(Keys.ArrowDown);
        browser.See(By.XPath("//h2[.='Tidy up indexes on trail reports']"));
        browser.PressKeys(Keys.Escape);
        browser.See(By.XPath("//h3[.='Trials']"));

        browser.PressKeys(Keys.Control + "k");
        browser.See(By.CssSelector("[cmdk-input]")).SendKeys("trial 1 composite");
        browser.PressKeys(Keys.Enter);
        browser.See(By.XPath("//tbody//button[contains(., 'arrivals_tonight')]"));
        browser.TabTo(e => e.GetAttribute("id")?.StartsWith("line-", StringComparison.Ordinal) == true);
        browser.PressKeys(Keys.Enter);
        browser.See(By.XPath("//h2[contains(., 'case ')]"));
        browser.PressKeys(Keys.ArrowDown);
        browser.PressKeys(Keys.Escape);
        browser.See("Bill: what a day of this workload costs");
        browser.PressKeys("?");
        browser.See("go to a book, trial or change");
        browser.PressKeys(Keys.Escape);

        browser.Navigate().GoToUrl(new Uri(ledger.Address, "/new"));
        browser.SeePage();
        browser.TabTo(e => e.GetAttribute("aria-label") == "Workload");
        browser.PressKeys("SELECT 1;");
        browser.TabTo(e => e.GetAttribute("aria-label") == "Change");
        browser.TabTo(e => e.Text == "Start the trial");
    }

    [Theory]
    [InlineData("light")]
    [InlineData("dark")]
    public void Axe_finds_nothing_in_any_view(string theme)
    {
        using IWebDriver browser = ledger.Open("/books/1?change=10");
        ((IJavaScriptExecutor)browser).ExecuteScript($"localStorage.setItem('theme', '{theme}')");
        foreach (string path in new[] { "/", "/books/1", "/books/1?change=10", "/new?book=1&change=10", "/trials/1", "/trials/1/lines/1", "/nowhere" })
        {
            browser.Navigate().GoToUrl(new Uri(ledger.Address, path));
            browser.SeePage();
            browser.See(By.CssSelector("h1, h2"));
            browser.Axe().ShouldBeEmpty(path);
        }
    }

    internal static void MakeDepot(string path)
    {
        SQLitePCL.Batteries_V2.Init();
        using var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = "CREATE TABLE parcel(depot INT); WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 2000) INSERT INTO parcel SELECT i % 50 FROM n";
        command.ExecuteNonQuery();
    }
}
