using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>Reads change files: migration scripts, in which <c>-- rewrite: NAME</c> marks a statement's replacement.</summary>
public static class ChangeFile
{
    private const InputPart Part = InputPart.Change;

    /// <summary>Reads a file and holds it against the workload that it will be tested with.</summary>
    public static Parsed<Change> Parse(string text, Workload workload, SqlDialect dialect) => Parse(text, workload, dialect, complete: true);

    /// <param name="text">The file.</param>
    /// <param name="workload">What it is held against.</param>
    /// <param name="dialect">Of its statements.</param>
    /// <param name="complete">Whether the workload's cases have to give a rewrite all of its values; else others may.</param>
    internal static Parsed<Change> Parse(string text, Workload workload, SqlDialect dialect, bool complete)
    {
        var problems = new List<InputProblem>();
        var steps = new List<ChangeStep>();
        var rewrites = new List<Rewrite>();
        SqlScript script = SqlScript.Split(text, dialect);

        foreach (UnitLines group in UnitLines.Read(text, script.Statements, dialect, Part, problems, named: false))
        {
            (ScriptStatement item, List<Directive> directives) = group.Lines[0];
            string sql = group.Body.Of(text);
            TextPlace place = TextPlace.At(text, item.Body.Start);
            foreach (ScriptStatement one in group.Lines.Select(l => l.Item))
            {
                ReportShape(text, one, dialect, problems);
            }

            foreach (Directive budget in directives.Where(d => d.Key is Directive.Budget or Directive.BudgetForAll or Directive.Exception))
            {
                problems.Add(InputProblem.At(Part, text, budget.Span, $"{(budget.Key == Directive.Exception ? "An exception" : "A budget")} belongs into the workload, not into the change: what a change must keep is not the change's to say."));
            }

            StatementShape shape = StatementShape.Of(sql, dialect);
            WorkUnit? unit = group.Lines.Count > 1 ? WorkUnit.Of(sql, dialect) : null;

            if (directives.FirstOrDefault(d => d.Key == "rewrite") is { } directive)
            {
                List<BindLine> binds = directives.Where(d => d.Key == "bind")
                    .Select(d => BindLine.Read(text, d, Part, problems)).ToList();
                var rewrite = new Rewrite(item.Number, directive.Value, sql, group.Body, place, unit?.BoundParameters ?? shape.Parameters, unit?.OrdersRows ?? shape.OrdersRows,
                    binds.Select(b => b.Bindings).ToList())
                { Unit = unit };
                if (unit is not null && !complete)
                {
                    problems.Add(InputProblem.At(Part, text, group.Lines[1].Item.Body, "A rehearsal plays the statements of a unit one by one: a rewrite of one is one statement."));
                }

                CheckRewrite(text, rewrite, directive, rewrites, workload, complete, problems);
                rewrites.Add(rewrite);
                continue;
            }

            if (unit is not null)
            {
                problems.Add(InputProblem.At(Part, text, group.Lines[1].Item.Body, $"Statement {group.Lines[1].Item.Number} goes on with a unit, but the statement before it is no rewrite of one."));
                continue;
            }

            if (shape.Parameters.Count > 0 && shape.FirstWord != "create")
            {
                problems.Add(InputProblem.At(Part, text, item.Body,
                    $"Statement {item.Number} has {WorkloadFile.Listed(shape.Parameters)}: a migration runs as it stands, without values.", item.Number));
            }

            steps.Add(new(item.Number, sql, item.Body, place));
        }

        foreach (Directive stray in Directive.ReadFrom(text, script.Rest, dialect).Where(d => d.Key == "rewrite"))
        {
            problems.Add(InputProblem.At(Part, text, stray.Span, "No statement follows this 'rewrite'."));
        }

        if (steps.Count + rewrites.Count == 0)
        {
            problems.Add(new(Part, new(1, 1),
                "The change holds no statement. To see what this machine can tell when nothing changes, run a noise check instead."));
        }

        return new(new(steps, rewrites), problems);
    }

    private static void ReportShape(string text, ScriptStatement item, SqlDialect dialect, List<InputProblem> problems)
    {
        StatementShape shape = StatementShape.Of(item.Body.Of(text), dialect);
        if (shape.Flaw is { } flaw)
        {
            problems.Add(InputProblem.At(Part, text, new(item.Body.Start + flaw.Start, flaw.Length),
                $"Statement {item.Number}: {StatementShape.Describe(flaw.Flaw)}", item.Number));
        }

        if (shape.Refusal is { } refusal)
        {
            problems.Add(InputProblem.At(Part, text, item.Body, $"Statement {item.Number}: {refusal}", item.Number));
        }
    }

    private static void CheckRewrite(
        string text, Rewrite rewrite, Directive directive, List<Rewrite> earlier, Workload workload, bool complete, List<InputProblem> problems)
    {
        WorkloadStatement? original = workload.Statements.FirstOrDefault(s => s.Name == rewrite.Statement);
        if (original is null)
        {
            problems.Add(InputProblem.At(Part, text, directive.Span,
                $"The workload has no statement named '{rewrite.Statement}' to rewrite."));
            return;
        }

        if (earlier.Any(r => r.Statement == rewrite.Statement))
        {
            problems.Add(InputProblem.At(Part, text, directive.Span, $"'{rewrite.Statement}' is rewritten already in this change."));
        }

        if (rewrite.CaseBindings.Count > 0 && rewrite.CaseBindings.Count != original.Cases.Count)
        {
            problems.Add(InputProblem.At(Part, text, directive.Span,
                $"This rewrite has {rewrite.CaseBindings.Count} bind lines, but '{original.Name}' has {original.Cases.Count} cases: give one for each, in their order."));
            return;
        }

        for (int i = 0; complete && i < original.Cases.Count; i++)
        {
            IReadOnlyList<Binding> bindings = rewrite.BindingsFor(original, i);
            List<string> missing = rewrite.Parameters.Where(p => bindings.All(b => b.Key != p)).ToList();
            if (missing.Count > 0)
            {
                problems.Add(InputProblem.At(Part, text, directive.Span,
                    $"Case {original.Cases[i].Label} of '{original.Name}' gives this rewrite no value for {WorkloadFile.Listed(missing)}. Bind lines above the rewrite may give values of its own."));
                return;
            }
        }
    }
}
