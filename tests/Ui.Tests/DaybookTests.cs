using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;
using Shouldly;
using Xunit;

namespace SwiftLedger.Ui.Tests;

public sealed class DaybookTests(LedgerFixture ledger)
{
    [Fact]
    public void From_the_daybook_to_the_statements_that_a_deployment_made_dearer_and_on_to_a_trial()
    {
        using IWebDriver browser = ledger.Open("/books/1");
        browser.Press("Daybook");
        browser.See("not announced");
        browser.Axe().ShouldBeEmpty();
        browser.Press("3.3");
        browser.See("3 of ");
        browser.See(By.XPath("//tr[contains(., 'regressed')][contains(., 'written_on desc')]"));
        browser.Axe().ShouldBeEmpty();

        browser.Click(By.XPath("//tr[contains(., 'regressed')]//a[contains(., 'written_on desc')]"));
        browser.See("Executions kept");
        browser.See("By day");
        browser.Axe().ShouldBeEmpty();
        browser.FindElement(By.Id("note")).SendKeys("The section page waits for this.");
        browser.Press("Write it down");
        browser.See(By.XPath("//p[contains(., 'The section page waits for this.')]"));
        browser.Navigate().Back();

        browser.Press("Take these 3 to a trial");
        browser.See("DROP INDEX trail_report_section_written;");
        browser.Press("Start the trial");

        // Great effects settle first; that is enough here. What they are called depends on whether another test changed the book's workload.
        browser.SeeSettled(By.XPath("//tr[td[1][contains(., 'regressed')]]/td[2]//button"));
        browser.CancelTrial();
    }

    [Fact]
    public void A_span_is_chosen_by_dragging_and_by_keys()
    {
        using IWebDriver browser = ledger.Open("/books/1/daybook");
        IWebElement timeline = browser.See(By.CssSelector("svg.cursor-crosshair"));
        new Actions(browser).MoveToElement(timeline, -200, 10).ClickAndHold().MoveByOffset(150, 0).Release().Perform();
        browser.See("all time");
        browser.Url.ShouldContain("from=");
        string before = browser.Url;
        browser.See(By.CssSelector("[aria-label='End of the span']")).SendKeys(Keys.ArrowRight);
        browser.Url.ShouldNotBe(before);
        browser.Press("all time");
        browser.See(By.CssSelector("[aria-label='Text in the statement']")).SendKeys("members_never");
        browser.See("No statement fits.");
    }

    [Fact]
    public void A_log_is_read_and_what_was_not_understood_is_said()
    {
        string path = Path.Combine(ledger.Folder, "small.log");
        File.WriteAllText(path, "2026-07-08 10:15:00.000 UTC [1] LOG:  duration: 1.000 ms  statement: SELECT lantern FROM shed\nrubbish\n");
        using IWebDriver browser = ledger.Open("/books/1/daybook");
        browser.See(By.Id("capture-file")).SendKeys(path);
        browser.Press("Read this log");
        browser.See("1 statements from");
        browser.See("1 not understood, first in line 2");
        browser.See(By.CssSelector("[aria-label='Text in the statement']")).SendKeys("lantern");
        browser.See(By.XPath("//a[contains(., 'select lantern from shed')]"));
    }

    [Fact]
    public async Task Twenty_thousand_patterns_are_scrolled_without_a_gap()
    {
        // Three calls each: once half of the room is taken, a pattern has to come back.
        var log = new StringBuilder();
        for (int i = 0; i < 60_000; i++)
        {
            log.Append(CultureInfo.InvariantCulture, $"{{\"at\":\"2026-07-08T10:{i % 60:00}:00Z\",\"ms\":{1 + (i % 900)},\"sql\":\"SELECT c{i % 20_000} FROM shed WHERE id = ?\"}}\n");
        }

        using var client = new HttpClient { BaseAddress = ledger.Address, Timeout = Timeout.InfiniteTimeSpan };
        client.DefaultRequestHeaders.Add("X-Swift-Ledger", "1");
        var body = new ByteArrayContent(Encoding.UTF8.GetBytes(log.ToString())) { Headers = { ContentType = new("application/octet-stream") } };
        HttpResponseMessage read = await client.PostAsync(new Uri("/api/captures?book=Many&source=server&name=many", UriKind.Relative), body);
        string book = Regex.Match(await read.Content.ReadAsStringAsync(), "\"bookId\":([0-9]+)").Groups[1].Value;

        using IWebDriver browser = ledger.Open($"/books/{book}/daybook");
        browser.See(By.CssSelector("[role=table] [role=row] a"));
        var scripts = (IJavaScriptExecutor)browser;
        object? gaps = scripts.ExecuteAsyncScript("""
            const done = arguments[arguments.length - 1];
            const list = document.querySelector('[role=table] [role=rowgroup]');
            const frame = () => new Promise(r => requestAnimationFrame(() => requestAnimationFrame(r)));
            const last = () => Math.max(...[...list.querySelectorAll('[role=row]')].map(r => +r.getAttribute('aria-rowindex')));
            // What of the visible part no row covers, after a step of seven rows.
            const uncovered = () => {
              const box = list.getBoundingClientRect();
              const rows = [...list.querySelectorAll('[role=row]')].map(r => r.getBoundingClientRect());
              let gaps = 0;
              for (let y = box.top + 2; y < box.bottom - 2; y += 20) gaps += rows.some(r => r.top <= y && y <= r.bottom) ? 0 : 1;
              return gaps;
            };
            (async () => {
              let gaps = 0;
              for (let i = 0; i < 200; i++) { list.scrollTop += 300; await frame(); gaps += uncovered(); }
              while (last() < 20000) { list.scrollTop = list.scrollHeight; await frame(); }
              gaps += uncovered();
              for (let i = 0; i < 100; i++) { list.scrollTop -= 300; await frame(); gaps += uncovered(); }
              done(gaps);
            })();
            """);
        gaps.ShouldBe(0L);
    }
}
