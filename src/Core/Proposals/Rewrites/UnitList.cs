using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>The list of a unit, to which columns and joins can be added: the query itself where it only selects, or else a query around it.</summary>
internal sealed class UnitList
{
    private const string Around = "listed";

    private readonly RewriteInput _input;
    private readonly Query _query;
    private readonly string _alias;
    private readonly bool _plain;

    /// <summary>What gives each column, by its name; null for a name that comes twice.</summary>
    private readonly Dictionary<string, (string Text, ResolvedColumn? Column)?> _columns = new(StringComparer.OrdinalIgnoreCase);

    private UnitList(RewriteInput input, bool plain)
    {
        (_input, _query, _plain) = (input, input.Statement, plain);
        _alias = plain ? "" : input.FreeAlias(Around);
    }

    /// <summary>Its own columns, as they are written in a list.</summary>
    public IReadOnlyList<string> Items { get; private set; } = [];

    /// <summary>What the query calls what it reads.</summary>
    public IEnumerable<string> Aliases => _plain ? _input.Scopes.SelectMany(s => s.Sources).Select(s => s.Alias) : [_alias];

    /// <param name="input">A query.</param>
    /// <returns>Null where its columns cannot be named one by one, or its order cannot be said again.</returns>
    public static UnitList? Of(RewriteInput input)
    {
        Query query = input.Statement;
        if (query.Body is not Select select || select.DistinctOn.Count > 0 || input.ScopeOf(select) is not { IsKnown: true } scope)
        {
            return null;
        }

        // Behind a comma, a join does not see what stands before it.
        bool plain = query is { With: null, Tail.Count: 0 } && select is { Quantifier: "", GroupBy.Count: 0, Having: null, Windows.Count: 0 }
            && !select.Items.Any(i => RewriteInput.Folds(i.Value)) && !select.From!.Descend().OfType<Join>().Any(j => j.IsComma || j.Using.Count > 0 || j.Words.Contains("NATURAL", StringComparison.Ordinal));
        var list = new UnitList(input, plain);
        return list.ReadItems(select, scope) && (query.OrderBy.Count == 0 || list.OrderText() is not null) ? list : null;
    }

    /// <summary>The column of the list that gives a parameter of a loop; null where the bind lines do.</summary>
    public string? ColumnFor(UnitStatement loop, string parameter)
    {
        string name = loop.Values.FirstOrDefault(v => v.Parameter == parameter)?.Column ?? parameter;
        return _columns.TryGetValue(name, out (string, ResolvedColumn?)? found) && found is not null ? name : null;
    }

    /// <summary>Whether a parameter of a loop may be any of several columns of one name.</summary>
    public bool IsAmbiguous(UnitStatement loop, string parameter) =>
        _columns.TryGetValue(loop.Values.FirstOrDefault(v => v.Parameter == parameter)?.Column ?? parameter, out (string, ResolvedColumn?)? found) && found is null;

    /// <summary>What a column is, for a statement that reads the list.</summary>
    public string Expression(string column) => _plain ? _columns[column]!.Value.Text : $"{_alias}.{SqlName.Quoted(column)}";

    /// <summary>That a column and another one compare by the same rules; none where it is no column of a table, and where they do not, one that nothing sees to.</summary>
    public IEnumerable<RewriteCondition> TypeCondition(string column, CatalogTable table, CatalogColumn other) => _columns[column]?.Column is { } own
        ? [Alike(own.Column, other) ? RewriteCondition.Met($"{own.Source.Table!.Name}.{own.Column.Name} and {table.Name}.{other.Name} are of one type, and compare as a value does.")
            : new($"{own.Source.Table!.Name}.{own.Column.Name} is {own.Column.Type}, and {table.Name}.{other.Name} is {other.Type}: they compare as a value does.", false, "SELECT 1")]
        : [];

    /// <summary>The list with more columns, and joins that they come from.</summary>
    /// <param name="items">All columns, its own first.</param>
    /// <param name="joins">Behind what it reads.</param>
    public string With(IReadOnlyList<string> items, IReadOnlyList<string> joins)
    {
        string order = _query.OrderBy.Count > 0 ? $"\nORDER BY {OrderText()}" : "";
        string joined = string.Concat(joins.Select(j => $"\n{j}"));
        if (!_plain)
        {
            return $"SELECT {string.Join(", ", items)}\nFROM ({_input.Text(_query)}) AS {_alias}{joined}{order}";
        }

        var select = (Select)_query.Body;
        string where = select.Where is { } condition ? $"\nWHERE {Qualified(condition)}" : "";
        return $"SELECT {string.Join(", ", items)}\nFROM {Qualified(select.From!)}{joined}{where}{order}";
    }

    /// <summary>Other columns of the list's rows, in no order.</summary>
    public string Select(IReadOnlyList<string> items)
    {
        if (!_plain)
        {
            return $"SELECT {string.Join(", ", items)} FROM ({_input.Text(_query)}) AS {_alias}";
        }

        var select = (Select)_query.Body;
        return $"SELECT {string.Join(", ", items)} FROM {_input.Text(select.From!)}{(select.Where is { } condition ? $" WHERE {_input.Text(condition)}" : "")}";
    }

    private static bool Alike(CatalogColumn x, CatalogColumn y) => Kind(x.Type) == Kind(y.Type);

    private static string Kind(string type) => type.Contains("int", StringComparison.OrdinalIgnoreCase) && !type.Contains("interval", StringComparison.OrdinalIgnoreCase) && !type.Contains("point", StringComparison.OrdinalIgnoreCase)
        ? "int" : type.ToUpperInvariant();

    private bool ReadItems(Select select, QueryScope scope)
    {
        var items = new List<string>();
        foreach (SelectItem item in select.Items)
        {
            if (item.Value is AllColumns all)
            {
                foreach (ScopeSource source in scope.Sources.Where(s => all.Of is not Name of || s.Alias.Equals(of.Last, StringComparison.OrdinalIgnoreCase)))
                {
                    items.Add($"{SqlName.Quoted(source.Alias)}.*");
                    foreach (CatalogColumn column in source.Table!.Columns)
                    {
                        Add(column.Name, new(scope, source, column), null);
                    }
                }

                continue;
            }

            ResolvedColumn? resolved = item.Value is Name named ? scope.Resolve(named) : null;
            items.Add(Qualified(item.Value) + (item.Alias is { } alias ? $" AS {alias.Text}" : ""));
            if ((item.Alias?.Value ?? (item.Value as Name)?.Last) is { } name)
            {
                Add(name, resolved, item.Value is Name or Literal or Parameter ? Qualified(item.Value) : $"({Qualified(item.Value)})");
            }
        }

        Items = _plain ? items : [$"{_alias}.*"];
        return select.Items.All(i => QueryScope.NamesIn(i.Value).All(n => Known(n)));

        void Add(string name, ResolvedColumn? column, string? text) =>
            _columns[name] = _columns.ContainsKey(name) ? null : (text ?? column!.Qualified, column);
    }

    /// <summary>With the source of each column before it: more sources come to stand beside.</summary>
    private string Qualified(SyntaxNode part) => _input.Text(part, n => n.Parts.Count == 1 && _input.Resolve(n) is { } column ? column.Qualified : null);

    private bool Known(Name name) => name.Parts.Count > 1 || _input.Resolve(name) is not null;

    /// <summary>The terms of its ORDER BY as a statement says them that has more columns; null where they cannot be said.</summary>
    private string? OrderText()
    {
        var terms = new List<string>();
        foreach (OrderTerm term in _query.OrderBy)
        {
            string behind = $"{(term.Direction.Length > 0 ? $" {term.Direction}" : "")}{(term.Nulls.Length > 0 ? $" {term.Nulls}" : "")}";
            string? value = term.Value is Name { Parts.Count: 1 } name && _columns.TryGetValue(name.Last, out (string, ResolvedColumn?)? own) ? own is null ? null : Expression(name.Last)
                : !_plain ? term.Value is Name { Parts.Count: 2 } outer && _columns.TryGetValue(outer.Last, out own) && own is not null ? Expression(outer.Last) : null
                : term.Value is Literal || !QueryScope.NamesIn(term.Value).All(Known) ? null
                : Qualified(term.Value);
            if (value is null)
            {
                return null;
            }

            terms.Add(value + behind);
        }

        return string.Join(", ", terms);
    }
}
