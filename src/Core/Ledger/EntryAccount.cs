namespace SwiftLedger.Core.Ledger;

/// <summary>An entry with all that was posted about it later.</summary>
/// <param name="Begun">The entry that proposed it.</param>
/// <param name="Later">Entries that carry it on, in their order.</param>
public sealed record EntryAccount(Entry Begun, IReadOnlyList<Entry> Later)
{
    /// <summary>Where it stands now: what was posted last, corrections aside.</summary>
    public EntryState State => Later.LastOrDefault(e => e.State != EntryState.Corrected)?.State ?? EntryState.Proposed;

    /// <summary>The deployment that brought it; null while it is not live.</summary>
    public EntryDeployment? Deployment => State == EntryState.Withdrawn ? null : Later.LastOrDefault(e => e.Deployment is not null)?.Deployment;

    /// <summary>What came of it, as it was posted; null until then.</summary>
    public Reconciliation? Outcome => Later.LastOrDefault(e => e.State is EntryState.Reconciled or EntryState.Deployed) is { State: EntryState.Reconciled } posted ? posted.Outcome : null;

    /// <summary>All of a ledger that began something, in its order.</summary>
    /// <param name="entries">From the first on.</param>
    public static IReadOnlyList<EntryAccount> Of(IReadOnlyList<Entry> entries)
    {
        ILookup<int?, Entry> later = entries.Where(e => e.Of is not null).ToLookup(e => e.Of);

        // In a ledger that somebody edited, two may have one number.
        return [.. entries.Where(e => e.Of is null && e.State != EntryState.Resumed).DistinctBy(e => e.Number).Select(e => new EntryAccount(e, [.. later[e.Number]]))];
    }

    /// <summary>Why something cannot be posted about it now; null where it can.</summary>
    /// <param name="next">What would be posted.</param>
    public string? Refusal(EntryState next) => (State, next) switch
    {
        (_, EntryState.Corrected) => null,
        (EntryState.Withdrawn, _) => $"Entry {Begun.Number} was withdrawn: another entry may propose it again.",
        (EntryState.Reconciled, EntryState.Reconciled) => $"Entry {Begun.Number} is reconciled already; a deployment begins that anew.",
        (EntryState.Proposed, EntryState.Reconciled) => $"Entry {Begun.Number} is not live yet.",
        (_, EntryState.Proposed or EntryState.Resumed) => "It begins an entry of its own.",
        _ => null,
    };
}
