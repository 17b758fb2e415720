using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Microsoft.Data.Sqlite;
using OpenQA.Selenium.Chrome;

namespace SwiftLedger.Benchmarks;

/// <summary>The plans of a line with 500 operators in Chromium, beside those of a line with two: from opening to the last row on the screen.</summary>
internal static class PlanViewBench
{
    private const int Selects = 250, Times = 7, LongestWait = 20_000, Screenful = 40;

    /// <summary>Notes when the table first has as many rows as are waited for, after the frame that shows them.</summary>
    private const string Watch = """
        const wanted = location.hash.slice(1) | 0;
        const look = () => { const n = document.querySelectorAll('table tbody tr').length; if (wanted > 0 && n >= wanted) {
            requestAnimationFrame(() => requestAnimationFrame(() => { window.shownAfter ??= performance.now(); })); } else requestAnimationFrame(look); };
        addEventListener('DOMContentLoaded', look);
        """;

    public static async Task RunAsync()
    {
        string home = Directory.CreateTempSubdirectory("swift-ledger-bench-").FullName;
        try
        {
            using DemoServer server = await DemoServer.StartAsync(home, 0.05);
            long trial = await TrialOfManyOperatorsAsync(server.Address, Path.Combine(home, "many.db"));
            var options = new ChromeOptions { BinaryLocation = "/usr/bin/chromium" };
            options.AddArguments("--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=1280,800");
            using var driver = new ChromeDriver(ChromeDriverService.CreateDefaultService("/usr/bin/chromedriver"), options);
            driver.ExecuteCdpCommand("Page.addScriptToEvaluateOnNewDocument", new Dictionary<string, object?> { ["source"] = Watch });
            double first = MedianOf(driver, new Uri(server.Address, $"/trials/{trial}/plans/1"), Screenful), large = MedianOf(driver, new Uri(server.Address, $"/trials/{trial}/plans/1"), 2 * Selects), small = MedianOf(driver, new Uri(server.Address, $"/trials/{trial}/plans/2"), 1);
            Report.Target($"plan view of {2 * Selects} operators, opened from its line", OpenedFromLine(driver, server.Address, trial), "ms", 300);
            Report.Line($"{"  the whole page loaded anew",-58} {first,10:0} ms");
            Report.Line($"{"  until its last operator is there",-58} {large,10:0} ms");
            Report.Line($"{"  of one operator",-58} {small,10:0} ms     ratio {first / small:0.0}");
        }
        finally
        {
            Directory.Delete(home, recursive: true);
        }
    }

    /// <summary>From the click on the line's link until the first screenful stands.</summary>
    private static double OpenedFromLine(ChromeDriver driver, Uri address, long trial)
    {
        var took = new List<double>();
        for (int i = 0; i < Times; i++)
        {
            driver.Navigate().GoToUrl("about:blank");
            driver.Navigate().GoToUrl(new Uri(address, $"/trials/{trial}/lines/1"));
            Await(() => driver.ExecuteScript($"return document.querySelectorAll('table tbody tr').length >= {2 * Selects} || null"), "the line");
            driver.ExecuteScript($$"""
                const link = document.querySelector('a[href="/trials/{{trial}}/plans/1"]');
                window.openedIn = null;
                const from = performance.now();
                const look = () => { if (location.pathname.includes('/plans/') && document.querySelectorAll('table tbody tr').length >= {{Screenful}}) {
                    requestAnimationFrame(() => requestAnimationFrame(() => { window.openedIn = performance.now() - from; })); } else requestAnimationFrame(look); };
                link.click();
                look();
                """);
            took.Add(Convert.ToDouble(Await(() => driver.ExecuteScript("return window.openedIn"), "the plan view"), System.Globalization.CultureInfo.InvariantCulture));
        }

        return Report.Median(took.Skip(2));
    }

    private static object Await(Func<object?> look, string what)
    {
        long deadline = Environment.TickCount64 + LongestWait;
        object? found;
        while ((found = look()) is null)
        {
            if (Environment.TickCount64 > deadline)
            {
                throw new InvalidOperationException($"{what} did not show.");
            }
        }

        return found;
    }

    private static double MedianOf(ChromeDriver driver, Uri address, int rows)
    {
        var took = new List<double>();
        for (int i = 0; i < Times; i++)
        {
            // Through an empty page: from one place of a page to another nothing is opened.
            driver.Navigate().GoToUrl("about:blank");
            driver.Navigate().GoToUrl(new Uri(address, $"#{rows}"));
            object shown = Await(() => driver.ExecuteScript("return window.shownAfter ?? null"), $"'{address}' with {rows} rows");
            took.Add(Convert.ToDouble(shown, System.Globalization.CultureInfo.InvariantCulture));
        }

        // The first ones fill the browser's caches.
        return Report.Median(took.Skip(2));
    }

    private static async Task<long> TrialOfManyOperatorsAsync(Uri address, string path)
    {
        using (var connection = new SqliteConnection($"Data Source={path};Pooling=False"))
        {
            connection.Open();
            using SqliteCommand command = connection.CreateCommand();
            command.CommandText = "CREATE TABLE parcel (id INTEGER PRIMARY KEY, depot INTEGER); INSERT INTO parcel VALUES (1, 1), (2, 2);";
            command.ExecuteNonQuery();
        }

        var sql = new StringBuilder("-- name: many\n");
        for (int i = 0; i < Selects; i++)
        {
            sql.Append(i > 0 ? "\nUNION ALL " : "").Append(System.Globalization.CultureInfo.InvariantCulture, $"SELECT id FROM parcel WHERE depot = {i}");
        }

        sql.Append(";\n-- name: one\nSELECT id FROM parcel WHERE depot = 1;\n");
        using var client = new HttpClient { BaseAddress = address };
        client.DefaultRequestHeaders.Add("X-Swift-Ledger", "1");
        using HttpResponseMessage answer = await client.PostAsJsonAsync("/api/trials", new { subject = path, workload = sql.ToString(), change = "CREATE INDEX parcel_depot ON parcel(depot)", settings = new { quick = true, maxSeconds = 5 } });
        long id = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetInt64();
        while ((await client.GetFromJsonAsync<JsonElement>($"/api/trials/{id}")).GetProperty("trial").GetProperty("state").GetString() is "waiting" or "running")
        {
        }

        return id;
    }
}
