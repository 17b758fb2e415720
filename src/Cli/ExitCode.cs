namespace SwiftLedger.Cli;

/// <summary>What the command line says to whoever called it; a contract, see docs/formats.md.</summary>
internal static class ExitCode
{
    public const int Good = 0;

    /// <summary>A line regressed, broke on the after side only, or a rewrite's rows differ.</summary>
    public const int Regressed = 1;

    /// <summary>Bad usage or input; nothing was measured.</summary>
    public const int BadInput = 2;

    /// <summary>The trial or a line could not be measured on the before side.</summary>
    public const int NotMeasured = 3;
}
