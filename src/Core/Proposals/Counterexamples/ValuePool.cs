using System.Globalization;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals.Rewrites;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Proposals.Counterexamples;

/// <summary>Values to make rows of: what a statement holds columns against, what stands just beside that, a few that are often alike, and extremes.</summary>
internal sealed class ValuePool
{
    private const double Wanted = 0.5, Nulls = 0.25;

    private const int MostTies = 3;

    private static readonly SqlValue[] Whole = [.. new long[] { 1, 1, 2, 2, 3, 0, -1, 2_147_483_647 }.Select(SqlValue.Of)];

    private static readonly SqlValue[] Broken = [.. new[] { 0.5, 1, 2, 0, -1.25 }.Select(SqlValue.Of)];

    private static readonly SqlValue[] Texts = [.. new[] { "a", "a", "b", "B", "", " a", "1", "01" }.Select(SqlValue.Of)];

    private const string AnyDay = "2026-07-18";

    private readonly Dictionary<(string Table, string Column), List<SqlValue>> _wanted = [];
    private readonly List<string> _days = [AnyDay];

    /// <param name="input">The statement.</param>
    /// <param name="cases">Values of its parameters.</param>
    public ValuePool(RewriteInput input, IReadOnlyList<IReadOnlyList<Binding>> cases)
    {
        // What one column is held against, others have to have as well: those that it is joined to, and those that it refers to.
        var ties = new List<((string, string) From, (string, string) To)>(
            input.Catalog.Tables.SelectMany(t => t.References.SelectMany(r => r.Columns.Zip(r.TargetColumns, (c, to) => ((t.Name, c), (input.Catalog.Table(r.Target)?.Name ?? r.Target, to))))));
        foreach (QueryScope scope in input.Scopes)
        {
            SyntaxNode whole = scope.Query ?? (SyntaxNode)scope.Select;
            foreach (SyntaxNode node in whole.Descend())
            {
                (SyntaxNode Of, SyntaxNode[] To)[] held = node switch
                {
                    Binary b => [(b.Left, [b.Right]), (b.Right, [b.Left])],
                    Between b => [(b.Operand, [b.Low, b.High])],
                    In { Among: Row row } i => [(i.Operand, [.. row.Items])],
                    Match m => [(m.Operand, [m.Pattern])],
                    _ => [],
                };
                if (node is Binary { Operator: "=" or "==", Left: Name left, Right: Name right } && scope.Resolve(left) is { } one && scope.Resolve(right) is { } other)
                {
                    ties.Add(((one.Source.Table!.Name, one.Column.Name), (other.Source.Table!.Name, other.Column.Name)));
                    ties.Add(((other.Source.Table!.Name, other.Column.Name), (one.Source.Table!.Name, one.Column.Name)));
                }

                foreach ((SyntaxNode of, SyntaxNode[] to) in held)
                {
                    SqlValue[] values = [.. to.SelectMany(t => ValuesOf(t, cases))];
                    foreach (ResolvedColumn column in values.Length == 0 ? [] : QueryScope.NamesIn(of).Select(scope.Resolve).OfType<ResolvedColumn>())
                    {
                        var key = (column.Source.Table!.Name, column.Column.Name);
                        (_wanted.TryGetValue(key, out List<SqlValue>? known) ? known : _wanted[key] = []).AddRange(values);
                    }
                }
            }
        }

        for (int i = 0; i < MostTies; i++)
        {
            foreach (((string, string) from, (string, string) to) in ties)
            {
                if (_wanted.TryGetValue(from, out List<SqlValue>? values))
                {
                    List<SqlValue> there = _wanted.TryGetValue(to, out List<SqlValue>? known) ? known : _wanted[to] = [];
                    there.AddRange(values.Except(there).ToList());
                }
            }
        }

        _days.AddRange(_wanted.Values.SelectMany(v => v).Where(v => v.Kind == SqlValueKind.Text).Select(v => v.Text.Length >= 10 ? v.Text[..10] : "").Where(t => Day(t) is not null).Distinct());
    }

    /// <summary>A value for a column; null where its type is not known and it must have one.</summary>
    /// <param name="table">Whose column.</param>
    /// <param name="column">Of the table.</param>
    /// <param name="form">What the column's values have to be like; null for whatever its type takes.</param>
    /// <param name="random">Draws it.</param>
    public SqlValue? Draw(CatalogTable table, CatalogColumn column, ColumnForm? form, ref SplitMix random)
    {
        if (!table.IsNeverNull(column) && form != ColumnForm.NeverNull && random.Unit() < Nulls)
        {
            return SqlValue.Null;
        }

        List<SqlValue>? wanted = _wanted.GetValueOrDefault((table.Name, column.Name));
        if (form == ColumnForm.BeginsWithItsDate)
        {
            string day = Near(random.Below(_days.Count), ref random);
            return SqlValue.Of(random.Below(3) switch { 0 => day, 1 => day + " 09:30:00", _ => day + " 23:59:59" });
        }

        if (wanted is not null && random.Unit() < Wanted)
        {
            SqlValue value = wanted[random.Below(wanted.Count)];
            return random.Coin() ? value : Beside(value, ref random);
        }

        return KindOf(column.Type) switch
        {
            DrawnKind.Whole => Whole[random.Below(Whole.Length)],
            DrawnKind.Number => random.Coin() ? Broken[random.Below(Broken.Length)] : Whole[random.Below(Whole.Length)],
            DrawnKind.Truth => SqlValue.Of(random.Coin()),
            DrawnKind.Day => SqlValue.Of(Near(random.Below(_days.Count), ref random)),
            DrawnKind.Moment => SqlValue.Of(Near(random.Below(_days.Count), ref random) + (random.Coin() ? " 00:00:00" : " 23:59:59.5")),
            DrawnKind.Text => Texts[random.Below(Texts.Length)],
            DrawnKind.Any => random.Coin() ? Whole[random.Below(Whole.Length)] : Texts[random.Below(Texts.Length)],
            _ => table.IsNeverNull(column) ? null : SqlValue.Null,
        };
    }

    private enum DrawnKind
    {
        Unknown,
        Any,
        Whole,
        Number,
        Truth,
        Day,
        Moment,
        Text,
    }

    /// <summary>By the words of a type: an engine that takes any value in any column takes these as well.</summary>
    private static DrawnKind KindOf(string type)
    {
        string words = type.ToLowerInvariant();
        bool Has(params string[] some) => some.Any(s => words.Contains(s, StringComparison.Ordinal));
        return words.Length == 0 ? DrawnKind.Any
            : words.EndsWith("[]", StringComparison.Ordinal) || Has("interval", "point", "range", "json", "uuid", "bytea", "blob", "inet", "xml", "bit", "vector") ? DrawnKind.Unknown
            : Has("int", "serial") ? DrawnKind.Whole
            : Has("bool") ? DrawnKind.Truth
            : Has("timestamp", "datetime") ? DrawnKind.Moment
            : words == "date" ? DrawnKind.Day
            : Has("char", "text", "clob", "name") ? DrawnKind.Text
            : Has("real", "float", "double", "numeric", "decimal", "number") ? DrawnKind.Number
            : DrawnKind.Unknown;
    }

    /// <summary>A value that a comparison may tell from this one: the next number, a moment of the same day, or one that another time zone makes it.</summary>
    private static SqlValue Beside(SqlValue value, ref SplitMix random)
    {
        if (value.Kind == SqlValueKind.Integer)
        {
            return SqlValue.Of(value.Integer + (random.Coin() ? 1 : -1));
        }

        if (value.Kind == SqlValueKind.Text && value.Text.Length >= 10 && Day(value.Text[..10]) is { } day)
        {
            string before = Text(day.AddDays(-1)), after = Text(day.AddDays(1));
            return SqlValue.Of(random.Below(5) switch { 0 => $"{value.Text[..10]} 09:30:00", 1 => before, 2 => after, 3 => $"{value.Text[..10]} 23:59:59", _ => $"{after}T00:30:00+02:00" });
        }

        return value.Kind == SqlValueKind.Text ? SqlValue.Of(random.Below(3) switch { 0 => value.Text.Trim('%'), 1 => value.Text.ToUpperInvariant(), _ => value.Text + "a" }) : value;
    }

    private string Near(int which, ref SplitMix random) => Day(_days[which]) is { } day ? Text(day.AddDays(random.Below(3) - 1)) : AnyDay;

    private static DateOnly? Day(string text) =>
        DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out DateOnly day) && day > DateOnly.MinValue.AddDays(2) && day < DateOnly.MaxValue.AddDays(-2) ? day : null;

    private static string Text(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static IEnumerable<SqlValue> ValuesOf(SyntaxNode node, IReadOnlyList<IReadOnlyList<Binding>> cases) => node switch
    {
        Literal literal => ValueOf(literal.Text) is { } value ? [value] : [],
        Parameter parameter => cases.SelectMany(c => c).Where(b => b.Key == parameter.Key && b.Value.Kind != SqlValueKind.Null).Select(b => b.Value),
        Cast cast => ValuesOf(cast.Operand, cases),
        Enclosed enclosed => ValuesOf(enclosed.Inner, cases),
        Unary { Operator: "-", Operand: Literal literal } => SqlValue.OfNumber(literal.Text, negative: true) is { } negative ? [negative] : [],
        Call call => call.Arguments.SelectMany(a => ValuesOf(a, cases)),
        _ => [],
    };

    private static SqlValue? ValueOf(string literal) => literal is ['\'', .. var text, '\''] ? SqlValue.Of(text.Replace("''", "'", StringComparison.Ordinal))
        : literal.Length > 0 && char.IsAsciiDigit(literal[0]) ? SqlValue.OfNumber(literal, negative: false) : null;
}
