using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>A trial of any book, to choose from.</summary>
public sealed record TrialListItem(long Id, long BookId, string BookName, string Title, TrialState State, string At, string? Headline, IReadOnlyList<Stem> Stems);

/// <summary>One of two trials that stand side by side.</summary>
public sealed record BesideSide(long Id, long BookId, string BookName, string Title, TrialState State, string? Headline, double BeforeSecondsPerDay, double AfterSecondsPerDay, IReadOnlyList<Stem> Stems);

/// <summary>In what the two trials were made otherwise.</summary>
public sealed record BesideFact(string Name, string First, string Second);

/// <param name="Number">The line's in its trial.</param>
/// <param name="Low">Of the ratio's interval; null where there is none.</param>
public sealed record BesideCell(int Number, Verdict? Verdict, Basis? Basis, double? Ratio, double? Low, double? High, double? BeforeMs, double? AfterMs, double TolerancePercent);

public sealed record BesideRow(string Statement, string Case, Agreement Agreement, BesideCell? First, BesideCell? Second);

/// <summary>Two trials side by side, where they disagree first.</summary>
/// <param name="Sentence">How far they agree.</param>
/// <param name="Facts">Only what differs; empty where all that is known is the same.</param>
public sealed record BesideView(string Sentence, BesideSide First, BesideSide Second, IReadOnlyList<BesideFact> Facts, IReadOnlyList<BesideRow> Rows)
{
    internal static BesideView Of((TrialRecord Trial, BookRecord Book, TrialAccount Account, ResultDocument Result) a, (TrialRecord Trial, BookRecord Book, TrialAccount Account, ResultDocument Result) b)
    {
        IReadOnlyList<LineBeside> rows = TrialsBeside.Of(a.Account.Lines, b.Account.Lines);
        return new(SentenceOf(rows), SideOf(a.Trial, a.Book, a.Result), SideOf(b.Trial, b.Book, b.Result), FactsOf(a, b),
            [.. rows.Select(r => new BesideRow((r.First ?? r.Second)!.Brief.Statement, (r.First ?? r.Second)!.Brief.Case, r.Agreement, CellOf(r.First), CellOf(r.Second)))]);
    }

    private static string SentenceOf(IReadOnlyList<LineBeside> rows)
    {
        int Count(Agreement a) => rows.Count(r => r.Agreement == a);
        int both = rows.Count - Count(Agreement.OnlyOne);
        if (both == 0)
        {
            return "The two trials have no line in common.";
        }

        (int Number, string Word)[] parts = [(Count(Agreement.Disagree), "decided otherwise"), (Count(Agreement.ByDegree), "moved by another degree"), (Count(Agreement.Open), "settled in one alone")];
        List<string> told = [.. parts.Where(p => p.Number > 0).Select(p => $"{Figures.Count(p.Number)} {p.Word}")];
        return told.Count == 0 ? $"The two trials agree on all {Figures.Count(both)} lines that they have in common." : $"Of {Figures.Count(both)} lines in common, {string.Join(", ", told)}.";
    }

    private static BesideSide SideOf(TrialRecord t, BookRecord book, ResultDocument r) =>
        new(t.Id, t.BookId, book.Name, t.Title, t.State, t.Headline, r.Bill.BeforeSecondsPerDay, r.Bill.AfterSecondsPerDay, TrialStore.StemsOf(t));

    private static BesideCell? CellOf(Line? line)
    {
        if (line is null)
        {
            return null;
        }

        ResultLine r = ResultLine.Of(line);
        return new(r.Number, r.Verdict, r.Basis, TextTable.ChangeOf(r), r.Time?.Low, r.Time?.High, r.Time?.BeforeMs, r.Time?.AfterMs, r.TolerancePercent);
    }

    private static List<BesideFact> FactsOf((TrialRecord Trial, BookRecord Book, TrialAccount Account, ResultDocument Result) a, (TrialRecord Trial, BookRecord Book, TrialAccount Account, ResultDocument Result) b)
    {
        Dictionary<string, string> x = TextTable.Facts(a.Result).ToDictionary(f => f.Name, f => f.Value), y = TextTable.Facts(b.Result).ToDictionary(f => f.Name, f => f.Value);
        foreach ((Dictionary<string, string> facts, ResultDocument result) in new[] { (x, a.Result), (y, b.Result) })
        {
            foreach ((string name, string value) in result.Subject.Settings ?? new Dictionary<string, string>())
            {
                facts[name] = value;
            }
        }

        List<BesideFact> differ = [.. x.Keys.Union(y.Keys).Select(n => new BesideFact(n, x.GetValueOrDefault(n, "unknown"), y.GetValueOrDefault(n, "unknown"))).Where(f => f.First != f.Second)];
        if (Plain(a.Trial.ChangeText) != Plain(b.Trial.ChangeText))
        {
            differ.Insert(0, new("change", "another text", "another text"));
        }

        return differ;
    }

    private static string Plain(string sql) => string.Join(' ', sql.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
}
