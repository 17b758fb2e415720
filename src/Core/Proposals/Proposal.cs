using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Proposals;

/// <summary>What kind of change is proposed.</summary>
public enum ProposalKind
{
    /// <summary>An index more.</summary>
    Index,

    /// <summary>An index less.</summary>
    Drop,

    /// <summary>A statement in other words.</summary>
    Rewrite,

    /// <summary>Fresh statistics.</summary>
    Statistics,

    /// <summary>One statement for a unit of several.</summary>
    Unit,

    /// <summary>A setting of the sessions.</summary>
    Setting,
}

/// <summary>What kinds of proposals have in common.</summary>
public static class ProposalKinds
{
    /// <summary>What is looked for where nobody says: settings, each of which is tried on the whole workload, only where they are asked for.</summary>
    public static readonly IReadOnlyList<ProposalKind> Usual = [.. Enum.GetValues<ProposalKind>().Where(k => k != ProposalKind.Setting)];

    /// <summary>Whether a statement is sent in other words: nothing in the database is altered.</summary>
    public static bool IsOtherWords(this ProposalKind kind) => kind is ProposalKind.Rewrite or ProposalKind.Unit;
}

/// <summary>What became of a proposal.</summary>
public enum ProposalFate
{
    /// <summary>It is in the set that is recommended.</summary>
    InSet,

    /// <summary>Nothing yet: what it brings is expected, and no trial has measured it.</summary>
    Open,

    /// <summary>It saves by itself, and not beside the others of the set.</summary>
    Needless,

    /// <summary>Its trial told no saving.</summary>
    NoSaving,

    /// <summary>Its trial made a statement dearer, or what it saves could not be told.</summary>
    NotTold,

    /// <summary>It goes beyond a limit that the user stated.</summary>
    BeyondLimit,

    /// <summary>It is another query: some database tells both apart.</summary>
    NotTheSame,

    /// <summary>It could not be built, or its trial could not be made.</summary>
    Failed,

    /// <summary>Somebody turned it down: it is neither measured nor in the set.</summary>
    TurnedDown,
}

/// <summary>What a trial of a proposal told.</summary>
/// <param name="Bill">Database-seconds a day of the lines that were measured.</param>
/// <param name="Change">95 % interval of its change.</param>
/// <param name="Expected">Database-seconds a day of the after side by exact work alone: each line's time before, times its work ratio.</param>
/// <param name="Regressed">Statements of which a line regressed.</param>
/// <param name="Improved">Statements of which a line improved.</param>
/// <param name="Lines">How many lines were measured.</param>
/// <param name="Untold">Statements without whose times the bill says nothing; empty where it holds.</param>
/// <param name="Writes">Database-seconds a day of the writes among the lines; null where none was measured.</param>
/// <param name="SizeBytes">What all indexes together take more, or less; null where sizes are not known.</param>
/// <param name="BuildMilliseconds">How long the change took on the copy.</param>
public sealed record MeasuredProposal(
    PerDay Bill, Interval Change, double? Expected, IReadOnlyList<string> Regressed, IReadOnlyList<string> Improved, int Lines, IReadOnlyList<string> Untold, PerDay? Writes, long? SizeBytes, double BuildMilliseconds)
{
    /// <summary>What a settled trial says.</summary>
    /// <param name="account">Of the trial, decided and not refused.</param>
    public static MeasuredProposal Of(TrialAccount account)
    {
        var bill = Trials.Bill.Of(account.Lines, account.Brief.Options.Seed);
        var items = bill.Items.ToDictionary(i => i.Line);
        double expected = 0;
        PerDay? writes = null;
        foreach (Line line in account.Lines)
        {
            if (!items.TryGetValue(line.Number, out BillItem? item))
            {
                continue;
            }

            expected += item.Seconds.Before * (line.Evidence.WorkRatio ?? 1);
            writes = line.Evidence.Before?.Writes == true ? new((writes?.Before ?? 0) + item.Seconds.Before, (writes?.After ?? 0) + item.Seconds.After) : writes;
        }

        static IReadOnlyList<string> Named(TrialAccount account, Verdict verdict) => [.. account.Lines.Where(l => l.Decision?.Verdict == verdict).Select(l => l.Brief.Statement).Distinct()];
        return new(
            bill.Seconds, bill.ChangeInterval, bill.Items.Count > 0 ? expected : null, Named(account, Verdict.Regressed), Named(account, Verdict.Improved), account.Lines.Count,
            [.. bill.Untold.Select(l => l.Statement).Distinct()], writes, SizeOf(account), account.Applied.Sum(a => a.Seconds) * 1_000);
    }

    private static long? SizeOf(TrialAccount account)
    {
        static long? Pages(Plans.Catalog? catalog) => catalog?.Tables.SelectMany(t => t.Indexes).Select(i => i.Pages).Aggregate((long?)0, (sum, pages) => sum + pages);
        return Pages(account.Catalogs?.After) - Pages(account.Catalogs?.Before) is { } pages ? pages * account.Catalogs!.After!.PageSize : null;
    }
}

/// <summary>A change that may save something, and what its trial told.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="Title">In a few words.</param>
/// <param name="Reason">Why it is proposed, before anything was measured.</param>
/// <param name="Sql">What applies it.</param>
/// <param name="Undo">What takes it back.</param>
/// <param name="Statements">Those for which it is made, or which it might hurt.</param>
/// <param name="Measured">Null where it was not measured.</param>
/// <param name="Fate">What became of it.</param>
/// <param name="Message">Why it is not in the set; empty where it is.</param>
public sealed record Proposal(
    ProposalKind Kind, string Title, string Reason, string Sql, string Undo, IReadOnlyList<string> Statements, MeasuredProposal? Measured, ProposalFate Fate, string Message)
{
    /// <summary>Of a rewrite, why it is the same query; null for what gives the same rows by its nature.</summary>
    public RewriteProof? Proof { get; init; }

    /// <summary>What the whole workload is expected to do in a day, by what was counted on a copy that had all candidates; null where nothing could be counted.</summary>
    public ExpectedWork? Expected { get; init; }

    /// <summary>What an index took on that copy; null where that is not known.</summary>
    public long? ExpectedBytes { get; init; }

    /// <summary>What it was made for.</summary>
    public ProposalGround? Ground { get; init; }

    /// <summary>Indexes that begin with fewer of the same columns, whose place an index takes.</summary>
    public IReadOnlyList<string> Replaces { get; init; } = [];

    /// <summary>Of one in the set, by what fraction the work of the workload falls once it stands beside the others; null where that was not counted.</summary>
    public double? Within { get; init; }

    /// <summary>The trial that measured it, by its number in the ledger; null where it is kept nowhere.</summary>
    public long? Trial { get; init; }
}

/// <summary>Work of a whole workload, in the engine's primary counter a day.</summary>
public sealed record ExpectedWork(double Before, double After);

/// <summary>What the user allows.</summary>
/// <param name="MostIndexes">That may be added.</param>
/// <param name="MostBytes">That all added indexes may take; null for no bound.</param>
/// <param name="WritesAtMost">By what fraction writes may get dearer; null for no bound.</param>
public sealed record ProposalLimits(int MostIndexes = 5, long? MostBytes = null, double? WritesAtMost = null)
{
    /// <summary>So many candidates are measured for each index that may be added: some of them save nothing, and take nobody's place.</summary>
    private const int MostTries = 2;

    /// <summary>Whether one more candidate is measured.</summary>
    /// <param name="kept">Indexes that were measured and save.</param>
    /// <param name="measured">All that were measured.</param>
    /// <param name="bytes">Of those that save.</param>
    /// <param name="more">That the next one takes; null where that is not known.</param>
    public bool Allow(int kept, int measured, long bytes, long? more) => kept < MostIndexes && measured < MostIndexes * MostTries && !(bytes + (more ?? 0) > MostBytes);
}

/// <summary>The rules by which a measured proposal is recommended.</summary>
public static class ProposalRule
{
    /// <summary>A bill within this fraction is level: the band of a trial.</summary>
    private const double LevelWithin = 0.05;

    /// <summary>What became of a measured proposal, taken by itself.</summary>
    /// <param name="kind">What it is.</param>
    /// <param name="measured">Its trial.</param>
    /// <param name="limits">Of the user.</param>
    /// <returns>The fate, and why it is not in the set.</returns>
    public static (ProposalFate Fate, string Message) Judge(ProposalKind kind, MeasuredProposal measured, ProposalLimits limits)
    {
        if (measured.Untold.Count > 0)
        {
            return (ProposalFate.NotTold, $"{string.Join(", ", measured.Untold)}: not timed long enough for a bill.");
        }

        if (measured.Bill.Before <= 0)
        {
            return (ProposalFate.NotTold, "The workload does not say how often any of its statements runs: there is no bill.");
        }

        if (limits.WritesAtMost is { } most && measured.Writes is { Before: > 0 } writes && writes.After > writes.Before * (1 + most))
        {
            return (ProposalFate.BeyondLimit, "It makes writes dearer than was allowed.");
        }

        // An index more must save, and so must other words; an index less must not cost, and saves its room and its upkeep. Two equal copies may differ by a little.
        return kind != ProposalKind.Drop
            ? measured.Change.High < 0 && measured.Improved.Count > 0 ? (ProposalFate.InSet, "") : (ProposalFate.NoSaving, "The bill does not fall.")
            : measured.Regressed.Count > 0 ? (ProposalFate.NoSaving, $"{string.Join(", ", measured.Regressed)} would be dearer.")
            : measured.Change.Low > measured.Bill.Before * LevelWithin ? (ProposalFate.NoSaving, "The bill rises.")
            : (ProposalFate.InSet, "");
    }
}
