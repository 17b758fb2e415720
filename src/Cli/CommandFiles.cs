using System.Text;
using SwiftLedger.Bench;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Cli;

/// <summary>The files that a command reads and writes, and what it says where one of them is at fault.</summary>
internal static class CommandFiles
{
    /// <returns>The text; null where it cannot be read, which is told.</returns>
    public static string? Read(string path, string what)
    {
        try
        {
            return TextOf(path, what);
        }
        catch (InputTextException e)
        {
            Console.Error.WriteLine(e.Message);
            return null;
        }
    }

    /// <exception cref="InputTextException">It cannot be read; the message names the file.</exception>
    public static string TextOf(string path, string what)
    {
        try
        {
            return InputText.Read(path, TrialLimits.LongestText);
        }
        catch (InputTextException e)
        {
            throw new InputTextException($"The {what} file '{path}' {e.Message}");
        }
    }

    /// <summary>Writes the reports that were asked for.</summary>
    /// <param name="reports">Paths with what goes there; null for those that were not asked for.</param>
    /// <returns>False where one cannot be written, which is told.</returns>
    public static bool Write(params IEnumerable<(string? Path, Func<string> Text)> reports)
    {
        foreach ((string? path, Func<string> text) in reports)
        {
            try
            {
                if (path is not null)
                {
                    File.WriteAllText(path, text(), new UTF8Encoding(false));
                }
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                Console.Error.WriteLine($"'{path}' cannot be written: {e.Message}");
                return false;
            }
        }

        return true;
    }

    /// <summary>Tells what is wrong with files that were handed in, by their names.</summary>
    public static void Report(IReadOnlyList<InputProblem> problems, string workload, string? change)
    {
        foreach (InputProblem problem in problems)
        {
            Console.Error.WriteLine(problem.Part switch
            {
                InputPart.Workload => problem.Describe(workload),
                InputPart.Change => problem.Describe(change ?? "change"),
                _ => problem.Message,
            });
        }
    }

    /// <summary>Runs what measures on copies; where it dies or is stopped, says so.</summary>
    /// <param name="progress">Cleared before anything is said.</param>
    /// <param name="measure">Gives what the command ends with.</param>
    /// <returns>What the command ends with.</returns>
    public static async Task<int> MeasuredAsync(TerminalProgress progress, Func<Task<int>> measure)
    {
        try
        {
            return await measure();
        }
        catch (Exception e) when (e is BenchProcessException or OperationCanceledException)
        {
            progress.Clear();
            await Console.Error.WriteLineAsync(e is BenchProcessException ? e.Message : "Cancelled; the copies are removed.");
            return ExitCode.NotMeasured;
        }
    }

    public static int Refuse(string message)
    {
        Console.Error.WriteLine(message);
        return ExitCode.BadInput;
    }
}
