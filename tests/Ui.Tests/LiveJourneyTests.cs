using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using OpenQA.Selenium;
using Shouldly;
using SwiftLedger.Demo;
using SwiftLedger.Demo.Live;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Ui.Tests;

/// <summary>The live demo from its first page to the entry that was held against what came, looked at in a browser while the stand-in runs, is held and is deployed.</summary>
public sealed class LiveJourneyTests(LedgerFixture ledger)
{
    public static TheoryData<string> Engines => [.. LiveStages.All.Select(s => s.Engine.Id)];

    [Theory]
    [MemberData(nameof(Engines))]
    public async Task A_plan_goes_bad_its_statement_is_held_and_the_fix_is_measured_posted_deployed_and_proven(string engine)
    {
        LiveStory story = LiveStages.Of(engine).Story;
        IDemoServer? kind = DemoServers.All.FirstOrDefault(s => s.Engine.Id == engine);
        using PostgresServer? database = kind is null ? null : new PostgresServer("fsync = off");
        database?.Sql("postgres", "CREATE DATABASE huts");
        string[] on = database is null ? [] : ["--" + kind!.Option, $"postgresql://postgres@127.0.0.1:{database.Port}/huts"];
        int port;
        using (var probe = new TcpListener(IPAddress.Loopback, 0))
        {
            probe.Start();
            port = ((IPEndPoint)probe.LocalEndpoint).Port;
        }

        var info = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"), "demo", "--live", "--scale", "0.25", "--port", $"{port}", .. on]) { RedirectStandardOutput = true };
        info.Environment["SWIFT_LEDGER_HOME"] = Path.Combine(ledger.Folder, "live-home-" + engine);
        info.Environment["SWIFT_LEDGER_UI"] = Path.Combine(LedgerFixture.Repository, "ui", "dist");
        using Process server = Process.Start(info)!;
        try
        {
            string page = "";
            while (page.Length == 0 && await server.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken) is { } line)
            {
                page = line.StartsWith("Swift Ledger: ", StringComparison.Ordinal) ? new Uri(line["Swift Ledger: ".Length..]).PathAndQuery : "";
            }

            using IWebDriver browser = ledger.Open(page, new Uri($"http://127.0.0.1:{port}"));
            browser.SeeSettled(By.XPath("//section[@aria-label=\"The huts' application\"]//span[contains(., 'version 3.1')]"));

            // Killed, it comes back by itself, and everything that follows is of the one that came.
            int killed = ApplicationOf(server.Id);
            using (Process application = Process.GetProcessById(killed))
            {
                application.Kill();
            }

            while (ApplicationOf(server.Id) is var now && (now == 0 || now == killed))
            {
                browser.SeeSettled(By.XPath("//section[@aria-label=\"The huts' application\"]"));
                TestContext.Current.CancellationToken.ThrowIfCancellationRequested();
            }

            // What the front page says comes in this order, and each only once it is so.
            browser.SeeSettled(By.XPath(Done($"Version {story.Before.Version} brings {story.Cause}")));
            browser.SeeSettled(By.XPath("//section[@aria-label='Today']//li[contains(., 'unannounced') and contains(., 'weather_humidity')]"));
            browser.SeeSettled(By.XPath($"//section[@aria-label='Today']//li[contains(., 'held') and contains(., '{story.Statement}')]"));
            browser.SeeSettled(By.XPath($"//section[@aria-label=\"The huts' application\"]//span[contains(., 'runs as held: {story.Statement}')]"));
            browser.Axe().ShouldBeEmpty();
            browser.SeeSettled(By.XPath("//section[@aria-label='Fall-backs']//li[contains(., 'It helps: ')]"));

            // Where the hypervisor takes the processors away all the while, nothing can be timed, and nothing is promised: the page says so, and the story ends there.
            if (browser.SeeSettled(By.XPath($"{Done("The trial is posted as an entry")} | {Stopped}")).TagName == "p")
            {
                browser.SeeSettled(By.XPath(Stopped)).Text.ShouldContain("not timed enough to promise anything");
                TestContext.Current.TestOutputHelper?.WriteLine("This machine could not time the fix.");
                return;
            }

            browser.SeeSettled(By.XPath("//section[@aria-label='Fall-backs']//p[contains(., 'The fix is live: entry 1')]"));

            // Nor can it be told what came, where calls scatter that much: the page says that.
            if (browser.SeeSettled(By.XPath($"{Done("What the entry promised is held against")} | {Stopped}")).TagName == "p")
            {
                browser.SeeSettled(By.XPath(Stopped)).Text.ShouldContain("scatter so much");
                TestContext.Current.TestOutputHelper?.WriteLine("This machine could not tell what came of the fix.");
            }

            browser.SeeSettled(By.XPath($"//a[.=\"{story.FixTitle}\" and contains(@href, '/entries/1')]")).Click();
            browser.SeeSettled(By.XPath("//h1"));
            browser.PageSource.ShouldNotContain("Not live yet");
        }
        finally
        {
            server.Kill(entireProcessTree: true);
            await server.WaitForExitAsync(CancellationToken.None);
        }
    }

    /// <summary>The stand-in among the server's children, by proc(5); 0 where there is none.</summary>
    private static int ApplicationOf(int server)
    {
        return Directory.GetDirectories("/proc").Select(d => int.TryParse(Path.GetFileName(d), out int id) ? id : 0)
            .FirstOrDefault(id => id > 0 && Read($"/proc/{id}/cmdline").EndsWith("huts-app\0", StringComparison.Ordinal) && Read($"/proc/{id}/stat").Split(") ")[^1].Split(' ')[1] == $"{server}");

        static string Read(string file)
        {
            try
            {
                return File.ReadAllText(file);
            }
            catch (IOException)
            {
                return "";
            }
        }
    }

    private const string Stopped = "//section[@aria-label=\"The huts' application\"]//p[contains(., 'The story stops here')]";

    private static string Done(string step) => $"//section[@aria-label=\"The huts' application\"]//li[contains(., '{step}') and contains(., ', done')]";
}
