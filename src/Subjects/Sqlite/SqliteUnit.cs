using SQLitePCL;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A unit of work: its statements are prepared once, and each execution of one is a call of the engine.</summary>
internal sealed class SqliteUnit : SqliteCase
{
    /// <summary>Longer ones are not executed just to be thrown away.</summary>
    private const double MostDiscarded = 50_000;

    private readonly List<SqliteUnitStep> _steps = [];
    private readonly UnitLoop _loop;

    public SqliteUnit(SqliteConnection connection, Watchdog watchdog, WorkUnit unit, IReadOnlyList<Binding> bindings, ExecutionLimit limit, SessionWrites writes)
        : base(connection, watchdog, limit)
    {
        _loop = new(unit, bindings, statement =>
        {
            var step = new SqliteUnitStep(Connection, SqliteGuard.NotControlling(Connection, () => Prepared(statement.Sql)), Failed);
            _steps.Add(step);
            return step;
        }, limit);
        Writes = _loop.Writes;
        if (Writes && writes == SessionWrites.RolledBack)
        {
            TakeBack();
        }
    }

    public override bool Writes { get; }

    internal override IReadOnlyList<sqlite3_stmt> Statements => [.. _steps.Select(s => s.Statement)];

    internal override bool Returns => _loop.Returns;

    internal override IReadOnlyList<long> Sent => _loop.SentOfEach;

    internal override bool HasOrder => _loop.HasOrder;

    public override void Discard(double microseconds)
    {
        if (microseconds * 5 <= MostDiscarded)
        {
            Execute(1);
        }
    }

    internal override long Read(RowHash hash, Action<Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)>> row, bool shows)
    {
        Guarded(() => _loop.Read(hash, row, shows));
        return _loop.Affected;
    }

    public override void Dispose()
    {
        _loop.Dispose();
        base.Dispose();
    }

    protected override void Run() => Guarded(_loop.Run);

    protected override void Reset()
    {
        foreach (SqliteUnitStep step in _steps)
        {
            _ = raw.sqlite3_reset(step.Statement);
        }
    }

    /// <summary>What fails between two statements leaves a transaction that is taken back as well.</summary>
    private void Guarded(Action work)
    {
        try
        {
            work();
        }
        catch (EngineException)
        {
            Watchdog.Disarm();
            Reset();
            Leave();
            throw;
        }
    }
}
