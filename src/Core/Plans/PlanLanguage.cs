using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Plans;

/// <summary>How an engine speaks of its plans.</summary>
/// <param name="dialect">Of its statements.</param>
public abstract class PlanLanguage(SqlDialect dialect)
{
    public SqlDialect Dialect => dialect;

    /// <summary>The forms that it reads, for messages; empty where that is lines alone.</summary>
    public abstract string Forms { get; }

    /// <summary>Whether it takes any lines for a plan: such a language is asked last.</summary>
    public virtual bool ReadsAnyLines => false;

    /// <summary>What operators do, by what their text begins with; the first that fits counts.</summary>
    public abstract IReadOnlyList<(string Begins, string Means)> Words { get; }

    /// <summary>How statements are held to a plan by their text; null where that cannot be.</summary>
    public virtual IPlanPins? Pins => null;

    /// <summary>Reads a plan.</summary>
    /// <returns>The plan, or what is wrong with the text; neither where the text is of no form of this language.</returns>
    public abstract (Plan? Plan, string? Problem) Read(string text);

    /// <summary>What only this engine tells of what costs more than it need.</summary>
    /// <param name="operators">In the order of <see cref="Plan.Lines"/>.</param>
    /// <param name="side">The plan, with what is known around it.</param>
    public virtual IEnumerable<Finding> FindingsOf(PlanSide side, IReadOnlyList<PlanOperator> operators) => [];

    /// <summary>Whether an operator may stop before it has given all it has; null where the plan does not tell, and only the statement might.</summary>
    /// <param name="plan">Of this engine.</param>
    /// <param name="at">The operator's place in <see cref="Plan.Lines"/>.</param>
    public virtual bool? MayEndEarly(Plan plan, int at) => null;

    /// <summary>Whether several processes share its work: then its starts are those processes, and each row is read once.</summary>
    /// <param name="o">Of this engine.</param>
    public virtual bool RunsInParallel(PlanOperator o) => false;

    /// <summary>Whether it is a subquery that runs once for each row of the query around it.</summary>
    /// <param name="o">Of this engine.</param>
    public virtual bool RunsPerRow(PlanOperator o) => OperatorText.RunsPerRow(o.Text);

    /// <summary>A statement written so that the engine joins tables in this order, for counting; null where it has no such writing.</summary>
    /// <param name="tables">Of the block that is joined.</param>
    /// <param name="order">All of them.</param>
    /// <param name="tablesOf">The tables that a condition speaks of; null where that is not known.</param>
    public virtual string? InOrder(JoinedTables tables, IReadOnlyList<SourceItem> order, Func<SqlCondition, IReadOnlyCollection<SourceItem>?> tablesOf) => null;

    /// <summary>What makes the engine keep to the order in which joins are written; null where nothing does.</summary>
    public virtual string? KeepsOrderBy => null;

    /// <summary>Why the same plan may cost otherwise for how the engine came by it; null where it does not tell.</summary>
    public virtual string? DifferenceOfPlanning(Plan before, Plan after) => null;
}

/// <summary>Holds statements to a plan by their text.</summary>
public interface IPlanPins
{
    /// <summary>The statement with the plan written into it; null where the plan gives nothing to write.</summary>
    /// <param name="wanted">The plan that it is to keep.</param>
    /// <param name="instead">The plan that it runs by now; null where that is not known.</param>
    /// <param name="sql">The statement.</param>
    string? Rewrite(string sql, Plan wanted, Plan? instead = null);

    /// <summary>The indexes that a statement is held to by name.</summary>
    IReadOnlyList<string> IndexesNamed(string sql);

    /// <summary>Whether a statement is held to its plan.</summary>
    bool Pins(string sql);
}
