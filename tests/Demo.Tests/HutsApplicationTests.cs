using System.Net;
using System.Text;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Demo.Live;
using Xunit;

namespace SwiftLedger.Demo.Tests;

/// <summary>The stand-in beside a server that answers late, or not at all: nothing that it executed is lost, least of all a deployment.</summary>
public sealed class HutsApplicationTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task What_a_server_did_not_take_is_sent_again()
    {
        string demo = DemoScenario.MakeIn(_folder, 0.02).DatabasePath;
        ILiveStage stage = LiveStages.All[0];
        string database = stage.Prepare(new(demo, demo), DateTime.UtcNow).Connection;
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(TestContext.Current.CancellationToken);
        using var server = new Server(stop);
        using var application = new HutsApplication(new(new("http://huts.test"), 1, "Huts", stage.Engine.Id, database, DateTimeOffset.UtcNow, 720, "3.1", []), server);
        await application.RunAsync(stop.Token);
        server.Taken.ShouldContain("CREATE INDEX booking_seen ON booking(created_at)");
        server.Asked.ShouldBeGreaterThan(3);
        using var connection = new SqliteConnection($"Data Source={database};Pooling=False");
        connection.Open();
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = "SELECT count(*) FROM sqlite_schema WHERE name = 'booking_seen'";
        command.ExecuteScalar().ShouldBe(1L);
    }

    /// <summary>Tells of one deployment, does not take what holds it the first three times, each for another reason, and ends the application once it has it.</summary>
    private sealed class Server(CancellationTokenSource stop) : HttpMessageHandler
    {
        public int Asked { get; private set; }

        public string Taken { get; private set; } = "";

        protected override async Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancellationToken)
        {
            string path = request.RequestUri!.AbsolutePath, body = request.Content is null ? "" : await request.Content.ReadAsStringAsync(cancellationToken);
            if (path.EndsWith("/v1/traces", StringComparison.Ordinal) && body.Contains("booking_seen", StringComparison.Ordinal))
            {
                switch (Asked++)
                {
                    case 0:
                        throw new TaskCanceledException("The answer did not come in time.");
                    case 1:
                        throw new HttpRequestException("Connection refused");
                    case 2:
                        return new(HttpStatusCode.ServiceUnavailable);
                    default:
                        Taken = body;
                        await stop.CancelAsync();
                        break;
                }
            }

            return new(HttpStatusCode.OK)
            {
                Content = new StringContent(path.EndsWith("/beat", StringComparison.Ordinal) ? """[{"number":1,"version":"3.2","script":"CREATE INDEX booking_seen ON booking(created_at);"}]""" : """{"holds":[]}""", Encoding.UTF8, "application/json"),
            };
        }
    }
}
