using System.Globalization;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>Reads workload files: SQL scripts whose comments name statements, their calls and parameter sets.</summary>
/// <remarks>The format is described for users in docs/formats.md.</remarks>
public static class WorkloadFile
{
    private const InputPart Part = InputPart.Workload;

    /// <summary>First words of what is neither a query nor a write: told here, and not by an engine's complaint about words that nobody wrote.</summary>
    private static readonly HashSet<string> NotMeasured =
    [
        "abort", "alter", "analyze", "begin", "call", "checkpoint", "close", "cluster", "comment", "commit", "create", "deallocate", "declare", "discard", "do", "drop", "end", "execute", "explain",
        "fetch", "grant", "import", "lock", "move", "pragma", "prepare", "refresh", "reindex", "release", "reset", "revoke", "rollback", "savepoint", "security", "set", "show", "start", "truncate", "vacuum",
    ];

    /// <summary>Reads a file as far as it can be understood; the problems say what could not.</summary>
    /// <param name="text">The file, with or without a byte order mark, any line ends.</param>
    /// <param name="dialect">Of the statements.</param>
    public static Parsed<Workload> Parse(string text, SqlDialect dialect) => Parse(text, dialect, complete: true);

    /// <param name="text">The file.</param>
    /// <param name="dialect">Of the statements.</param>
    /// <param name="complete">Whether bind lines have to give every parameter a value; else others may.</param>
    internal static Parsed<Workload> Parse(string text, SqlDialect dialect, bool complete)
    {
        var problems = new List<InputProblem>();
        var statements = new List<WorkloadStatement>();
        var names = new Dictionary<string, TextPlace>(StringComparer.Ordinal);
        SqlScript script = SqlScript.Split(text, dialect);

        // A load plays the statements of a unit one by one, and says itself which belong together.
        IReadOnlyList<UnitLines> groups = complete ? UnitLines.Read(text, script.Statements, dialect, Part, problems)
            : [.. script.Statements.Select(s => new UnitLines([new(s, UnitLines.DirectivesOf(text, s, dialect))]))];
        foreach (UnitLines group in groups)
        {
            statements.Add(ReadStatement(text, group, dialect, names, complete, problems));
        }

        List<Directive> rest = Directive.ReadFrom(text, script.Rest, dialect);
        foreach (Directive stray in rest.Where(d => d.Key != Directive.BudgetForAll))
        {
            problems.Add(InputProblem.At(Part, text, stray.Span, $"No statement follows this '{stray.Key}'."));
        }

        if (statements.Count == 0)
        {
            problems.Add(new(Part, new(1, 1),
                "The workload holds no statement. Write at least one query, with '-- name: ...' above it if it should have a name."));
        }

        IEnumerable<Directive> forAll = groups.SelectMany(g => g.Lines).SelectMany(l => l.Directives).Concat(rest).Where(d => d.Key == Directive.BudgetForAll);
        return new(new(statements) { Budgets = FileBudget.Read(text, forAll, problems) }, problems);
    }

    private static WorkloadStatement ReadStatement(
        string text, UnitLines group, SqlDialect dialect, Dictionary<string, TextPlace> names, bool complete, List<InputProblem> problems)
    {
        (ScriptStatement item, List<Directive> directives) = group.Lines[0];
        string sql = group.Body.Of(text);
        SqlPattern pattern = SqlPattern.Of(sql, dialect);
        WorkUnit? unit = group.Lines.Count > 1 ? WorkUnit.Of(sql, dialect) : null;
        foreach (ScriptStatement one in group.Lines.Select(l => l.Item))
        {
            ReportShape(text, one, StatementShape.Of(one.Body.Of(text), dialect), dialect, problems);
        }

        StatementShape shape = StatementShape.Of(sql, dialect);
        IReadOnlyList<string> parameters = unit?.Parameters ?? shape.Parameters;
        string name = NameOf(text, item, complete ? directives : [.. directives.Where(d => d.Key != Directive.Unit)], pattern, names, problems);
        double? calls = ReadCalls(text, Single(text, directives, "calls", problems), problems);
        double? tolerance = ReadTolerance(text, Single(text, directives, "tolerance", problems), problems);
        List<BindLine> binds = directives.Where(d => d.Key == "bind").Select(d => BindLine.Read(text, d, Part, problems)).ToList();
        foreach (Directive loop in complete ? [] : directives.Where(d => d.Key is Directive.EachRow or Directive.Then))
        {
            problems.Add(InputProblem.At(Part, text, loop.Span, $"'{loop.Key}' is for trials: a rehearsal plays the statements of a unit one behind the other, each with the same '-- unit: NAME' above it."));
        }

        foreach (Directive rewrite in directives.Where(d => d.Key == "rewrite"))
        {
            problems.Add(InputProblem.At(Part, text, rewrite.Span, "A rewrite belongs into the change, not into the workload."));
        }

        CheckParameters(text, item, name, parameters, unit?.BoundParameters ?? parameters, binds, complete, problems);
        return new(item.Number, name, sql, group.Body, pattern, calls, tolerance, parameters, unit?.OrdersRows ?? shape.OrdersRows,
            CasesOf(text, binds, problems))
        { Unit = unit, Budgets = Budget.Read(text, directives, unit is not null, problems), Exceptions = LimitException.Read(text, directives, problems) };
    }

    private static string FirstWord(string sql, SqlDialect dialect)
    {
        var lexer = new SqlLexer(sql, dialect);
        return lexer.TryReadSignificant(out Token first) && first.Kind == TokenKind.Word ? lexer.TextOf(first).ToString().ToLowerInvariant() : "";
    }

    private static void ReportShape(string text, ScriptStatement item, StatementShape shape, SqlDialect dialect, List<InputProblem> problems)
    {
        if (shape.Flaw is { } flaw)
        {
            problems.Add(InputProblem.At(Part, text, new(item.Body.Start + flaw.Start, flaw.Length),
                $"Statement {item.Number}: {StatementShape.Describe(flaw.Flaw)}", item.Number));
        }

        string first = FirstWord(item.Body.Of(text), dialect);
        string? refusal = shape.Refusal ?? (first switch
        {
            "explain" => "EXPLAIN is not measured: give the statement alone, its plans are shown.",
            "set" or "reset" or "pragma" => $"{first.ToUpperInvariant()} is not measured: a setting belongs into the change, where it holds for the after side.",
            _ when NotMeasured.Contains(first) =>
                $"{first.ToUpperInvariant()} is not measured: a workload holds queries and writes, and each write runs in a transaction of its own that is rolled back.",
            _ => null,
        });
        if (refusal is not null)
        {
            problems.Add(InputProblem.At(Part, text, item.Body, $"Statement {item.Number}: {refusal}", item.Number));
        }
    }

    private static Directive? Single(string text, List<Directive> directives, string key, List<InputProblem> problems)
    {
        List<Directive> all = directives.Where(d => d.Key == key).ToList();
        if (all.Count > 1)
        {
            problems.Add(InputProblem.At(Part, text, all[1].Span, $"This statement has a '{key}' already."));
        }

        return all.FirstOrDefault();
    }

    private static string NameOf(
        string text, ScriptStatement item, List<Directive> directives, SqlPattern pattern,
        Dictionary<string, TextPlace> names, List<InputProblem> problems)
    {
        Directive? unit = Single(text, directives, Directive.Unit, problems), own = Single(text, directives, "name", problems);
        if ((unit ?? own) is { } given)
        {
            if (given.Value.Length == 0)
            {
                problems.Add(InputProblem.At(Part, text, given.Span, $"The name is missing behind '{given.Key}:'."));
            }
            else if (!names.TryAdd(given.Value, TextPlace.At(text, given.Span.Start)))
            {
                problems.Add(InputProblem.At(Part, text, given.Span,
                    $"The name '{given.Value}' is used twice; it stands first at {names[given.Value]}."));
            }

            return given.Value.Length > 0 ? given.Value : pattern.Name;
        }

        string name = pattern.Name;
        for (int copy = 2; !names.TryAdd(name, TextPlace.At(text, item.Body.Start)); copy++)
        {
            name = string.Create(CultureInfo.InvariantCulture, $"{pattern.Name} ({copy})");
        }

        return name;
    }

    private static double? ReadCalls(string text, Directive? directive, List<InputProblem> problems)
    {
        if (directive is null)
        {
            return null;
        }

        if (CallRate.PerDay(directive.Value) is { } calls)
        {
            return calls;
        }

        problems.Add(InputProblem.At(Part, text, directive.Span,
            $"'{directive.Value}' is not a rate of calls: write a number and a unit, as in 1200/day (second, minute, hour, day)."));
        return null;
    }

    private static double? ReadTolerance(string text, Directive? directive, List<InputProblem> problems)
    {
        if (directive is null)
        {
            return null;
        }

        string number = directive.Value.TrimEnd('%').TrimEnd();
        if (double.TryParse(number, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out double percent)
            && percent is > 0 and <= 1000)
        {
            return percent / 100;
        }

        problems.Add(InputProblem.At(Part, text, directive.Span,
            $"'{directive.Value}' is not a tolerance: write a percentage above 0, as in 5 %."));
        return null;
    }

    private static void CheckParameters(
        string text, ScriptStatement item, string name, IReadOnlyList<string> parameters, IReadOnlyList<string> bound, List<BindLine> binds, bool complete,
        List<InputProblem> problems)
    {
        if (complete && bound.Count > 0 && binds.Count == 0)
        {
            problems.Add(InputProblem.At(Part, text, item.Body,
                $"Statement {item.Number} ('{name}') has {Listed(bound)}, but no bind line gives a value. Add '-- bind: {bound[0]}=...' above it.", item.Number));
        }

        foreach (BindLine bind in binds)
        {
            List<string> missing = bound.Where(p => bind.Bindings.All(b => b.Key != p)).ToList();
            List<string> extra = bind.Bindings.Select(b => b.Key).Where(k => !parameters.Contains(k)).ToList();
            if (complete && missing.Count > 0)
            {
                problems.Add(InputProblem.At(Part, text, bind.Span, $"This bind line gives no value for {Listed(missing)} of '{name}'."));
            }

            if (complete && extra.Count > 0)
            {
                problems.Add(InputProblem.At(Part, text, bind.Span, $"'{name}' has no {Listed(extra)}."));
            }
        }
    }

    internal static string Listed(IReadOnlyList<string> parameters) =>
        (parameters.Count == 1 ? "parameter " : "parameters ") + string.Join(", ", parameters);

    private static List<StatementCase> CasesOf(string text, List<BindLine> binds, List<InputProblem> problems)
    {
        if (binds.Count == 0)
        {
            return [new("1", 1, [])];
        }

        double given = binds.Sum(b => b.Share ?? 0);
        int open = binds.Count(b => b.Share is null);
        if (given > 1 + 1e-9 || (open == 0 && Math.Abs(given - 1) > 1e-3))
        {
            problems.Add(InputProblem.At(Part, text, binds[^1].Span, string.Create(CultureInfo.InvariantCulture,
                $"The shares of this statement's bind lines add up to {given:0.###}; they must add up to 1.")));
        }

        double rest = open > 0 ? Math.Max(0, 1 - given) / open : 0;
        return binds.Select((bind, i) => new StatementCase(
            (i + 1).ToString(CultureInfo.InvariantCulture), bind.Share ?? rest, bind.Bindings)).ToList();
    }
}
