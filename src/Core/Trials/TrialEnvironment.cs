namespace SwiftLedger.Core.Trials;

/// <summary>Where a trial ran.</summary>
/// <param name="Engine">"SQLite".</param>
/// <param name="Settings">Engine settings that bear on cost, by name.</param>
/// <param name="SubjectBytes">Size of the snapshot.</param>
/// <param name="Machine">Processor, cores, memory and system, in words.</param>
/// <param name="LoadAverage">Runnable processes over the last minute when measuring began.</param>
/// <param name="Notes">What sets the copies apart from the subject, in sentences.</param>
/// <param name="EngineVersion">As the engine tells it.</param>
public sealed record TrialEnvironment(
    string Engine,
    string EngineVersion,
    IReadOnlyDictionary<string, string> Settings,
    long SubjectBytes,
    string Machine,
    double LoadAverage,
    IReadOnlyList<string>? Notes = null)
{
    /// <summary>The same with more notes, none twice.</summary>
    public TrialEnvironment With(IReadOnlyList<string> notes) => this with { Notes = [.. (Notes ?? []).Union(notes)] };
}
