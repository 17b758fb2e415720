namespace SwiftLedger.Core.Trials;

/// <summary>One case in a trial: its evidence, what the blocks say, and the decision once it has ended.</summary>
public sealed record Line
{
    private readonly LineEvidence _evidence;
    private readonly Lazy<LineJudgement> _judgement;

    /// <param name="evidence">What was found so far.</param>
    /// <param name="decision">Null while the line waits or is measured.</param>
    public Line(LineEvidence evidence, Decision? decision = null)
    {
        (_evidence, _judgement) = (evidence, JudgedOf(evidence));
        Decision = decision;
    }

    public LineEvidence Evidence
    {
        get => _evidence;
        init => (_evidence, _judgement) = (value, JudgedOf(value));
    }

    /// <summary>Null while the line waits or is measured.</summary>
    public Decision? Decision { get; init; }

    /// <summary>Of the evidence as it stands, computed when it is first asked for.</summary>
    public LineJudgement Judgement => _judgement.Value;

    public LineBrief Brief => Evidence.Brief;

    public int Number => Evidence.Brief.Number;

    private static Lazy<LineJudgement> JudgedOf(LineEvidence evidence) => new(() => new(evidence));
}
