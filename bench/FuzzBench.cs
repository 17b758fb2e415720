using System.Diagnostics;
using System.Globalization;
using SwiftLedger.Fuzzing;

namespace SwiftLedger.Benchmarks;

/// <summary>
/// A night's work and no measurement: a million texts that are nearly right, drawn anew at each run, go through all that reads texts from outside.
/// Named by itself only; <c>SWIFT_LEDGER_FUZZ_TEXTS</c> says how many.
/// </summary>
internal static class FuzzBench
{
    private const int Texts = 1_000_000;

    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(20);

    public static Task RunAsync()
    {
        int texts = int.TryParse(Environment.GetEnvironmentVariable("SWIFT_LEDGER_FUZZ_TEXTS"), CultureInfo.InvariantCulture, out int given) ? given : Texts;
        ulong seed = (ulong)Stopwatch.GetTimestamp();
        IReadOnlyList<string> real = FuzzTargets.Texts(Path.Combine(AppContext.BaseDirectory, "texts"));
        Console.WriteLine($"{texts:N0} texts made of {real.Count} real ones (the demo's and the ledger's SQL, PostgreSQL's own scripts, logs, traces, plans), seed {seed}");
        long most = 0;
        foreach ((string name, Action<string> run) in FuzzTargets.All)
        {
            var mutations = new Mutations(real, seed);
            string current = "", failure = "";
            long started = Stopwatch.GetTimestamp();
            int done = 0;
            var thread = new Thread(() =>
            {
                for (int i = 0; i < texts / FuzzTargets.All.Count && failure.Length == 0; i++)
                {
                    current = mutations.Next();
                    Interlocked.Exchange(ref started, Stopwatch.GetTimestamp());
                    try
                    {
                        run(current);
                    }
                    catch (Exception e)
                    {
                        failure = $"{e.GetType().Name}: {e.Message}\n{e.StackTrace}";
                    }

                    done++;
                }
            }, 16 << 20)
            { IsBackground = true };
            thread.Start();
            while (!thread.Join(1_000))
            {
                most = Math.Max(most, Environment.WorkingSet);
                if (Stopwatch.GetElapsedTime(Interlocked.Read(ref started)) > Longest)
                {
                    failure = $"It took longer than {Longest.TotalSeconds} s.";
                    break;
                }
            }

            Console.WriteLine($"{name,-10} {done:N0} texts: {(failure.Length == 0 ? "nothing broke" : failure + "\n" + current)}");
        }

        Console.WriteLine($"largest resident size {most >> 20} MiB");
        return Task.CompletedTask;
    }
}
