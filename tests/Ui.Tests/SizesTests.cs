using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using Shouldly;
using Xunit;

namespace SwiftLedger.Ui.Tests;

/// <summary>The journeys at other sizes than a desk's: 640x400 is what 1280x800 comes to at 200 % zoom, 390x844 a phone.</summary>
public sealed class SizesTests(LedgerFixture ledger)
{
    private static readonly string[] Paths =
    [
        "/", "/books/1", "/books/1?change=10", "/books/1/daybook", "/books/1/daybook?deployment=3", "/books/1/executions", "/books/1/catalogue", "/books/1/gate", "/books/1/gate?edit=true", "/books/1/batch", "/books/1/proposals", "/books/1/rehearsals", "/books/1/keep", "/trials/1", "/trials/1/lines/1",
        "/trials/1/plans/1", "/trials/1/beside", "/new", "/plans", "/glossary",
    ];

    [Theory]
    [InlineData(640, 400)]
    [InlineData(390, 844)]
    [InlineData(1280, 800)]
    [InlineData(1920, 1080)]
    public void No_page_is_wider_than_the_screen_and_its_head_is_whole(int width, int height)
    {
        using IWebDriver browser = Sized("/", width, height);
        foreach (string path in Paths)
        {
            browser.Navigate().GoToUrl(new Uri(ledger.Address, path));
            browser.SeePage();
            IWebElement head = browser.See(By.CssSelector("main h1"));
            var scripts = (IJavaScriptExecutor)browser;
            Convert.ToInt32(scripts.ExecuteScript("return document.scrollingElement.scrollWidth"), null).ShouldBeLessThanOrEqualTo(width, path);
            (bool fits, string told) = Head(scripts, head);
            fits.ShouldBeTrue($"{path}: {told}");
        }
    }

    // Something got slow since 3.3: which statements, why, does this index help, send it to a colleague.
    [Theory]
    [InlineData(1280, 800)]
    [InlineData(640, 400)]
    [InlineData(390, 844)]
    public void What_got_slow_since_a_deployment_is_followed_to_a_trial_by_keys_alone(int width, int height)
    {
        using IWebDriver browser = Sized("/books/1", width, height);
        browser.See("Tidy up indexes on trail reports");
        browser.TabTo(e => e.Text == "Daybook");
        browser.PressKeys(Keys.Enter);
        browser.See("not announced");
        browser.TabTo(e => e.Text == "3.3");
        browser.PressKeys(Keys.Enter);
        browser.See(By.XPath("//tr[contains(., 'regressed')][contains(., 'written_on desc')]"));
        browser.TabTo(e => e.Text.StartsWith("Take these", StringComparison.Ordinal));
        browser.PressKeys(Keys.Enter);
        browser.See("DROP INDEX trail_report_section_written;");
        browser.Url.ShouldContain("take=");
        browser.TabTo(e => e.Text == "Start the trial");
        browser.PressKeys(Keys.Enter);
        browser.See(By.XPath("//tr[td[1][contains(., 'regressed')]]/td[2]//button[contains(., 'latest_reports')]"));
        browser.TabTo(e => e.GetAttribute("id")?.StartsWith("line-", StringComparison.Ordinal) == true);
        browser.PressKeys(Keys.Home);
        browser.PressKeys(Keys.Enter);
        browser.See(By.XPath("//h2[contains(., 'case ')]"));
        browser.See(By.XPath("//p[contains(., 'is now searched through') or contains(., 'is now read')]"));
        browser.EnterOn(e => e.Text.Contains("line as Markdown", StringComparison.Ordinal), By.XPath("//span[@role='status'][contains(., 'copied')]"));
        browser.PressKeys(Keys.Escape);
        browser.TabTo(e => e.Text == "Cancel" || e.Text == "Run again");
        browser.PressKeys(Keys.Enter);
    }

    // My own file, my own statements, one mistake.
    [Theory]
    [InlineData(640, 400)]
    [InlineData(390, 844)]
    public void An_own_file_with_one_mistake_is_brought_to_its_verdict_by_keys_alone(int width, int height)
    {
        string path = Path.Combine(ledger.Folder, $"own-{width}.db");
        JourneyTests.MakeDepot(path);
        using IWebDriver browser = Sized("/new", width, height);
        browser.See(By.Id("subject"));
        browser.TabTo(e => e.GetAttribute("id") == "subject");
        browser.PressKeys(path);
        browser.TabTo(e => e.GetAttribute("aria-label") == "Workload");
        browser.PressKeys("-- name: own\nSELECT count(*) FORM parcel WHERE depot = 7;");
        browser.See("near \"parcel\": syntax error");
        browser.PressKeys(Keys.Control + "a");
        browser.PressKeys("-- name: own\nSELECT count(*) FROM parcel WHERE depot = 7;");
        browser.TabTo(e => e.GetAttribute("aria-label") == "Change");
        browser.PressKeys("CREATE INDEX parcel_depot ON parcel(depot);");
        browser.PressKeys(Keys.Control + Keys.Enter);
        browser.See(By.XPath("//tr[td[1][contains(., 'improved')]]/td[2]//button[contains(., 'own')]"));
        browser.TabTo(e => e.GetAttribute("id") == "line-1");
        browser.PressKeys(Keys.Enter);
        browser.See(By.XPath("//p[contains(., 'parcel is now searched through parcel_depot')]"));
    }

    [Fact]
    public void A_list_is_one_stop_and_a_script_is_run_and_found_again_by_its_address()
    {
        using IWebDriver browser = ledger.Open("/trials/1");
        browser.See(By.CssSelector("tbody button[id^=line-]"));
        browser.TabTo(e => e.GetAttribute("id")?.StartsWith("line-", StringComparison.Ordinal) == true);
        string first = browser.SwitchTo().ActiveElement().GetAttribute("id")!;
        browser.PressKeys(Keys.ArrowDown);
        browser.SwitchTo().ActiveElement().GetAttribute("id").ShouldNotBe(first);
        browser.PressKeys(Keys.Tab);
        (browser.SwitchTo().ActiveElement().GetAttribute("id") ?? "").ShouldNotStartWith("line-");
        browser.PressKeys(Keys.Shift + Keys.Tab);
        browser.SwitchTo().ActiveElement().GetAttribute("id").ShouldStartWith("line-");

        browser.Navigate().GoToUrl(new Uri(ledger.Address, "/books/1/batch"));
        browser.Type("Script", "UPDATE hut SET name = name;\nSELECT count(*) FROM hut;");
        browser.Press("Run on a copy");
        browser.See("where nothing was counted");
        browser.Url.ShouldContain("run=");
        browser.Axe().ShouldBeEmpty();
        browser.Navigate().Refresh();
        browser.See("where nothing was counted");
        browser.See("UPDATE hut SET name = name;");
    }

    [Fact]
    public void Axe_finds_nothing_where_time_is_looked_for()
    {
        using IWebDriver browser = ledger.Open("/books/1/daybook");
        browser.See(By.XPath("//h3[contains(., 'Departures from')]"));
        browser.See(By.XPath("//section[@id='tables']//td"));
        browser.Axe().ShouldBeEmpty();
        browser.Click(By.XPath("//section[@id='tables']//button[.='booking']"));
        browser.Url.ShouldContain("table=booking");
        browser.Press("kept executions");
        browser.See(By.XPath("//h1[contains(., 'kept execution')]"));
        browser.Url.ShouldContain("table=booking");
        browser.Axe().ShouldBeEmpty();
        browser.TabTo(e => e.GetAttribute("aria-label") == "Kept executions over time");
        browser.PressKeys(Keys.ArrowRight);
        browser.PressKeys(Keys.Enter);
        browser.See("Executions kept");
        browser.Axe().ShouldBeEmpty();
        browser.Navigate().GoToUrl(new Uri(ledger.Address, "/glossary#bill"));
        browser.See(By.XPath("//article[@id='bill']"));
        browser.Axe().ShouldBeEmpty();
        browser.Navigate().GoToUrl(new Uri(ledger.Address, "/trials/1/beside"));
        browser.SeePage();
        browser.Axe().ShouldBeEmpty();
    }

    private static (bool Fits, string Told) Head(IJavaScriptExecutor scripts, IWebElement head)
    {
        // At least three words beside each other: one that is squeezed into a column of its own is none that anybody reads.
        object? told = scripts.ExecuteScript("const r = arguments[0].getBoundingClientRect(); return r.width >= Math.min(120, innerWidth / 2) || arguments[0].textContent.length < 12 ? '' : `head of ${Math.round(r.width)} pixels`", head);
        return ((string)told!).Length == 0 ? (true, "") : (false, (string)told);
    }

    private IWebDriver Sized(string path, int width, int height)
    {
        IWebDriver browser = ledger.Open(path);
        ((ChromeDriver)browser).ExecuteCdpCommand("Emulation.setDeviceMetricsOverride", new Dictionary<string, object?> { ["width"] = width, ["height"] = height, ["deviceScaleFactor"] = 1, ["mobile"] = false });
        return browser;
    }
}
