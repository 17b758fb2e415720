using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli.Checks;

/// <summary>What a check is done on: a database that is there, or one that is made for it.</summary>
/// <param name="Engine">Whose rules hold.</param>
/// <param name="Address">Of the database that is there; null where one is made.</param>
/// <param name="From">What it is made from, with the file's name; null where it is there.</param>
/// <param name="On">Address of the server that it is made on; null where databases are files.</param>
internal sealed record CheckSubject(Engine Engine, string? Address, (string Path, Likeness Likeness)? From, string? On)
{
    /// <exception cref="CheckInputException">The options contradict each other, or the file cannot be used.</exception>
    /// <exception cref="InputTextException">The file cannot be read.</exception>
    public static CheckSubject Of(string? subject, string? madeFrom, string? madeOn)
    {
        if ((subject is null) == (madeFrom is null))
        {
            throw new CheckInputException("Say what is checked: either a database with --subject, or statistics of one with --made-from.");
        }

        if (subject is not null)
        {
            return madeOn is not null ? throw new CheckInputException("--made-on goes with --made-from: with --subject nothing is made.")
                : new(KnownEngines.OfSubject(subject), KnownEngines.IsServer(subject) ? subject : Path.GetFullPath(subject), null, null);
        }

        Likeness likeness;
        try
        {
            likeness = LikenessFile.Read(CommandFiles.TextOf(madeFrom!, "statistics"));
        }
        catch (LikenessException e)
        {
            throw new CheckInputException($"{madeFrom}: {e.Message}");
        }

        Engine engine = KnownEngines.Find(likeness.Engine)!;
        return engine.Addresses!.AreOfServers && (madeOn is null || !engine.Addresses.Owns(madeOn))
            ? throw new CheckInputException($"{madeFrom} tells of a {engine.Name} database, which is made on a server: name one with --made-on, as {engine.Addresses.Form}.")
            : !engine.Addresses.AreOfServers && madeOn is not null ? throw new CheckInputException($"{madeFrom} tells of a {engine.Name} database, which is a file: --made-on names a server.")
            : new(engine, null, (madeFrom!, likeness), madeOn);
    }

    /// <summary>The database, made where it is not there.</summary>
    /// <param name="options">Of the check.</param>
    /// <exception cref="CheckInputException">It cannot be made from that file.</exception>
    /// <exception cref="SubjectException">It cannot be made here.</exception>
    public MadeForCheck Make(LedgerHome home, TrialOptions options, Action<string> doing, CancellationToken stop)
    {
        if (From is not var (path, likeness))
        {
            return new(Address!, [], []);
        }

        CopyHold hold = home.NewCopyFolder();
        try
        {
            hold.Make();
            IMadeSubject made = SubjectEngines.Of(Engine).Make(likeness, On, hold.Folder, options.TrustSql, doing, stop);
            string rows = Figures.Count(likeness.Tables.Sum(t => t.Rows));
            return new(made.Address, [$"Checked on a database made from {path}: {rows} rows are made, column by column, so conditions on several columns may meet other numbers of rows than where it comes from.", .. likeness.Notes, .. made.Notes], [made, hold]);
        }
        catch (Exception e) when (e is LikenessException or EngineException)
        {
            hold.Dispose();
            throw new CheckInputException($"{path}: {e.Message.TrimEnd('.')}.");
        }
        catch
        {
            hold.Dispose();
            throw;
        }
    }
}

/// <summary>What was made is removed at the end.</summary>
internal sealed record MadeForCheck(string Address, IReadOnlyList<string> Notes, IReadOnlyList<IDisposable> Held) : IDisposable
{
    public void Dispose()
    {
        foreach (IDisposable held in Held)
        {
            held.Dispose();
        }
    }
}
