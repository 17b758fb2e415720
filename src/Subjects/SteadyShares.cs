using SwiftLedger.Core.Plans;

namespace SwiftLedger.Subjects;

/// <summary>
/// Repeats a counted execution until two of them agree on where the time went: what one of them met by accident, a page that was read, another
/// process, is no share of an operator.
/// </summary>
internal static class SteadyShares
{
    private const int MostRuns = 5;

    /// <summary>Shares that differ by less are the same.</summary>
    private const double Apart = 0.03;

    /// <param name="first">Of an execution that is over; null where it told nothing.</param>
    /// <param name="again">Executes once more.</param>
    /// <param name="mayGoOn">Whether there is time for more than that.</param>
    /// <returns>The later of two executions that agree; where none do, the last one.</returns>
    public static Plan? Of(Plan? first, Func<Plan?> again, Func<bool> mayGoOn)
    {
        Plan? last = again();
        for (int run = 2; run < MostRuns && mayGoOn() && first is not null && last is not null && !Agree(first, last); run++)
        {
            (first, last) = (last, again());
        }

        return last;
    }

    private static bool Agree(Plan x, Plan y) => x.Text != y.Text || x.Lines().Zip(y.Lines()).All(o =>
        o.First.Operator.Counts?.Share is not { } a || o.Second.Operator.Counts?.Share is not { } b || Math.Abs(a - b) <= Apart);
}
