using SwiftLedger.Core.Trials;

namespace SwiftLedger.Cli;

/// <summary>Limited options, as the command names them.</summary>
internal static class OptionNames
{
    public static string Sentence(OptionProblem problem) => $"{Of(problem.Option)} {problem.Must}.";

    private static string Of(LimitedOption option) => option switch
    {
        LimitedOption.Tolerance => "--tolerance",
        LimitedOption.StatementSeconds => "--statement-seconds",
        LimitedOption.MaxSeconds => "--max-seconds",
        LimitedOption.ChangeSeconds => "--change-seconds",
        LimitedOption.ChangeGigabytes => "--change-gigabytes",
        LimitedOption.MostGigabytes => "--most-gigabytes",
        _ => "--most-megabytes",
    };
}
