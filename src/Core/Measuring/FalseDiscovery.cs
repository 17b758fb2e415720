namespace SwiftLedger.Core.Measuring;

/// <summary>
/// Which of many findings to believe. Y. Benjamini and Y. Hochberg, "Controlling the False Discovery Rate: A Practical
/// and Powerful Approach to Multiple Testing" (1995), the step-up procedure.
/// </summary>
public static class FalseDiscovery
{
    /// <param name="pValues">One p-value for each hypothesis, in any order.</param>
    /// <param name="rate">The expected share of false findings among the believed ones, at most.</param>
    /// <returns>For each hypothesis, in order, whether it is rejected, that is, the finding believed.</returns>
    public static IReadOnlyList<bool> Believed(IReadOnlyList<double> pValues, double rate)
    {
        int[] order = Enumerable.Range(0, pValues.Count).OrderBy(i => pValues[i]).ToArray();
        int last = -1;
        for (int k = 0; k < order.Length; k++)
        {
            if (pValues[order[k]] <= (k + 1) * rate / order.Length)
            {
                last = k;
            }
        }

        var believed = new bool[pValues.Count];
        for (int k = 0; k <= last; k++)
        {
            believed[order[k]] = true;
        }

        return believed;
    }
}
