using SwiftLedger.Core.Proposals.Counterexamples;

namespace SwiftLedger.Subjects;

/// <summary>What units of work give in a small database.</summary>
internal static class SmallResults
{
    /// <param name="loop">That only reads.</param>
    /// <param name="most">Rows that are kept.</param>
    public static SmallResult Of(UnitLoop loop, int most)
    {
        var rows = new List<string>();
        loop.Read(new(), shown =>
        {
            if (rows.Count < most)
            {
                rows.Add(string.Join(", ", shown().Values.Select(v => v.Value)));
            }
        }, shows: true, whole: true);
        return new(rows, null);
    }
}
