using System.Collections.Concurrent;

namespace SwiftLedger.Bench;

/// <summary>
/// Standard input as a lifeline: where it ends, whoever started this process is gone, and so is any use of what it does. The system closes it however
/// that process ended, also where it was killed.
/// </summary>
internal static class Lifeline
{
    /// <summary>Hands over lines as they come.</summary>
    /// <param name="gone">Called where the input has ended, also in the middle of the work on a line.</param>
    public static BlockingCollection<string> Lines(TextReader input, Action gone)
    {
        var lines = new BlockingCollection<string>();
        Start(() =>
        {
            while (input.ReadLine() is { } line)
            {
                lines.Add(line);
            }

            gone();
        });
        return lines;
    }

    /// <summary>Waits for the end of the input.</summary>
    public static void Watch(TextReader input, Action gone) => Start(() =>
    {
        while (input.Read() >= 0)
        {
        }

        gone();
    });

    private static void Start(ThreadStart work) => new Thread(work) { IsBackground = true, Name = "lifeline" }.Start();
}
