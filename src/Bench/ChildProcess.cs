using System.Diagnostics;

namespace SwiftLedger.Bench;

/// <summary>This program in another process, which ends with this one.</summary>
public static class ChildProcess
{
    /// <param name="verb">What it is to be.</param>
    /// <returns>With its standard input as a lifeline; what it says goes where this process's words go.</returns>
    public static ProcessStartInfo StartInfo(string verb)
    {
        ProcessStartInfo measuring = BenchProcess.StartInfo(verb, null);
        var info = new ProcessStartInfo(measuring.FileName) { RedirectStandardInput = true };
        foreach (string argument in measuring.ArgumentList)
        {
            info.ArgumentList.Add(argument);
        }

        return info;
    }

    /// <summary>Waits for whoever started this process to be gone.</summary>
    /// <param name="input">Standard input.</param>
    /// <param name="gone">Called then, on another thread.</param>
    public static void WhenGone(TextReader input, Action gone) => Lifeline.Watch(input, gone);
}
