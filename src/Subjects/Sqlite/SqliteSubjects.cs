using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Counterexamples;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Files, copied and opened in this process; the stock library that ships with the program times everything.</summary>
internal sealed class SqliteSubjects : ISubjectEngine
{
    private const double ToldEach = 0.1;

    public Engine Engine => Core.Engines.Sqlite.SqliteEngine.Engine;

    public string Version => SqliteConnection.EngineVersion;

    public bool RunsHere => true;

    public IStatementChecks Checks { get; } = new EmptyDatabase();

    public ICountingLibrary Counting { get; } = new PlanLibrary();

    public IServerEngine? Server => null;

    public void LimitMemory(long bytes) => SqliteBounds.LimitMemory(bytes);

    public void Check(string address) => SqliteFile.Look(address);

    public string NameOf(string address) => Path.GetFileName(address);

    public long? BytesOf(string address) => File.Exists(address) ? new FileInfo(address).Length : null;

    public string? ProtestOf(SubjectAccess access) => null;

    public IReadOnlyList<SchemaObject> ReadSchema(string address) => SqliteSchema.Of(address);

    public ISubject Open(SubjectAccess access, string folder, IPlanCounter? counter = null, Action<string>? doing = null, CancellationToken stop = default)
    {
        double told = 0;
        return SqliteSubject.Open(access.Address, folder, counter, null, share =>
        {
            if (share >= told + ToldEach)
            {
                told = share;
                doing?.Invoke(Figures.Percent(share));
            }
        }, access.Bounds, stop);
    }

    public ISmallDatabase OpenSmall(string address, string folder, IReadOnlyList<SchemaObject> schema, IReadOnlyList<string> tables, TimeSpan longest) => SqliteSmallDatabase.Open(schema, tables, longest);

    public Likeness ReadLikeness(string address, NamedValues named, Action<string> doing, CancellationToken stop) => SqliteLikeness.Of(address, named, doing, stop);

    public IMadeSubject Make(Likeness likeness, string? on, string folder, bool trusted, Action<string> doing, CancellationToken stop) => SqliteMade.In(likeness, folder, doing, stop);

    public bool MadeOutside(string folder) => false;

    public string? Clean(SubjectAccess access, string folder) => null;

    private sealed class EmptyDatabase : IStatementChecks
    {
        public EngineException TooDeep => SqliteSyntax.TooDeep;

        public IEnumerable<(int Statement, EngineException Complaint)> CheckAll(IEnumerable<string> statements, TimeSpan longest) => SqliteSyntax.CheckAll(statements, longest);

        public IReadOnlyList<(int Statement, EngineException Complaint)> MissingIn(string address, IEnumerable<string> statements, TimeSpan longest) => SqliteSyntax.MissingIn(address, statements, longest);

        public Plan Explain(IReadOnlyList<SchemaObject> schema, Catalog? catalog, string sql) => SqliteSketch.Explain(schema, catalog, sql);
    }
}
