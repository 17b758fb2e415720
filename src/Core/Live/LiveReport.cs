using System.Globalization;
using System.Text;
using System.Text.Json;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Live;

/// <summary>What was seen of a server, as lines for a terminal and as JSON (<c>swift-ledger/live/1</c>).</summary>
public static class LiveReport
{
    public const string Schema = "swift-ledger/live/1";

    private const int PatternsShown = 15;

    private static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web) { WriteIndented = true };

    public static string Line(LoadStretch s) => string.Create(CultureInfo.InvariantCulture, $"{s.From:HH:mm:ss}  {Figures.Three(s.Active),6} active{Kinds(s.ByKind.ToDictionary(k => k.Key, k => k.Value))}");

    /// <summary>Who waits for whom, two spaces a level; empty where nobody does.</summary>
    public static string Tree(IReadOnlyList<WaitNode> roots)
    {
        var text = new StringBuilder();
        var open = new Stack<(int Depth, WaitNode Node)>(roots.Reverse().Select(r => (0, r)));
        while (open.TryPop(out (int Depth, WaitNode Node) next))
        {
            SessionState s = next.Node.Session;
            string age = s.TransactionSeconds is { } t ? $", transaction open for {Figures.Duration(t * 1e6)}" : "";
            string waits = s.WaitKind == "Lock" ? $", waits for {s.WaitFor}" : "";
            string holds = next.Node.All > 0 ? $", {next.Node.All} wait for it" : "";
            text.Append(' ', 2 * next.Depth).Append(CultureInfo.InvariantCulture, $"{s.Id} {s.User} {s.Application} ({s.State}{age}{waits}{holds}): {Figures.Shortened(s.Sql)}\n");
            foreach (WaitNode below in next.Node.Waiting.Reverse())
            {
                open.Push((next.Depth + 1, below));
            }
        }

        return text.ToString();
    }

    /// <summary>The patterns that were seen active the most.</summary>
    public static string Patterns(LoadFold fold)
    {
        long all = fold.Patterns.Sum(p => p.Seen);
        return string.Concat(fold.Patterns.Take(PatternsShown).Select(p =>
            $"{Figures.Percent(p.Seen / (double)Math.Max(1, all)),7}{Kinds(p.ByKind.ToDictionary(k => k.Key, k => k.Value / (double)p.Seen), asShares: true)}  {Figures.Shortened(p.Sql)}\n"));
    }

    public static string Json(LoadFold fold) => JsonSerializer.Serialize(new { Schema, fold.Course, fold.Patterns, PileUps = fold.PileUps.Select(p => new { p.At, p.Sessions }) }, Options);

    private static string Kinds(Dictionary<string, double> kinds, bool asShares = false) =>
        string.Concat(kinds.OrderByDescending(k => k.Value).Select(k => $"  {k.Key} {(asShares ? Figures.Percent(k.Value) : Figures.Three(k.Value))}"));
}
