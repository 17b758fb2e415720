using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Bench.Proposals;

/// <summary>Tries settings of an engine's sessions in steps over the whole workload, and proposes of each the step that spares most for its size.</summary>
/// <param name="look">At the workload.</param>
/// <param name="options">Of each trial.</param>
/// <param name="told">Told what goes on.</param>
internal sealed class SettingsSearch(WorkloadLook look, TrialOptions options, Action<string> told)
{
    private readonly List<string> _notes = [];

    /// <summary>What was left out, in sentences.</summary>
    public IReadOnlyList<string> Notes => _notes;

    /// <param name="now">Inspected without a change.</param>
    /// <param name="catalog">Of the subject.</param>
    /// <param name="stop">Ends it.</param>
    public async Task<IReadOnlyList<Proposal>> FindAsync(TrialAccount now, Catalog catalog, CancellationToken stop)
    {
        string[] statements = [.. now.Brief.Workload.Statements.Select(s => s.Name)];
        var proposals = new List<Proposal>();
        foreach (SettingSweep sweep in options.Engine.Settings)
        {
            (SettingStep? step, string seen) = sweep.By == SweepBy.Size ? (sweep.Holding(SettingSweep.SizeOf(catalog)), "No counter tells what it spares.") : await SweptAsync(sweep, now, stop);
            if (step is null)
            {
                _notes.Add($"{sweep.Name}: {seen}");
                continue;
            }

            proposals.Add(new(
                ProposalKind.Setting, $"{sweep.Name} of {step.Words}", $"{sweep.Why} {seen} It holds for a session: where the application connects, or for all who do.", sweep.Set(step.Value), sweep.Undo, statements, null, ProposalFate.Open, "")
            {
                Ground = ProposalGround.Of(now.Brief.Workload, statements, catalog, []),
            });
        }

        return proposals;
    }

    private async Task<(SettingStep? Step, string Seen)> SweptAsync(SettingSweep sweep, TrialAccount now, CancellationToken stop)
    {
        string counter = sweep.Counter ?? options.Engine.Counter!.Name;
        double before = Screening.SumOf(now, counter, Side.Before) ?? 0;
        var counted = new List<double?>();
        foreach (SettingStep step in sweep.Steps)
        {
            told($"trying {sweep.Name} of {step.Words}");
            TrialAccount account = await look.SeeAsync(sweep.Set(step.Value), stop);
            counted.Add(account.Refusal is null ? Screening.SumOf(account, counter, Side.After) : null);
        }

        string all = string.Join(", ", sweep.Steps.Zip(counted, (s, c) => $"{(c is { } sum ? Figures.Three(sum) : "not counted")} with {s.Value}"));
        return (before > 0 ? sweep.Worth(before, counted) : null, before > 0 ? $"{counter} a day: {Figures.Three(before)} now, {all}." : $"no {counter} to spare.");
    }
}
