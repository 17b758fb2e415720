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
    private readonly Lazy<StatementOutline> _outline = new(() => StatementOutline.Of(Sql, Language.Dialect));
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

    /// <summary>The table that a plan's name stands for.</summary>
    public string TableOf(string name) => Outline.TableOf(name);

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
