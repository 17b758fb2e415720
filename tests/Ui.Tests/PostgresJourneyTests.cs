using OpenQA.Selenium;
using Shouldly;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Ui.Tests;

/// <summary>From the address of a server to the verdict on an index there.</summary>
public sealed class PostgresJourneyTests(LedgerFixture ledger) : IDisposable
{
    private readonly PostgresServer _server = new("");

    public void Dispose() => _server.Dispose();

    [Fact]
    public void A_server_is_looked_at_and_an_index_tried_on_copies_there()
    {
        _server.Sql("postgres", "CREATE DATABASE parcels");
        _server.Sql("parcels", "CREATE TABLE parcel AS SELECT i AS id, i % 500 AS depot_id, repeat('x', 50) AS note FROM generate_series(1, 60000) i; CREATE ROLE reader LOGIN; GRANT SELECT ON parcel TO reader");
        _server.Sql("parcels", "VACUUM ANALYZE parcel");
        using IWebDriver browser = ledger.Open("/new");

        // Who may only read is told what that is good for, and what would be missing.
        IWebElement subject = browser.See(By.Id("subject"));
        subject.SendKeys($"postgresql://reader@127.0.0.1:{_server.Port}/parcels");
        browser.Press("Look at the server");
        browser.Click(By.XPath("//summary[contains(., 'not open here')]"));
        browser.See("ALTER ROLE reader CREATEDB;");
        browser.See(By.XPath("//label[contains(., 'the database as it is')]/input[@type='radio']")).Selected.ShouldBeTrue();
        browser.Axe().ShouldBeEmpty();

        subject.SendKeys(Keys.Control + "a");
        subject.SendKeys($"postgresql://postgres@127.0.0.1:{_server.Port}/parcels");
        browser.FindElement(By.CssSelector("input[type=password]")).SendKeys("not asked for");
        browser.Press("Look at the server");
        browser.Click(By.XPath("//label[contains(., 'two private copies') and not(contains(., 'not here'))]/input[@type='radio']"));
        browser.Press("Go on with two private copies");
        browser.Type("Workload", "-- name: of a depot\n-- bind: depot=7\nSELECT id, note FROM parcel WHERE depot_id = :depot;");
        browser.Type("Change", "CREATE INDEX parcel_depot ON parcel (depot_id);");
        browser.Click(By.XPath("//label[contains(., 'quick')]/input"));
        browser.See("1 line will be measured, on copies");
        browser.Press("Start the trial");
        browser.See(By.XPath("//td[contains(., 'improved')]"));
        browser.Click(By.XPath("//tbody//button[contains(., 'of a depot')]"));
        browser.See("Seq Scan on parcel");
        browser.See("Bitmap Index Scan on parcel_depot");
        browser.See(By.XPath("//p[contains(., 'parcel is now searched through parcel_depot instead of read whole')]"));
        browser.Axe().ShouldBeEmpty();
        browser.PageSource.ShouldNotContain("not asked for");
        ((IJavaScriptExecutor)browser).ExecuteScript("return JSON.stringify(localStorage)")!.ToString()!.ShouldNotContain("not asked for");
        _server.Sql("postgres", "SELECT count(*) FROM pg_database WHERE datname LIKE 'swift%'").Trim().ShouldBe("0");

        // The book that the trial opened leads to its server.
        browser.Click(By.XPath("//nav//a[contains(@href, '/books/')] | //header//a[contains(@href, '/books/')]"));
        browser.Click(By.XPath("//a[contains(@href, '/daybook')]"));
        browser.Press("Watch the server");
        browser.See("goes on; nothing out of the ordinary");
        browser.Click(By.XPath("//section[@aria-label='Watches']//a"));
        browser.See("Statements seen active");
        browser.Press("End the watch");
        browser.See("Nothing piled up, and nobody waited for another");
        browser.Axe().ShouldBeEmpty();
    }
}
