using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>A unit of work: its statements are prepared once, and each execution of one is a round trip.</summary>
internal sealed class PostgresUnit : PostgresCase
{
    private readonly UnitLoop _loop;

    /// <param name="writes">Whether each execution is rolled back.</param>
    /// <param name="readOnly">Whether each batch stands in a transaction that cannot write, and is rolled back.</param>
    /// <exception cref="EngineException">The server cannot prepare it.</exception>
    public PostgresUnit(PostgresConnection connection, WorkUnit unit, IReadOnlyList<Binding> bindings, bool writes, bool readOnly, ExecutionLimit limit)
        : base(connection, writes, readOnly, limit)
    {
        // One statement cannot end the transaction that the others are taken back with.
        connection.Undone(() => PostgresUnitStep.MustBePlain(connection, unit, bindings), readOnly: true);
        _loop = PostgresUnitStep.LoopOf(connection, unit, bindings, limit, run =>
            PostgresParameters.Of(run) is { Probe: null } plain ? plain : connection.Undone(() => PostgresParameters.Of(run, connection), readOnly: true));
    }

    public override void Dispose() => _loop.Dispose();

    protected override void Run() => _loop.Run();

    protected override EngineException Placed(Exception e)
    {
        EngineException failure = PostgresConnection.Failure(e);
        return failure.TimeLimit ? Limit.Exceeded : new(failure.Message) { Code = failure.Code };
    }
}
