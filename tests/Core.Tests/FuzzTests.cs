using SwiftLedger.Fuzzing;
using Xunit;

namespace SwiftLedger.Core.Tests;

/// <summary>Texts from outside may be anything: nothing throws, runs for ever or grows. A million of them by <c>./swift-ledger bench fuzz</c>.</summary>
public class FuzzTests
{
    private const int TextsOfEach = 2_500;

    /// <summary>Far beyond what any machine takes for a text of some kilobytes: only what never ends reaches it.</summary>
    private static readonly TimeSpan Never = TimeSpan.FromMinutes(2);

    public static TheoryData<string> Targets => [.. FuzzTargets.All.Select(t => t.Name)];

    [Theory]
    [MemberData(nameof(Targets))]
    public void No_text_breaks_what_reads_it(string target)
    {
        Action<string> run = FuzzTargets.All.First(t => t.Name == target).Run;
        IReadOnlyList<string> real = FuzzTargets.Texts(Path.Combine(AppContext.BaseDirectory, "texts"));
        foreach (string text in real.Where(t => t.Length < 20_000))
        {
            run(text);
        }

        var mutations = new Mutations(real, 20_261_128);
        string current = "";
        string? failure = null;
        var thread = new Thread(() =>
        {
            for (int i = 0; i < TextsOfEach; i++)
            {
                current = mutations.Next();
                try
                {
                    run(current);
                }
                catch (Exception e)
                {
                    failure = $"{e.GetType().Name}: {e.Message}\n{e.StackTrace}\n{current}";
                    return;
                }
            }
        }, 16 << 20);
        thread.Start();
        Assert.True(thread.Join(Never), $"It does not end: {current}");
        Assert.True(failure is null, failure);
    }
}
