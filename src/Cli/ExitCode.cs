using SwiftLedger.Core.Trials;

namespace SwiftLedger.Cli;

/// <summary>What the command line says to whoever called it; a contract, see docs/formats.md and <see cref="Outcome"/>.</summary>
internal static class ExitCode
{
    public const int Good = (int)Outcome.Good, Regressed = (int)Outcome.Regressed, BadInput = (int)Outcome.BadInput, NotMeasured = (int)Outcome.NotMeasured;
}
