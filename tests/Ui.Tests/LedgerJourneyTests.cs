using System.Net.Http.Json;
using System.Text.Json;
using OpenQA.Selenium;
using Shouldly;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Ui.Tests;

/// <summary>An entry from its trial to its withdrawal, and the front page that tells of it.</summary>
public sealed class LedgerJourneyTests(LedgerFixture ledger)
{
    private const int MostAttempts = 10;

    [Fact]
    public async Task A_trial_is_posted_stands_on_the_front_page_and_is_withdrawn_and_nothing_is_edited()
    {
        (long book, long trial) = await FinishedTrialAsync();
        using IWebDriver browser = ledger.Open($"/trials/{trial}");
        browser.Press("Post to the ledger");
        browser.See("An entry is never edited and never deleted.");
        browser.Axe().ShouldBeEmpty();
        browser.See(By.XPath("//label[contains(., 'Who answers for it')]//input")).SendKeys("Ines Aalto");
        browser.See(By.XPath("//label[contains(., 'Reason')]//textarea")).SendKeys("The board is slow.");
        foreach (IWebElement accepted in browser.FindElements(By.XPath("//label[contains(., 'accepted because')]//input")))
        {
            accepted.SendKeys("Rarely called.");
        }

        browser.Press("Post it");
        browser.See("Not live yet: this is what it promises");
        browser.See("Sealed: SHA-256");
        browser.Axe().ShouldBeEmpty();
        string address = new Uri(browser.Url).PathAndQuery;

        using IWebDriver front = ledger.Open($"/books/{book}");
        front.See(By.XPath("//section[@aria-label='Today']//li[contains(., 'proposed')]"));
        front.See(By.XPath("//section[@aria-label='Ledger']//td[contains(., 'proposed')]"));
        front.Axe().ShouldBeEmpty();

        browser.Press("Withdraw it");
        browser.See(By.XPath("//label[contains(., 'Why, in a few words')]//textarea")).SendKeys("Another way was found.");
        browser.Press("Post it");
        browser.See("Withdrawn");
        browser.See("Another way was found.");
        using IWebDriver again = ledger.Open(address);
        again.See("Ines Aalto");
        again.See("Another way was found.");
        again.Axe().ShouldBeEmpty();
    }

    /// <summary>Of a book of its own: entries stay, and so would a workload.</summary>
    private async Task<(long Book, long Trial)> FinishedTrialAsync()
    {
        string path = Path.Combine(ledger.Folder, "entries.db");
        JourneyTests.MakeDepot(path);
        using var client = new HttpClient { BaseAddress = ledger.Address, Timeout = Timeout.InfiniteTimeSpan };
        client.DefaultRequestHeaders.Add("X-Swift-Ledger", "1");
        (long Book, long Trial) made = await MeasuredAsync(client, path);

        // A machine that is busy meanwhile may settle it by work alone, which promises no time: then it is measured again.
        for (int attempt = 1; attempt < MostAttempts && !(await client.GetStringAsync(new Uri($"/api/books/{made.Book}/entries/preview?trial={made.Trial}", UriKind.Relative))).Contains("\"refusal\":null", StringComparison.Ordinal); attempt++)
        {
            made = await MeasuredAsync(client, path);
        }

        return made;
    }

    private static async Task<(long Book, long Trial)> MeasuredAsync(HttpClient client, string path)
    {
        using HttpResponseMessage begun = await client.PostAsJsonAsync(new Uri("/api/trials", UriKind.Relative), new
        {
            subject = path,
            bookName = "Depot with entries",
            workload = "-- name: of a depot\n-- calls: 1200/day\n-- bind: d=7\nSELECT count(*) FROM parcel WHERE depot = :d;",
            change = "CREATE INDEX parcel_of_depot ON parcel(depot);",
            settings = new { },
        });
        begun.IsSuccessStatusCode.ShouldBeTrue(await begun.Content.ReadAsStringAsync());
        JsonElement made = await begun.Content.ReadFromJsonAsync<JsonElement>();
        long trial = made.GetProperty("id").GetInt64();
        await TrialNews.UntilAsync(client, trial, async () => (await client.GetStringAsync(new Uri($"/api/trials/{trial}", UriKind.Relative))).Contains("\"state\":\"finished\"", StringComparison.Ordinal), "trial", TestContext.Current.CancellationToken);

        return (made.GetProperty("bookId").GetInt64(), trial);
    }
}
