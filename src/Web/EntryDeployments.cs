using System.Globalization;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Sql;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>Which deployment brought what an entry proposes, and which deployments no entry speaks of.</summary>
internal sealed class EntryDeployments(BookStore books, DeploymentStore deployments, TrialStore trials, RehearsalStore rehearsals)
{
    /// <summary>What was deployed since it was posted and holds its change; null for nothing.</summary>
    public EntryDeployment? Of(long book, EntryAccount entry)
    {
        IReadOnlyList<DeploymentRecord> all = deployments.OfBook(book);
        string brings = BringsOf([entry]).GetValueOrDefault(entry.Begun.Number, "");
        return EntryMatch.Of(entry.Begun.Change, brings, PostedOf(entry), all.Select(d => new SeenDeployment(d.Time, d.Version, d.Script)), DialectOf(book)) is not { } found ? null
            : new(Iso.Of(found.At), found.Version, all.First(d => d.Time == found.At && d.Script == found.Script).AfterAt is { } after
                ? $"a look at the catalogue found what it brings, which came at some time since {Iso.Of(new DateTime(after, DateTimeKind.Utc))[..16].Replace('T', ' ')}" : "its statements ran in this deployment");
    }

    /// <summary>Whether an entry's change is seen by statements that run in the database, or else by statements that the application sends.</summary>
    public bool RunsInDatabase(long book, EntryAccount entry) => EntryMatch.HasStatements(entry.Begun.Change, DialectOf(book));

    /// <summary>Those that were noticed and that no entry speaks of, or waits for; in their order.</summary>
    public IReadOnlyList<DeploymentRecord> WithoutEntry(long book, IReadOnlyList<DeploymentRecord> all, IReadOnlyList<EntryAccount> accounts)
    {
        HashSet<string> announced = [.. accounts.Select(a => a.Deployment?.At).OfType<string>()];
        List<DeploymentRecord> left = [.. all.Where(d => d.Noticed && !announced.Contains(Iso.Of(d.Time)) && !(d.LookedAt is { } at && announced.Contains(Iso.Of(new DateTime(at, DateTimeKind.Utc)))))];
        if (left.Count == 0)
        {
            return left;
        }

        // What brings what an entry proposes becomes that entry's in a moment, or once somebody has said which of two it is.
        List<EntryAccount> proposed = [.. accounts.Where(a => a.State == EntryState.Proposed)];
        Dictionary<int, string> brings = BringsOf(proposed);
        SqlDialect dialect = DialectOf(book);
        List<SoughtChange> sought = [.. proposed.Select(a => new SoughtChange(a.Begun.Change, brings.GetValueOrDefault(a.Begun.Number, ""), PostedOf(a), dialect))];
        return [.. left.Where(d => EntryMatch.Signs(d.Script, dialect) is var ran && !sought.Exists(s => s.CameWith(d.Time, ran)))];
    }

    private static DateTime PostedOf(EntryAccount entry) => DateTimeOffset.Parse(entry.Begun.At, CultureInfo.InvariantCulture).UtcDateTime;

    /// <summary>By the number of the entry. A ledger that was taken in from elsewhere names trials and rehearsals of elsewhere: only one of the same change counts.</summary>
    private Dictionary<int, string> BringsOf(IReadOnlyList<EntryAccount> entries)
    {
        var found = new Dictionary<int, string>();
        Find(e => e.Begun.Trial, trials.Brings);
        Find(e => e.Begun.Rehearsal, rehearsals.Brings);
        return found;

        void Find(Func<EntryAccount, long?> of, Func<IReadOnlyCollection<long>, IReadOnlyDictionary<long, (string Change, string Brings)>> brings)
        {
            List<(EntryAccount Entry, long Id)> measured = [.. entries.Where(e => of(e) is not null).Select(e => (e, of(e)!.Value))];
            if (measured.Count == 0)
            {
                return;
            }

            IReadOnlyDictionary<long, (string Change, string Brings)> known = brings([.. measured.Select(m => m.Id)]);
            foreach ((EntryAccount entry, long id) in measured)
            {
                if (known.TryGetValue(id, out (string Change, string Brings) brought) && brought.Change == entry.Begun.Change)
                {
                    found[entry.Begun.Number] = brought.Brings;
                }
            }
        }
    }

    private SqlDialect DialectOf(long book) => KnownEngines.OfSubject(books.Find(book)?.Subject).Dialect;
}
