namespace SwiftLedger.Core.Measuring;

/// <summary>Spearman's rank correlation: Pearson's of ranks, where equal values share the average of theirs.</summary>
public static class RankCorrelation
{
    /// <summary>Between the order of values and the order in which they are given.</summary>
    /// <param name="ordered">Places from 0 in which values were given, by ascending value; equal values as one group.</param>
    /// <returns>From -1 to 1; 0 where there is one value only.</returns>
    public static double Of(IEnumerable<IReadOnlyList<int>> ordered)
    {
        List<IReadOnlyList<int>> groups = [.. ordered];
        double n = groups.Sum(g => g.Count), middle = (n - 1) / 2, together = 0, values = 0, before = 0;
        foreach (IReadOnlyList<int> group in groups)
        {
            double rank = before + ((group.Count - 1) / 2.0) - middle;
            together += group.Sum(place => rank * (place - middle));
            values += rank * rank * group.Count;
            before += group.Count;
        }

        double places = n * ((n * n) - 1) / 12;
        return values <= 0 || places <= 0 ? 0 : together / Math.Sqrt(values * places);
    }
}
