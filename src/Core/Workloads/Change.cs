using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>One statement of a migration.</summary>
/// <param name="Number">From 1, among all statements of the change file.</param>
/// <param name="Place">Where it begins in the file.</param>
/// <param name="Body">Where it stands, its comments left aside.</param>
/// <param name="Sql">The statement.</param>
public sealed record ChangeStep(int Number, string Sql, TextSpan Body, TextPlace Place);

/// <summary>A statement that takes the place of a named one on the after side.</summary>
/// <param name="CaseBindings">Its own values for each case of the statement, in their order; empty where it takes the statement's.</param>
/// <param name="Body">Where it stands, its comments left aside.</param>
/// <param name="Number">In the change file, from 1.</param>
/// <param name="OrdersRows">Whether its outermost query has ORDER BY.</param>
/// <param name="Parameters">Keys of its parameters.</param>
/// <param name="Place">Where it stands.</param>
/// <param name="Sql">What runs instead.</param>
/// <param name="Statement">Name of the statement that it replaces.</param>
public sealed record Rewrite(
    int Number,
    string Statement,
    string Sql,
    TextSpan Body,
    TextPlace Place,
    IReadOnlyList<string> Parameters,
    bool OrdersRows,
    IReadOnlyList<IReadOnlyList<Binding>> CaseBindings)
{
    /// <summary>The statements of a unit; null for one statement.</summary>
    public WorkUnit? Unit { get; init; }

    /// <summary>What the engine is given one by one: the statement, or those of the unit.</summary>
    public IReadOnlyList<SentStatement> Sent => SentStatement.Of(Unit, Number, Sql, Body);

    /// <summary>The values that this rewrite runs with where the original runs with those of a case.</summary>
    public IReadOnlyList<Binding> BindingsFor(WorkloadStatement statement, int caseIndex) =>
        CaseBindings.Count > 0 ? CaseBindings[caseIndex] : statement.Cases[caseIndex].Bindings;
}

/// <summary>What a trial tests: migration statements, rewrites, or both.</summary>
public sealed record Change(IReadOnlyList<ChangeStep> Steps, IReadOnlyList<Rewrite> Rewrites)
{
    public static readonly Change Nothing = new([], []);

    public Rewrite? RewriteOf(string statement) => Rewrites.FirstOrDefault(r => r.Statement == statement);
}
