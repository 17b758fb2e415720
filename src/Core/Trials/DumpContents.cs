using SwiftLedger.Core.Engines;

namespace SwiftLedger.Core.Trials;

/// <summary>What copies through a dump hold and where they stand, where that is not the whole subject on its own server.</summary>
/// <param name="Tables">Tables whose rows come along, as SQL names them; null for all, empty for none.</param>
/// <param name="MadeRows">Rows that are made from the statistics of each other table, for each row that the subject has: 1 for as many; null where those tables stay empty.</param>
/// <param name="On">Address, without its password, of a database on the server that holds the copies; null for the subject's own server.</param>
public sealed record DumpContents(IReadOnlyList<string>? Tables = null, double? MadeRows = null, string? On = null)
{
    public const double MostMadeRows = 1_000;

    /// <summary>Whether all rows are the subject's own.</summary>
    public bool IsWhole => Tables is null && MadeRows is null;

    /// <summary>What of it makes no sense; null where all does.</summary>
    public static string? ProblemOf(DumpContents? contents, SubjectSides sides, Engine engine) =>
        contents is null ? null
        : !engine.Ways.Contains(SubjectSides.Dumped) ? $"Of {engine.Addresses!.Form} whole copies are made: chosen tables, made rows and copies on another server are for {string.Join(" and ", KnownEngines.Subjects.Where(e => e.Ways.Contains(SubjectSides.Dumped)).Select(e => e.Name))}."
        : sides != SubjectSides.Dumped ? "Chosen tables, made rows and copies on another server want copies of a dump."
        : contents.MadeRows is not (null or (> 0 and <= MostMadeRows)) ? $"Made rows are a number above 0 and at most {MostMadeRows}, for each row of the subject: 1 makes as many."
        : contents.On is { } on && !engine.Addresses!.Owns(on) ? $"Copies stand on a {engine.Name} server: name it as {engine.Addresses.Form}."
        : null;
}
