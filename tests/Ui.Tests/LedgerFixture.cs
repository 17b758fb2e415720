using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using SwiftLedger.Testing;
using Xunit;

[assembly: AssemblyFixture(typeof(SwiftLedger.Ui.Tests.LedgerFixture))]

namespace SwiftLedger.Ui.Tests;

/// <summary>The real server with a small demo, one for all tests, and real browsers.</summary>
public sealed class LedgerFixture : IAsyncLifetime
{
    private Process _server = null!;

    public string Folder { get; } = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public Uri Address { get; private set; } = null!;

    public static string Repository
    {
        get
        {
            string folder = AppContext.BaseDirectory;
            while (!File.Exists(Path.Combine(folder, "SwiftLedger.slnx")))
            {
                folder = Path.GetDirectoryName(folder)!;
            }

            return folder;
        }
    }

    public async ValueTask InitializeAsync()
    {
        using (var probe = new TcpListener(IPAddress.Loopback, 0))
        {
            probe.Start();
            Address = new($"http://127.0.0.1:{((IPEndPoint)probe.LocalEndpoint).Port}");
        }

        var info = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, "swift-ledger.dll"), "demo", "--scale", "0.05", "--port", $"{Address.Port}"]) { RedirectStandardOutput = true };
        info.Environment["SWIFT_LEDGER_HOME"] = Path.Combine(Folder, "home");
        info.Environment["SWIFT_LEDGER_UI"] = Path.Combine(Repository, "ui", "dist");
        _server = Process.Start(info)!;
        while (await _server.StandardOutput.ReadLineAsync() is { } line && !line.StartsWith("Swift Ledger:", StringComparison.Ordinal))
        {
        }

        await EndFirstTrialAsync();
    }

    /// <summary>The demo's own trial has shown enough once a line is settled; the tests need the machine for theirs.</summary>
    private async Task EndFirstTrialAsync()
    {
        using var client = new HttpClient { BaseAddress = Address, Timeout = Timeout.InfiniteTimeSpan };
        client.DefaultRequestHeaders.Add("X-Swift-Ledger", "1");
        await TrialNews.UntilAsync(client, 1, async () => (await client.GetStringAsync(new Uri("/api/trials/1", UriKind.Relative))).Contains("\"state\":\"ended\"", StringComparison.Ordinal), "line", CancellationToken.None);

        (await client.PostAsync(new Uri("/api/trials/1/cancel", UriKind.Relative), null)).EnsureSuccessStatusCode();
    }

    public async ValueTask DisposeAsync()
    {
        _server.Kill(entireProcessTree: true);
        await _server.WaitForExitAsync();
        Directory.Delete(Folder, recursive: true);
    }

    /// <param name="path">Of the page.</param>
    /// <param name="address">Of another server than this one.</param>
    public IWebDriver Open(string path, Uri? address = null)
    {
        var options = new ChromeOptions { BinaryLocation = "/usr/bin/chromium" };
        options.AddArguments("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
            "--disable-component-update", "--disable-sync", "--window-size=1280,900", $"--user-data-dir={Directory.CreateDirectory(Path.Combine(Folder, Guid.NewGuid().ToString("n"))).FullName}");
        var driver = new ChromeDriver(ChromeDriverService.CreateDefaultService("/usr/bin/chromedriver"), options, TimeSpan.FromMinutes(3));
        driver.Navigate().GoToUrl(new Uri(address ?? Address, path));
        driver.SeePage();
        return driver;
    }
}
