using SQLitePCL;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A unit of work: its statements are prepared once, and each execution of one is a call of the engine.</summary>
internal sealed class SqliteUnit : SqliteCase
{
    /// <summary>Longer ones are not executed just to be thrown away.</summary>
    private const double MostDiscarded = 50_000;

    private readonly List<Step> _steps = [];
    private readonly UnitLoop _loop;

    public SqliteUnit(SqliteConnection connection, Watchdog watchdog, WorkUnit unit, IReadOnlyList<Binding> bindings, ExecutionLimit limit, SessionWrites writes)
        : base(connection, watchdog, limit)
    {
        _loop = new(unit, bindings, statement =>
        {
            var step = new Step(this, Prepared(statement.Sql));
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
        foreach (Step step in _steps)
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

    private sealed class Step : IUnitStep
    {
        private readonly SqliteUnit _unit;

        public Step(SqliteUnit unit, sqlite3_stmt statement)
        {
            (_unit, Statement) = (unit, statement);
            Writes = raw.sqlite3_stmt_readonly(statement) == 0;
            Columns = [.. Enumerable.Range(0, raw.sqlite3_column_count(statement)).Select(i => raw.sqlite3_column_name(statement, i).utf8_to_string())];
            Parameters = SqliteConnection.ParametersOf(statement);
        }

        public sqlite3_stmt Statement { get; }

        public IReadOnlyList<string> Parameters { get; }

        public IReadOnlyList<string> Columns { get; }

        public bool Writes { get; }

        public long Affected { get; private set; }

        public void Set(int parameter, SqlValue value) => SqliteConnection.Bind(Statement, parameter + 1, value);

        public void Execute(Action? row)
        {
            if (row is null)
            {
                if (Native.Drain(Statement) != raw.SQLITE_DONE)
                {
                    throw _unit.Failed();
                }
            }
            else
            {
                int rc;
                while ((rc = raw.sqlite3_step(Statement)) == raw.SQLITE_ROW)
                {
                    row();
                }

                if (rc != raw.SQLITE_DONE)
                {
                    throw _unit.Failed();
                }

                _ = raw.sqlite3_reset(Statement);
            }

            Affected = Writes ? raw.sqlite3_changes(_unit.Connection.Handle) : 0;
        }

        public SqlValue Value(int column) => raw.sqlite3_column_type(Statement, column) switch
        {
            raw.SQLITE_INTEGER => SqlValue.Of(raw.sqlite3_column_int64(Statement, column)),
            raw.SQLITE_FLOAT => SqlValue.Of(raw.sqlite3_column_double(Statement, column)),
            raw.SQLITE_TEXT => SqlValue.Of(raw.sqlite3_column_text(Statement, column).utf8_to_string()),
            raw.SQLITE_BLOB => SqlValue.Of(raw.sqlite3_column_blob(Statement, column).ToArray()),
            _ => SqlValue.Null,
        };

        public void AddTo(RowHash hash) => hash.AddColumns(Statement);

        public void AddNothingTo(RowHash hash)
        {
            for (int i = 0; i < Columns.Count; i++)
            {
                hash.AddNumber(0, 0);
            }
        }

        public IReadOnlyList<(string Type, string Value)> Shown() => SqliteRows.Shown(Statement).Values;

        public void Dispose() => Statement.Dispose();
    }
}
