using Shouldly;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using Xunit;

namespace SwiftLedger.Core.Tests.Trials;

/// <summary>What a command ends with; the numbers are a contract.</summary>
public class OutcomeTests
{
    private static readonly Line Level = new(Make.Evidence(), new(Verdict.Level, Basis.Time, null, [])),
        Regressed = new(Make.Evidence(), new(Verdict.Regressed, Basis.Time, null, [])),
        BrokeAfter = new(Make.Evidence() with { MeasuringFailureAfter = new("gone") }, new(Verdict.Failed, Basis.Time, new BrokeAfter(new("gone")), [])),
        BrokeBefore = new(Make.Evidence() with { MeasuringFailureBefore = new("gone") }, new(Verdict.Failed, Basis.Time, new BeforeFailed(new("gone"), null, null), [])),
        Unsettled = new(Make.Evidence(), new(Verdict.Unsettled, Basis.Time, null, [])),
        Open = new(Make.Evidence(end: null));

    [Fact]
    public void One_goes_before_three_and_three_before_none()
    {
        Of(Level, Unsettled).ShouldBe(Outcome.Good);
        Outcomes.Of(Account(Level, Unsettled), strict: true).ShouldBe(Outcome.NotMeasured);
        Outcomes.Of(Account(Unsettled, Regressed), strict: true).ShouldBe(Outcome.Regressed);
        Outcomes.Of(Account(Level), strict: true).ShouldBe(Outcome.Good);
        Of(Level, Regressed).ShouldBe(Outcome.Regressed);
        Of(Level, BrokeAfter).ShouldBe(Outcome.Regressed);
        Of(BrokeBefore, Level).ShouldBe(Outcome.NotMeasured);
        Of(BrokeBefore, Regressed).ShouldBe(Outcome.Regressed);
        Of(Level, Open).ShouldBe(Outcome.NotMeasured);
        ((int)Outcome.Good, (int)Outcome.Regressed, (int)Outcome.BadInput, (int)Outcome.NotMeasured).ShouldBe((0, 1, 2, 3));
    }

    [Fact]
    public void A_job_that_was_refused_ends_with_whose_fault_it_was()
    {
        Outcomes.Of(Account(Level) with { Refusal = new([new(InputPart.Subject, null, "no")], BadInput: true) }).ShouldBe(Outcome.BadInput);
        Outcomes.Of(Account(Level) with { Refusal = new([new(InputPart.Subject, null, "full")], BadInput: false) }).ShouldBe(Outcome.NotMeasured);
    }

    private static Outcome Of(params Line[] lines) => Outcomes.Of(Account(lines));

    private static TrialAccount Account(params Line[] lines) => new(TrialBrief.Read("SELECT 1", "", new(NoiseCheck: true)).Value, lines);
}
