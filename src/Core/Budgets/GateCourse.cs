using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Budgets;

/// <summary>A limit in one check.</summary>
/// <param name="Check">Its number.</param>
/// <param name="State">What became of the limit.</param>
/// <param name="Room">What of it was left, as a fraction; null where that has no meaning.</param>
/// <param name="Sentence">What was the case.</param>
public sealed record GatePoint(int Check, CheckState State, double? Room, string Sentence);

/// <summary>A limit through the checks of a book.</summary>
/// <param name="Latest">As it was in the chosen check, or where that has it no more, in the last one that had it.</param>
/// <param name="Points">In order; checks that do not have it are left out.</param>
/// <param name="Nears">That it may be broken soon, in words; null where nothing says so.</param>
public sealed record GateCourse(KeptItem Latest, IReadOnlyList<GatePoint> Points, string? Nears)
{
    /// <summary>With less room than that a limit is told before it breaks.</summary>
    private const double Little = 0.1;

    /// <summary>So many checks are looked at for how the room moves.</summary>
    private const int MostPoints = 40;

    /// <summary>The limits of the last check, the worst first, then those with the least room.</summary>
    /// <param name="checks">Of one book, in order.</param>
    public static IReadOnlyList<GateCourse> Of(IReadOnlyList<KeptCheck> checks)
    {
        if (checks.Count == 0)
        {
            return [];
        }

        // Several places of one rule of the house are one course, as its worst place was.
        var byKey = checks.SelectMany(c => c.Items.GroupBy(i => i.Key).Select(g => (Check: c.Number, Item: g.MinBy(Rank)!))).ToLookup(p => p.Item.Key);
        int last = checks[^1].Number;
        return
        [
            .. byKey.Select(k => k.ToList()).Where(k => k[^1].Check == last)
                .Select(k => new GateCourse(k[^1].Item, [.. k.Select(p => new GatePoint(p.Check, p.Item.State, p.Item.Room, p.Item.Sentence))], NearsOf([.. k.Select(p => p.Item)])))
                .OrderBy(c => Rank(c.Latest).State).ThenBy(c => c.Nears is null).ThenBy(c => c.Latest.Room ?? double.MaxValue),
        ];
    }

    private static (int State, double Room) Rank(KeptItem item) =>
        (item.State switch { CheckState.Broken => 0, CheckState.NotJudged => 1, CheckState.Excused => 2, CheckState.Noted => 3, _ => 4 }, item.Room ?? double.MaxValue);

    /// <summary>Whether the room is little, or gets less from check to check by a slope whose whole interval says so.</summary>
    private static string? NearsOf(IReadOnlyList<KeptItem> items)
    {
        KeptItem now = items[^1];
        if (now is not { State: CheckState.Kept, Room: { } room })
        {
            return null;
        }

        // A limit that was moved begins anew.
        double[] rooms = [.. items.Reverse().TakeWhile(i => i.Limit == now.Limit).Select(i => i.Room).OfType<double>().Take(MostPoints).Reverse()];
        TrendSlope? slope = TrendSlope.Of([[.. rooms.Select((r, i) => ((double)i, r))]]);
        if (slope is { High: < 0 } && Math.Ceiling(room / -slope.PerUnit) is var left && left <= rooms.Length)
        {
            return $"{Figures.Three(room * 100)} % of it is left, and at the pace of the last {Figures.Count(rooms.Length)} checks it is used up in about {Figures.Count((long)left)}.";
        }

        return room < Little ? room <= 0 ? "Nothing of it is left." : $"{Figures.Three(room * 100)} % of it is left." : null;
    }
}
