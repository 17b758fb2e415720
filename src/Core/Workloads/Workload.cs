using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>A value for one parameter.</summary>
/// <param name="Key">The parameter's name without its prefix, or its number.</param>
/// <param name="Value">As a literal of SQL.</param>
public sealed record Binding(string Key, SqlValue Value);

/// <summary>A statement with one set of parameter values.</summary>
/// <param name="Label"><c>1</c>, <c>2</c>, ... in the order of the bind lines; <c>1</c> where there is none.</param>
/// <param name="Share">Its share of the statement's calls; the shares of a statement add up to 1.</param>
/// <param name="Bindings">Its values by their keys.</param>
public sealed record StatementCase(string Label, double Share, IReadOnlyList<Binding> Bindings)
{
    /// <summary>The bindings as they stand in a workload file.</summary>
    public string BindText => string.Join(", ", Bindings.Select(b => $"{b.Key}={b.Value}"));
}

/// <summary>One statement of a workload.</summary>
/// <param name="Number">From 1, in the order of the file.</param>
/// <param name="Name">The given name, or the pattern's.</param>
/// <param name="Body">Where its text lies in the file.</param>
/// <param name="CallsPerDay">Null where the file does not say.</param>
/// <param name="Tolerance">Half-width of its band as a fraction (0.05 for 5 %), where the file sets one.</param>
/// <param name="Parameters">Keys of its parameters.</param>
/// <param name="Cases">At least one.</param>
/// <param name="OrdersRows">Whether its outermost query has ORDER BY.</param>
/// <param name="Pattern">Its pattern.</param>
/// <param name="Sql">The statement.</param>
public sealed record WorkloadStatement(
    int Number,
    string Name,
    string Sql,
    TextSpan Body,
    SqlPattern Pattern,
    double? CallsPerDay,
    double? Tolerance,
    IReadOnlyList<string> Parameters,
    bool OrdersRows,
    IReadOnlyList<StatementCase> Cases)
{
    /// <summary>The statements of a unit; null for one statement.</summary>
    public WorkUnit? Unit { get; init; }

    /// <summary>Limits that it has to keep; empty where the file states none.</summary>
    public IReadOnlyList<Budget> Budgets { get; init; } = [];

    /// <summary>Limits that it may break until a day.</summary>
    public IReadOnlyList<LimitException> Exceptions { get; init; } = [];

    /// <summary>What the engine is given one by one: the statement, or those of the unit.</summary>
    public IReadOnlyList<SentStatement> Sent => SentStatement.Of(Unit, Number, Sql, Body);
}

/// <summary>One statement as an engine is given it.</summary>
/// <param name="Number">In its file, from 1.</param>
/// <param name="Sql">The statement.</param>
/// <param name="Body">Where it lies in the file.</param>
public sealed record SentStatement(int Number, string Sql, TextSpan Body)
{
    internal static IReadOnlyList<SentStatement> Of(WorkUnit? unit, int number, string sql, TextSpan body) => unit is null ? [new(number, sql, body)]
        : [.. unit.Statements.Select((s, i) => new SentStatement(number + i, s.Sql, new(body.Start + s.Body.Start, s.Body.Length)))];
}

/// <summary>The statements that run on a database, with how often and with which values.</summary>
public sealed record Workload(IReadOnlyList<WorkloadStatement> Statements)
{
    public static readonly Workload Empty = new([]);

    /// <summary>Limits for all statements together.</summary>
    public IReadOnlyList<FileBudget> Budgets { get; init; } = [];

    /// <summary>The statements that are sent by themselves, without units of several.</summary>
    public Workload WithoutUnits() => new([.. Statements.Where(s => s.Unit is null)]);

    /// <summary>How many lines a trial over this workload has.</summary>
    public int CaseCount => Statements.Sum(s => s.Cases.Count);
}

/// <summary>A file as far as it could be understood, and what could not.</summary>
public sealed record Parsed<T>(T Value, IReadOnlyList<InputProblem> Problems)
{
    public bool IsGood => Problems.Count == 0;
}
