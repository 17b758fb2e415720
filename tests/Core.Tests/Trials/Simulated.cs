using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Tests.Trials;

/// <summary>Blocks from a stated distribution, measured by the rule that measures real ones.</summary>
internal static class Simulated
{
    private const double Microseconds = 1_000;

    /// <summary>Blocks of exactly one ratio.</summary>
    /// <param name="logRatio">ln(after / before) of each.</param>
    public static List<Block> Blocks(double logRatio, int count) => [.. Enumerable.Range(0, count).Select(i => Block(i, logRatio))];

    public static List<Block> Blocks(IEnumerable<double> logRatios) => [.. logRatios.Select((r, i) => Block(i, r))];

    /// <summary>One line until the rule has enough of it, with normal noise by the sum of twelve uniforms.</summary>
    public static (LineEnd End, List<Block> Blocks) Session(SequentialRule rule, SplitMix random, double effect, double deviation)
    {
        var blocks = new List<Block>();
        while (true)
        {
            double noise = -6;
            for (int i = 0; i < 12; i++)
            {
                noise += random.Unit();
            }

            blocks.Add(Block(blocks.Count, effect + (deviation * noise)));
            if (rule.EndAfter(blocks) is { } end)
            {
                return (end, blocks);
            }
        }
    }

    private static Block Block(int at, double logRatio) => new(at, at % 2 == 0, Microseconds, Microseconds * Math.Exp(logRatio), Microseconds, Microseconds, 0, 0, false);
}
