namespace SwiftLedger.Core.Trials;

/// <summary>How two trials agree about a line.</summary>
public enum Agreement
{
    /// <summary>Dearer in one and not in the other, or cheaper in one and not in the other, or failed in one alone.</summary>
    Disagree,

    /// <summary>Both the same way, but the intervals of the two changes lie apart by more than what counts as level.</summary>
    ByDegree,

    /// <summary>One of them settled it, the other did not.</summary>
    Open,

    Agree,

    /// <summary>Only one of them has it.</summary>
    OnlyOne,
}

/// <summary>A line of two trials.</summary>
/// <param name="First">Null where the first trial has no such line.</param>
/// <param name="Second">Likewise.</param>
/// <param name="Agreement">How far they agree.</param>
public sealed record LineBeside(Line? First, Line? Second, Agreement Agreement);

/// <summary>Two trials held against each other: the same change on two engines, versions, sizes or days.</summary>
public static class TrialsBeside
{
    /// <summary>Lines with a partner by statement and case; where names do not match, by pattern and case. Where they disagree comes first.</summary>
    /// <param name="first">Decided lines.</param>
    /// <param name="second">Decided lines of another trial.</param>
    public static IReadOnlyList<LineBeside> Of(IReadOnlyList<Line> first, IReadOnlyList<Line> second)
    {
        var left = second.ToList();
        Line? Take(Func<Line, bool> fits)
        {
            int at = left.FindIndex(l => fits(l));
            if (at < 0)
            {
                return null;
            }

            Line found = left[at];
            left.RemoveAt(at);
            return found;
        }

        // Names go first for all lines: a pattern may stand under several.
        Line?[] partners = [.. first.Select(f => Take(s => s.Brief.Statement == f.Brief.Statement && s.Brief.Case == f.Brief.Case))];
        var rows = new List<LineBeside>();
        for (int i = 0; i < first.Count; i++)
        {
            Line? partner = partners[i] ?? Take(s => s.Brief.Pattern == first[i].Brief.Pattern && s.Brief.Case == first[i].Brief.Case);
            rows.Add(new(first[i], partner, partner is null ? Agreement.OnlyOne : Of(first[i], partner)));
        }

        rows.AddRange(left.Select(l => new LineBeside(null, l, Agreement.OnlyOne)));
        return [.. rows.OrderBy(r => r.Agreement).ThenByDescending(r => Apart(r))];
    }

    private static Agreement Of(Line a, Line b)
    {
        Verdict? x = a.Decision?.Verdict, y = b.Decision?.Verdict;
        return (x, y) switch
        {
            (null or Verdict.Unsettled, null or Verdict.Unsettled) => Agreement.Agree,
            (null or Verdict.Unsettled, _) or (_, null or Verdict.Unsettled) => Agreement.Open,
            _ when x != y => Agreement.Disagree,
            (Verdict.Regressed or Verdict.Improved, _) when IntervalsApart(a, b) => Agreement.ByDegree,
            _ => Agreement.Agree,
        };
    }

    private static bool IntervalsApart(Line a, Line b) => a.Judgement is { HasInterval: true, Comparison: { } x } && b.Judgement is { HasInterval: true, Comparison: { } y }
        && Math.Max(x.Low - y.High, y.Low - x.High) > Math.Log(1 + Math.Max(a.Brief.Tolerance, b.Brief.Tolerance));

    private static double Apart(LineBeside row) => Math.Abs((row.First?.Judgement.Comparison?.LogRatio ?? 0) - (row.Second?.Judgement.Comparison?.LogRatio ?? 0));
}
