using OpenQA.Selenium;
using Shouldly;
using Xunit;

namespace SwiftLedger.Ui.Tests;

/// <summary>What a page weighs, and how it stands on screens of other sizes.</summary>
public sealed class FirstPageTests(LedgerFixture ledger)
{
    private const long MostBytes = 250_000;

    // Resource Timing (W3C), encodedBodySize: the bytes of a body as they went over the wire.
    [Theory]
    [InlineData("/")]
    [InlineData("/books/1")]
    public void A_first_page_is_light(string path)
    {
        using IWebDriver browser = ledger.Open(path);
        browser.See(By.CssSelector("main h1"));
        object bytes = ((IJavaScriptExecutor)browser).ExecuteScript("return [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')].filter(e => !new URL(e.name).pathname.startsWith('/api/')).reduce((sum, e) => sum + e.encodedBodySize, 0)")!;
        Convert.ToInt64(bytes, System.Globalization.CultureInfo.InvariantCulture).ShouldBeInRange(50_000, MostBytes);
    }

    [Theory]
    [InlineData("/books/abc")]
    [InlineData("/trials/0")]
    [InlineData("/trials/99999")]
    [InlineData("/books/1/statements/zz")]
    [InlineData("/nowhere")]
    public void An_address_that_leads_nowhere_says_so_with_a_way_on(string path)
    {
        using IWebDriver browser = ledger.Open(path);
        browser.See("There is nothing at this address");
        browser.Press("Go to the books");
        browser.See(By.XPath("//h1[.='Books']"));
        browser.Title.ShouldBe("Books - Swift Ledger");
    }
}
