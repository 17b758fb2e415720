using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Plans;

/// <summary>A plan with what is known around it: what its differences and findings are read from.</summary>
/// <param name="Sql">The statement; empty where only a plan is known.</param>
/// <param name="Language">Of the engine that made it.</param>
/// <param name="Plan">As the engine made it.</param>
public sealed record PlanSide(Plan Plan, string Sql, PlanLanguage Language)
{
    private readonly Lazy<StatementOutline> _outline = new(() => OutlineOf(Sql, Language.Dialect));
    private readonly Lazy<StatementTables> _tables = new(() => StatementTables.Of(Sql, Language.Dialect));

    public IReadOnlyList<Binding> Bindings { get; init; } = [];

    /// <summary>Rows returned or changed; null where nothing was executed.</summary>
    public long? Rows { get; init; }

    /// <summary>As in <see cref="Trials.Inspection.Counters"/>.</summary>
    public IReadOnlyDictionary<string, long> Counters { get; init; } = new Dictionary<string, long>();

    public Catalog? Catalog { get; init; }

    public StatementOutline Outline => _outline.Value;

    /// <summary>The statement's first word and the tables that it names.</summary>
    public StatementTables Tables => _tables.Value;

    /// <summary>
    /// The plan with tables under their own names instead of the statement's aliases, where that leaves them apart: two statements that call
    /// a table differently still read the same one.
    /// </summary>
    public Plan ByTable()
    {
        Dictionary<string, int> names = Plan.Lines().Select(l => l.Operator.Object).OfType<string>().Distinct(StringComparer.OrdinalIgnoreCase)
            .CountBy(TableOf, StringComparer.OrdinalIgnoreCase).ToDictionary(StringComparer.OrdinalIgnoreCase);
        return Plan.Changed((_, o) => o.Object is { } name && TableOf(name) is var table && names[table] == 1 ? o with { Object = table } : o);
    }

    /// <summary>The blocks of all statements, at their places in the text.</summary>
    private static StatementOutline OutlineOf(string sql, SqlDialect dialect) => WorkUnit.Of(sql, dialect) is { } unit
        ? new([.. unit.Statements.SelectMany(s => StatementOutline.Of(new string(' ', s.Body.Start) + s.Sql, dialect).Blocks)])
        : StatementOutline.Of(sql, dialect);

    /// <summary>The table that a plan's name stands for.</summary>
    public string TableOf(string name) => Outline.TableOf(name);

    /// <summary>A unit's statements, each with its own part of the plan and where it begins in text and plan; of one statement the side itself.</summary>
    public IReadOnlyList<(PlanSide Side, int Text, int Operator)> Statements
    {
        get
        {
            if (Plan.Statements is null || WorkUnit.Of(Sql, Language.Dialect) is not { } unit || unit.Statements.Count != Plan.Statements.Count)
            {
                return [(this, 0, 0)];
            }

            // What was counted of all together says nothing of one of them.
            int at = 0;
            return [.. unit.Statements.Zip(Plan.OfStatements(), (s, plan) => (
                new PlanSide(plan, s.Sql, Language) { Bindings = Bindings, Catalog = Catalog }, s.Body.Start, (at += plan.Lines().Count()) - plan.Lines().Count()))];
        }
    }

    /// <summary>The value of a literal or of a bound parameter, as an SQL literal; null where it is neither.</summary>
    public string? ValueOf(string text)
    {
        if (text.Length == 0)
        {
            return null;
        }

        if (text[0] is ':' or '@' or '$' or '?')
        {
            string key = text.Length > 1 ? text[1..] : "1";
            return Bindings.FirstOrDefault(b => b.Key == key)?.Value.ToString();
        }

        return text;
    }
}
