using System.Reflection;

namespace SwiftLedger.Core.Wording;

/// <summary>Which program this is.</summary>
public static class ProgramVersion
{
    /// <summary>By semantic versioning, 2.0.0; all parts of the program have the same.</summary>
    public static string Current { get; } = typeof(ProgramVersion).Assembly.GetCustomAttribute<AssemblyInformationalVersionAttribute>()!.InformationalVersion;
}
