using System.Text.Json.Nodes;
using Shouldly;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>What the measuring process reads and answers, as another version of either side would see it.</summary>
public class JobProtocolTests
{
    private static readonly BenchJob Job = new("/nowhere/depot.db", "/nowhere/copies", "/nowhere/lock", new(), new TrialOrder("SELECT 1", "", [2], true, 7.5));

    [Fact]
    public void A_job_comes_back_as_it_was_sent_whatever_its_kind()
    {
        foreach (BenchOrder order in new BenchOrder[] { Job.Order, new BatchOrder("SELECT 1;", 3, 9) })
        {
            BenchJob read = Read(Written(Job with { Order = order }).ToJsonString());
            read.Order.GetType().ShouldBe(order.GetType());
            Written(read).ToJsonString().ShouldBe(Written(Job with { Order = order }).ToJsonString());
        }
    }

    [Fact]
    public void Fields_of_a_later_version_are_left_alone()
    {
        JsonNode sent = Written(Job);
        sent["priority"] = 3;
        sent["order"]!["rehearse"] = new JsonArray("a", 1);
        sent["options"]!["sessions"] = 8;
        Read(sent.ToJsonString()).Order.ShouldBeOfType<TrialOrder>().SecondsLeft.ShouldBe(7.5);
    }

    [Fact]
    public async Task Another_version_of_the_protocol_is_refused_before_anything_is_done()
    {
        JobRefused refused = (await Answered(Job with { Protocol = BenchJob.Version + 1 })).ShouldBeOfType<JobRefused>();
        refused.BadInput.ShouldBeFalse();
        refused.Problems[0].Message.ShouldContain($"version {BenchJob.Version} of the protocol of jobs, and was sent version {BenchJob.Version + 1}");
    }

    private static async Task<BenchEvent> Answered(BenchJob job)
    {
        var told = new List<BenchEvent>();
        await JobKinds.RunAsync(job, told.Add, default);
        return told.ShouldHaveSingleItem();
    }

    private static JsonNode Written(BenchJob job) => System.Text.Json.JsonSerializer.SerializeToNode(job, BenchJob.Json)!;

    private static BenchJob Read(string json) => System.Text.Json.JsonSerializer.Deserialize<BenchJob>(json, BenchJob.Json)!;
}
