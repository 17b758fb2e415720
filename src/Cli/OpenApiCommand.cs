using System.CommandLine;
using System.Net;
using Microsoft.AspNetCore.Builder;
using SwiftLedger.Bench;
using SwiftLedger.Web;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger openapi</c>: prints the API's OpenAPI document, which the interface's types are made from.</summary>
internal static class OpenApiCommand
{
    public static Command Build()
    {
        var command = new Command("openapi", "Print the API's OpenAPI document.");
        command.SetAction(async (_, stop) =>
        {
            string folder = Directory.CreateTempSubdirectory("swift-ledger-").FullName;
            try
            {
                await using WebApplication app = LedgerServer.Build(new(new LedgerHome(folder).Created(), IPAddress.Loopback, 0, null, folder));
                await app.StartAsync(stop);
                using var client = new HttpClient();
                Console.WriteLine(await client.GetStringAsync(new Uri($"{app.Urls.First()}/api/openapi.json"), stop));
                await app.StopAsync(stop);
                return ExitCode.Good;
            }
            finally
            {
                Directory.Delete(folder, recursive: true);
            }
        });
        return command;
    }
}
