using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Databases on servers, versions 13 to 18.</summary>
internal sealed class PostgresSubjects : ISubjectEngine, IServerEngine
{
    public Engine Engine => Core.Engines.Postgres.PostgresEngine.Engine;

    public string? Version => null;

    public bool RunsHere => false;

    public IStatementChecks? Checks => null;

    public ICountingLibrary? Counting => null;

    public IServerEngine Server => this;

    public void LimitMemory(long bytes)
    {
        // A server's memory is its own.
    }

    public void Check(string address) => PostgresAddress.Parse(address);

    public string NameOf(string address) => PostgresSubject.DatabaseOf(address);

    public long? BytesOf(string address) => null;

    public string? ProtestOf(SubjectAccess access) => PostgresSubject.NotExpendable(access.Address, access.Sides, access.Expendable);

    public IReadOnlyList<SchemaObject> ReadSchema(string address) => PostgresSubject.SchemaOf(address);

    public ISubject Open(SubjectAccess access, string folder, IPlanCounter? counter = null, Action<string>? doing = null, CancellationToken stop = default) =>
        PostgresSubject.Open(access, folder, doing, stop);

    public ISmallDatabase OpenSmall(string address, string folder, IReadOnlyList<SchemaObject> schema, IReadOnlyList<string> tables, TimeSpan longest) =>
        new PostgresSmallDatabase(address, folder, schema, tables, Math.Max(1, longest.TotalSeconds / 4));

    public Likeness ReadLikeness(string address, NamedValues named, Action<string> doing, CancellationToken stop) => PostgresLikeness.Of(address, named, doing, stop);

    public IMadeSubject Make(Likeness likeness, string? on, string folder, bool trusted, Action<string> doing, CancellationToken stop) =>
        PostgresMade.On(likeness, on ?? throw SubjectException.Because("A database is made on a server: say on which one."), folder, trusted, doing, stop);

    public bool MadeOutside(string folder) => PostgresSubject.MadeDatabases(folder);

    public string? Clean(SubjectAccess access, string folder) => PostgresSubject.Clean(access, folder);

    public string ConnectionStringOf(string address) => PostgresAddress.Parse(address).ConnectionString;

    public string WithPassword(string address, string password) => PostgresSubject.WithPassword(address, password);

    public string? PasswordOf(string address) => PostgresSubject.PasswordOf(address);

    public ServerLook LookAt(string address) => PostgresLook.At(address);

    public Plan Explain(string address, string sql) => PostgresSubject.Explain(address, sql);

    public IServerActivity Watch(string address) => PostgresActivity.Open(address);

    public string? SweepLeftOvers(string address, string copies) => PostgresSubject.SweepLeftOvers(address, copies);
}
