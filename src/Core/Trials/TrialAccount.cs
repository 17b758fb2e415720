using SwiftLedger.Core.Plans.Comparing;

namespace SwiftLedger.Core.Trials;

/// <summary>
/// The state of a trial as its events tell it: the same fold in the web server, the command line and the tests.
/// </summary>
/// <param name="Brief">What the trial set out to do.</param>
/// <param name="Lines">One for each line of the brief, in its order.</param>
public sealed record TrialAccount(TrialBrief Brief, IReadOnlyList<Line> Lines)
{
    public StageReached? Stage { get; init; }

    public TrialEnvironment? Environment { get; init; }

    /// <summary>What both copies hold; null until it is read.</summary>
    public CatalogsRead? Catalogs { get; init; }

    public IReadOnlyList<StepApplied> Applied { get; init; } = [];

    /// <summary>Why the job was refused; null where it was not.</summary>
    public JobRefused? Refusal { get; init; }

    /// <summary>The last word of the latest session; null while it runs or where it was interrupted.</summary>
    public JobDone? Done { get; init; }

    public bool Confirming { get; init; }

    public static TrialAccount Open(TrialBrief brief) => new(brief, [.. brief.Lines.Select(l => new Line(LineEvidence.Nothing(l, brief.Options)))]);

    /// <summary>Takes in one event.</summary>
    /// <exception cref="ArgumentOutOfRangeException">An event of another version.</exception>
    public TrialAccount With(BenchEvent happened) => happened switch
    {
        StageReached stage => this with { Stage = stage },
        EnvironmentRead read => this with { Environment = Environment ?? read.Environment },
        SchemaRead or ChangeBrought or ScriptReached or ScriptRan => this,
        AftermathRead read => this with { Environment = Environment?.With(read.Notes) },
        CatalogsRead catalogs => this with { Catalogs = Catalogs ?? catalogs },
        StepApplied step => Confirming ? this : this with { Applied = [.. Applied, step] },
        LineInspected i when !Confirming => Update(i.Line, e => e with { Before = i.Before, After = i.After, PlansAlike = Alike(e.Brief, i) }),
        LineInspected => this,
        BlocksMeasured m => Update(m.Line, e => Confirming
            ? e with { ConfirmingBlocks = [.. e.ConfirmingBlocks, .. m.Blocks] }
            : e with { Blocks = [.. e.Blocks, .. m.Blocks] }),
        RunsTimed t => Update(t.Line, e => e with { Timed = [.. e.Timed, .. t.Runs], TimingFailure = e.TimingFailure ?? t.Failure }),
        LineEnded end => Confirming ? this : Update(end.Line, e => e with
        {
            End = end.End,
            MeasuringFailureBefore = end.Before,
            MeasuringFailureAfter = end.After,
        }),
        JobRefused refusal => this with { Refusal = refusal },
        JobDone done => this with { Done = done },
        _ => throw new ArgumentOutOfRangeException(nameof(happened), happened, "An event of another version."),
    };

    /// <summary>The numbers of the lines to measure again on fresh copies.</summary>
    public IReadOnlyList<int> ToConfirm => [.. Lines.Where(VerdictRule.WantsConfirmation).Select(l => l.Number)];

    /// <summary>Opens the second session.</summary>
    public TrialAccount BeginConfirming() => this with { Confirming = true, Done = null };

    /// <summary>Decides every line that has ended as it stands, before the trial has: provisional for lines still to confirm.</summary>
    public TrialAccount Decided()
    {
        Line[] lines = Lines.Select(l => l with { Decision = l.Evidence.End is null ? null : VerdictRule.Decide(l) }).ToArray();
        return this with { Lines = lines };
    }

    /// <summary>Decides all lines together: the last step of a trial.</summary>
    public TrialAccount Settled() =>
        this with { Lines = VerdictRule.WithDiscoveryRate(Decided().Lines, TrialOptions.DiscoveryRate) };

    /// <summary>The lines with decisions that were made before: what is shown is what was decided then.</summary>
    /// <param name="kept">Lines that it does not hold stay undecided.</param>
    public TrialAccount As(Settlement kept) => this with { Lines = [.. Lines.Select(l => l with { Decision = kept.Lines.GetValueOrDefault(l.Number) })] };

    public Line? Find(int number) => Lines.FirstOrDefault(l => l.Number == number);

    private bool Alike(LineBrief brief, LineInspected i) => Brief.Options.Engine.Plans is { } plans && i.Before.Plan is { } before && i.After.Plan is { } after
        && PlanLikeness.Alike(new(before, brief.BeforeSql, plans) { Catalog = Catalogs?.Before }, new(after, brief.AfterSql, plans) { Catalog = Catalogs?.After });

    private TrialAccount Update(int number, Func<LineEvidence, LineEvidence> change) => this with
    {
        Lines = Lines.Select(l => l.Number == number ? l with { Evidence = change(l.Evidence) } : l).ToList(),
    };
}
