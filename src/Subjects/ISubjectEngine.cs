using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Live;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects;

/// <summary>How a subject is opened.</summary>
/// <param name="Address">Of the subject; of a pair, of the before side. With its password where it has one.</param>
/// <param name="Sides">How the two sides come about.</param>
/// <param name="OtherAddress">Of a pair, the after side; of copies elsewhere, a database on their server; null otherwise.</param>
/// <param name="MostBytes">A larger subject on a server is not copied.</param>
/// <param name="Expendable">The database that may be changed for good, by name.</param>
/// <param name="Dump">What copies of a dump hold; null for the whole subject.</param>
/// <param name="Seed">Draws the rows that are made.</param>
/// <param name="Trusted">Whether statements may run with rights that reach beyond the database, because the user knows them all.</param>
/// <param name="Bounds">Of what a change or a script may make of a copy; null for the usual ones.</param>
/// <param name="RunAs">A role made beforehand that everything from outside runs as on copies; null for one of the trial's own, where it may make one.</param>
public sealed record SubjectAccess(
    string Address, SubjectSides Sides = SubjectSides.Copies, string? OtherAddress = null, long MostBytes = 50L << 30, string? Expendable = null, DumpContents? Dump = null, ulong Seed = 1,
    bool Trusted = false, ChangeBounds? Bounds = null, string? RunAs = null)
{
    /// <summary>Where the private copies stand, if there are any.</summary>
    internal string CopiesAddress => Sides == SubjectSides.Dumped && Dump?.On is { } on ? OtherAddress ?? on : Address;

    /// <summary>As a trial's options say it.</summary>
    /// <param name="address">Of the subject.</param>
    /// <param name="other">The second address that the options want, with its password; null where the options tell it.</param>
    public static SubjectAccess Of(string address, TrialOptions options, string? other = null) => new(
        address, options.Sides, other ?? options.OtherAddress, (long)(options.MostGigabytes * (1L << 30)), options.Expendable, options.Dump, options.Seed, options.TrustSql,
        new(options.ChangeGigabytes is { } most ? (long)(most * (1 << 30)) : null), options.RunAs);
}

/// <summary>What runs statements on the databases of an engine: the part of its descriptor that does things.</summary>
public interface ISubjectEngine
{
    Engine Engine { get; }

    /// <summary>Version of the library that serves this process; null where a server's own serves.</summary>
    string? Version { get; }

    /// <summary>Whether it runs in the process that asks; else a server's processes do the work.</summary>
    bool RunsHere { get; }

    /// <summary>What its parser and planner tell without a subject; null where only a server can tell.</summary>
    IStatementChecks? Checks { get; }

    /// <summary>A library of it that counts what each operator does, for a process of its own; null where plans come counted.</summary>
    ICountingLibrary? Counting { get; }

    /// <summary>What servers of it can be asked; null where its databases are files.</summary>
    IServerEngine? Server { get; }

    /// <summary>Bounds the memory that the engine takes in this process; nothing where it runs elsewhere.</summary>
    void LimitMemory(long bytes);

    /// <summary>Checks what can be seen of a subject without opening it.</summary>
    /// <exception cref="SubjectException">It cannot be used.</exception>
    void Check(string address);

    /// <summary>What a subject is called where nobody gave it a name.</summary>
    /// <exception cref="SubjectException">The address cannot be read.</exception>
    string NameOf(string address);

    /// <summary>Size of the file that a subject is; null where it is none.</summary>
    long? BytesOf(string address);

    /// <summary>Why a subject may not be opened like this; null where it may.</summary>
    /// <exception cref="SubjectException">The address cannot be read.</exception>
    string? ProtestOf(SubjectAccess access);

    /// <summary>Tables, indexes, views and triggers of a subject as it is now; nothing is written to it.</summary>
    /// <exception cref="SubjectException">It cannot be looked into, or not without writing.</exception>
    /// <exception cref="EngineException">The engine gave no answer.</exception>
    IReadOnlyList<SchemaObject> ReadSchema(string address);

    /// <summary>Opens a subject and makes the base of its copies, or goes on from the one that an earlier session made in the same folder.</summary>
    /// <param name="folder">For the copies, of this job alone.</param>
    /// <param name="counter">Counts what plans do; null for estimates only.</param>
    /// <param name="doing">Told what is being done, in a few words.</param>
    /// <exception cref="SubjectException">It cannot be used, or not safely.</exception>
    ISubject Open(SubjectAccess access, string folder, IPlanCounter? counter = null, Action<string>? doing = null, CancellationToken stop = default);

    /// <summary>Makes an empty database with some of a subject's tables, to be filled with made rows; nothing of the subject's rows is read.</summary>
    /// <param name="address">Of the subject, with its password where it has one.</param>
    /// <param name="folder">Of this job alone.</param>
    /// <param name="schema">Of the subject.</param>
    /// <param name="tables">By the catalogue's names.</param>
    /// <param name="longest">Of all that is done with it.</param>
    /// <exception cref="SubjectException">None may be made.</exception>
    /// <exception cref="EngineException">A table cannot be made.</exception>
    ISmallDatabase OpenSmall(string address, string folder, IReadOnlyList<SchemaObject> schema, IReadOnlyList<string> tables, TimeSpan longest);

    /// <summary>Takes the likeness of a subject: its schema and statistics, and no row; nothing is written to it.</summary>
    /// <param name="address">Of the subject, with its password where it has one.</param>
    /// <param name="named">Values that may be told as they are; the schema's own literals are added.</param>
    /// <param name="doing">Told what is being done, in a few words.</param>
    /// <param name="stop">Ends it.</param>
    /// <exception cref="SubjectException">It cannot be looked into.</exception>
    /// <exception cref="EngineException">The engine gave no answer.</exception>
    Likeness ReadLikeness(string address, NamedValues named, Action<string> doing, CancellationToken stop);

    /// <summary>Makes a database from a likeness, with rows of the numbers that it states.</summary>
    /// <param name="likeness">Of a database of this engine.</param>
    /// <param name="on">Address of a database on the server that it is made on, with its password; null where databases are files.</param>
    /// <param name="folder">Of this job alone.</param>
    /// <param name="trusted">Whether its schema may be made with the connection's own rights.</param>
    /// <param name="doing">Told what is being done, in a few words.</param>
    /// <param name="stop">Ends it.</param>
    /// <exception cref="LikenessException">It contradicts itself, or the engine refuses its schema.</exception>
    /// <exception cref="SubjectException">It cannot be made there.</exception>
    /// <exception cref="EngineException">The engine gave no answer.</exception>
    IMadeSubject Make(Likeness likeness, string? on, string folder, bool trusted, Action<string> doing, CancellationToken stop);

    /// <summary>Whether a job began to make something outside its folder.</summary>
    /// <param name="folder">The job's own, while it is there.</param>
    bool MadeOutside(string folder);

    /// <summary>Removes what a job made outside its folder, also after its process was killed.</summary>
    /// <returns>What could not be removed, in words; null where nothing is left.</returns>
    string? Clean(SubjectAccess access, string folder);
}

/// <summary>An engine's parser and planner, in an empty database: nothing runs.</summary>
public interface IStatementChecks
{
    /// <summary>What is said of a statement that the parser does not come to an end with.</summary>
    EngineException TooDeep { get; }

    /// <summary>Checks statements one after the other, until one of them takes what is left of the time: that one is told, and those behind it stay unchecked.</summary>
    /// <param name="longest">Of all together.</param>
    /// <returns>The complaints, by the statement's place from 0.</returns>
    IEnumerable<(int Statement, EngineException Complaint)> CheckAll(IEnumerable<string> statements, TimeSpan longest);

    /// <summary>Prepares statements in the subject itself, and runs nothing: what is well-formed and names what is not there.</summary>
    /// <param name="address">Of the subject; nothing is written to it.</param>
    /// <param name="longest">Of all together.</param>
    /// <returns>The complaints, by the statement's place from 0; none where the subject cannot be looked into just now.</returns>
    IReadOnlyList<(int Statement, EngineException Complaint)> MissingIn(string address, IEnumerable<string> statements, TimeSpan longest);

    /// <summary>The plan of a statement by a schema and its statistics alone.</summary>
    /// <param name="schema">Definitions, tables before what stands on them.</param>
    /// <param name="catalog">Where the statistics come from; null for none.</param>
    /// <exception cref="EngineException">The statement cannot be explained.</exception>
    Plan Explain(IReadOnlyList<SchemaObject> schema, Catalog? catalog, string sql);
}

/// <summary>A library that counts what each operator of a plan does. It serves a whole process, so that it has one of its own.</summary>
public interface ICountingLibrary
{
    /// <summary>What is said where it is not there.</summary>
    string Missing { get; }

    /// <summary>Its path; null where it is not there.</summary>
    string? Find();

    /// <summary>Chooses it for this process, before anything else is done.</summary>
    /// <returns>Why it does not load; null where it does.</returns>
    string? Use(string path);

    /// <summary>What counts, in a process that has chosen it.</summary>
    IPlanCounter Open();
}

/// <summary>What can be asked of servers.</summary>
public interface IServerEngine
{
    /// <summary>The address as the engine's driver takes it.</summary>
    /// <exception cref="SubjectException">The address cannot be read.</exception>
    string ConnectionStringOf(string address);

    /// <summary>The address with a password, for connecting only.</summary>
    /// <exception cref="SubjectException">The address cannot be read.</exception>
    string WithPassword(string address, string password);

    /// <summary>The password of an address; null where it has none.</summary>
    /// <exception cref="SubjectException">The address cannot be read.</exception>
    string? PasswordOf(string address);

    /// <summary>A first look: what can be tested there. Nothing is written.</summary>
    /// <exception cref="SubjectException">No connection, or a version that cannot be tested.</exception>
    /// <exception cref="EngineException">The server gave no answer.</exception>
    ServerLook LookAt(string address);

    /// <summary>The plan of a statement by the server's statistics; nothing is run.</summary>
    /// <exception cref="SubjectException">No connection, or one whose rights the subject's own code would get while it is planned.</exception>
    /// <exception cref="EngineException">The server cannot explain it.</exception>
    Plan Explain(string address, string sql);

    /// <summary>Looks at a server's sessions, again and again.</summary>
    /// <exception cref="SubjectException">No connection.</exception>
    IServerActivity Watch(string address);

    /// <summary>Drops what jobs of this ledger left on a server whose processes were killed; jobs that run keep theirs.</summary>
    /// <param name="copies">The folder that holds the folders of all jobs.</param>
    /// <returns>What could not be dropped, in words; null where nothing is left.</returns>
    string? SweepLeftOvers(string address, string copies);
}

/// <summary>A connection through which a server's sessions are looked at: what it can tell of waits.</summary>
public interface IServerActivity : IDisposable
{
    /// <summary>Looks once.</summary>
    /// <param name="at">What time it is.</param>
    /// <exception cref="EngineException">The connection is lost, or the look took too long.</exception>
    ActivitySample Look(DateTimeOffset at);
}

/// <summary>One way to come by two sides: whether it works on this server for this user.</summary>
/// <param name="Shows">What it can show.</param>
/// <param name="Lacks">Why it does not work, or what it cannot show.</param>
/// <param name="Grant">SQL that an administrator runs to allow it; empty where nothing is missing, or no grant helps.</param>
/// <param name="Elsewhere">Whether it works with the copies on another server, whatever is missing on this one.</param>
/// <param name="WithTrust">Whether it works where the user knows every statement and function, and insists: only the connection's rights stand against it.</param>
public sealed record SidesOffered(SubjectSides Sides, bool Works, string Shows, string Lacks, string Grant, bool Elsewhere = false, bool WithTrust = false);

/// <summary>What a first look at a server tells, without writing anything.</summary>
/// <param name="Bytes">Size of the database.</param>
/// <param name="OtherSessions">Others that are connected to it now.</param>
/// <param name="Extensions">Name and version.</param>
/// <param name="Notes">What limits the results.</param>
public sealed record ServerLook(
    string Version, string User, long Bytes, int OtherSessions, IReadOnlyList<string> Extensions, IReadOnlyList<SidesOffered> Sides, IReadOnlyList<string> Notes);
