using SwiftLedger.Bench.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Bench;

/// <summary>What runs each kind of job: one line each.</summary>
internal static class JobKinds
{
    /// <summary>Runs a job to its last word.</summary>
    /// <param name="tell">Told each event, in order, one at a time.</param>
    public static Task RunAsync(BenchJob job, Action<BenchEvent> tell, CancellationToken stop) => job switch
    {
        { Protocol: not BenchJob.Version } => Refuse(tell, $"This measuring process speaks version {BenchJob.Version} of the protocol of jobs, and was sent version {job.Protocol}: both sides must be of one Swift Ledger."),
        { Order: TrialOrder trial } => new TrialSession(job, trial, tell, stop).RunAsync(),
        { Order: BatchOrder batch } => new BatchSession(job, batch, tell).RunAsync(),
        { Order: RehearsalOrder rehearsal } => new RehearsalSession(job, rehearsal, tell, stop).RunAsync(),
        _ => Refuse(tell, "This measuring process does not know this kind of job."),
    };

    private static Task Refuse(Action<BenchEvent> tell, string why)
    {
        tell(new JobRefused([new(InputPart.Options, null, why)], BadInput: false));
        return Task.CompletedTask;
    }
}
