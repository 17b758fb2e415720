using System.Diagnostics;
using System.Globalization;
using Shouldly;
using Xunit;

namespace SwiftLedger.Bench.Tests;

public sealed class CpuPlacementTests
{
    // proc(5): what the kernel itself says of a thread.
    [Fact]
    public async Task The_measuring_thread_gets_a_cpu_that_the_engine_keeps_off_and_gives_it_back()
    {
        if (Environment.ProcessorCount < 2)
        {
            Assert.Skip("There is one CPU to be on.");
        }

        using Process engine = Process.Start(new ProcessStartInfo("cat") { RedirectStandardInput = true })!;
        await Task.Factory.StartNew(() =>
        {
            string first = AllowedOf("thread-self");
            using (CpuPlacement? placement = CpuPlacement.Apart([engine.Id]))
            {
                placement.ShouldNotBeNull().EngineApart.ShouldBeTrue();
                AllowedOf("thread-self").ShouldBe(placement.Cpu.ToString(CultureInfo.InvariantCulture));
                CpusOf(AllowedOf(engine.Id.ToString(CultureInfo.InvariantCulture))).ShouldBe(CpusOf(first).Where(cpu => cpu != placement.Cpu));
            }

            AllowedOf("thread-self").ShouldBe(first);
            using CpuPlacement? elsewhere = CpuPlacement.Apart([null, engine.Id]);
            elsewhere.ShouldNotBeNull().EngineApart.ShouldBeFalse();
        }, TestContext.Current.CancellationToken, TaskCreationOptions.LongRunning, TaskScheduler.Default);
        engine.Kill();
    }

    private static string AllowedOf(string process) =>
        File.ReadLines($"/proc/{process}/status").Single(l => l.StartsWith("Cpus_allowed_list:", StringComparison.Ordinal)).Split(':')[1].Trim();

    private static IEnumerable<int> CpusOf(string list) => list.Split(',').Select(part => part.Split('-')).SelectMany(r => Enumerable.Range(int.Parse(r[0], CultureInfo.InvariantCulture), int.Parse(r[^1], CultureInfo.InvariantCulture) - int.Parse(r[0], CultureInfo.InvariantCulture) + 1));
}
