using SwiftLedger.Core.Engines;

namespace SwiftLedger.Cli;

/// <summary>The ways to two sides, as the command names them.</summary>
internal static class SidesNames
{
    public static IReadOnlyDictionary<string, SubjectSides> All { get; } = Enum.GetValues<SubjectSides>().ToDictionary(Of, StringComparer.Ordinal);

    public static string Of(SubjectSides sides) => sides switch
    {
        SubjectSides.AsItIs => "as-is",
        SubjectSides.RolledBack => "rolled-back",
        SubjectSides.InPlace => "in-place",
        _ => sides.ToString().ToLowerInvariant(),
    };
}
