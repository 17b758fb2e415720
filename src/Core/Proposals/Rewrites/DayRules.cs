using System.Globalization;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>The day of a column held against days: as a range of the column itself, which an index serves.</summary>
internal static class DayRules
{
    public static IEnumerable<RewriteCandidate> DayToRange(RewriteInput input)
    {
        if (KnownEngines.Find(input.Dialect.Id)?.Days is not { } days)
        {
            yield break;
        }

        foreach (QueryScope scope in input.Scopes)
        {
            var edits = new List<(TextSpan, string)>();
            var columns = new List<ResolvedColumn>();
            foreach (Expression term in RewriteInput.ConditionsOf(scope.Select))
            {
                if (RangeOf(input, scope, days, term) is var (text, column))
                {
                    edits.Add((term.Span!.Value, text));
                    columns.Add(column);
                }
            }

            if (edits.Count > 0 && input.With(edits) is { } sql)
            {
                string names = string.Join(" and ", columns.Select(c => c.Column.Name).Distinct());
                yield return new(
                    RewriteKind.DayToRange, sql, $"A function on {names} keeps its index from being used.",
                    [.. columns.DistinctBy(c => c.Qualified).Select(c => ConditionOf(days, c)), .. days.Form is null ? Array.Empty<RewriteCondition>() : [RewriteCondition.Met("The values that it is held against are days in all of its cases: written 2026-07-18.")]]);
            }
        }
    }

    private static RewriteCondition ConditionOf(DayForms days, ResolvedColumn column)
    {
        string table = column.Source.Table!.Name, name = $"{table}.{column.Column.Name}";
        return days.Form is null ? RewriteCondition.Met($"{name} is of a type with days in order, infinity aside.")
            : new(
                $"Each {name} begins with its day, written as 2026-07-18, and names no time zone; nothing in the schema sees to it.", false,
                $"SELECT 1 FROM {SqlName.Of(column.Source.Table)} WHERE {days.Violated!(SqlName.Quoted(column.Column.Name))} LIMIT 1", table, column.Column.Name, days.Form);
    }

    private static (string Text, ResolvedColumn Column)? RangeOf(RewriteInput input, QueryScope scope, DayForms days, Expression term)
    {
        if (term is Between { Not: false, Symmetric: false } between && Column(scope, days, between.Operand) is { } within && IsDay(input, days, between.Low) && IsDay(input, days, between.High))
        {
            string name = input.Text(days.ColumnOf(between.Operand)!);
            return ($"{name} >= {days.Start(input.Text(between.Low))} AND {name} < {days.Next(input.Text(between.High))}", within);
        }

        if (term is not Binary { Operator: "=" or "==" or "<" or "<=" or ">" or ">=" } compared)
        {
            return null;
        }

        bool turned = days.ColumnOf(compared.Left) is null;
        (Expression day, Expression value) = turned ? (compared.Right, compared.Left) : (compared.Left, compared.Right);
        if (Column(scope, days, day) is not { } column || !IsDay(input, days, value))
        {
            return null;
        }

        string sign = turned ? compared.Operator switch { "<" => ">", ">" => "<", "<=" => ">=", ">=" => "<=", var same => same } : compared.Operator;
        (string its, string text) = (input.Text(days.ColumnOf(day)!), input.Text(value));
        return (sign switch
        {
            "<" => $"{its} < {days.Start(text)}",
            "<=" => $"{its} < {days.Next(text)}",
            ">" => $"{its} >= {days.Next(text)}",
            ">=" => $"{its} >= {days.Start(text)}",
            _ => $"{its} >= {days.Start(text)} AND {its} < {days.Next(text)}",
        }, column);
    }

    private static ResolvedColumn? Column(QueryScope scope, DayForms days, Expression side) =>
        days.ColumnOf(side) is { } name && scope.Resolve(name) is { } column && column.Scope == scope && column.Column.Type.StartsWith(days.Type, StringComparison.OrdinalIgnoreCase) ? column : null;

    /// <summary>Whether a value is a day in all cases; of an engine with days of their own it is one, whatever it is written like.</summary>
    private static bool IsDay(RewriteInput input, DayForms days, Expression value)
    {
        if (value.Descend().Any(n => n is Query) || QueryScope.NamesIn(value).Any())
        {
            return false;
        }

        static bool Day(string text) => text.Length == 10 && DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out DateOnly day) && day < DateOnly.MaxValue;
        return days.Form is null || RewriteInput.Bare(value) switch
        {
            Literal { Text: ['\'', .. var text, '\''] } => Day(text),
            Parameter parameter => input.Cases.Count > 0 && input.Cases.All(c => c.TryGetValue(parameter.Key, out SqlValue? given) && given.Kind == SqlValueKind.Text && Day(given.Text)),
            _ => false,
        };
    }
}
