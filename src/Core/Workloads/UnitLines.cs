using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>The statements of a file that make one line: one, or those of a unit of work.</summary>
/// <param name="Lines">In their order, with what the comments above each say.</param>
internal sealed record UnitLines(IReadOnlyList<(ScriptStatement Item, List<Directive> Directives)> Lines)
{
    /// <summary>What says something of a whole line, and so stands above its first statement.</summary>
    private static readonly string[] OfTheWhole = ["calls", "bind", "tolerance", "rewrite", Directive.Budget, Directive.Exception];

    /// <summary>From the first statement to the end of the last, without its semicolon.</summary>
    public TextSpan Body => TextSpan.Between(Lines[0].Item.Body.Start, Lines[^1].Item.Body.End);

    /// <summary>What the comments above a statement say.</summary>
    public static List<Directive> DirectivesOf(string text, ScriptStatement item, SqlDialect dialect) =>
        Directive.ReadFrom(text, TextSpan.Between(item.Whole.Start, item.Body.Start), dialect);

    /// <summary>
    /// Puts statements together: below <c>-- unit: NAME</c> those that have no name of their own, or that of the same unit; and below any statement
    /// those that say <c>-- then</c> or <c>-- each row</c>.
    /// </summary>
    /// <param name="text">What they stand in.</param>
    /// <param name="items">The statements.</param>
    /// <param name="dialect">Of them.</param>
    /// <param name="part">Which input the text is.</param>
    /// <param name="problems">Told what does not fit.</param>
    /// <param name="named">Whether statements without a mark belong to the unit above them; of a change they are steps of a migration.</param>
    public static IReadOnlyList<UnitLines> Read(
        string text, IReadOnlyList<ScriptStatement> items, SqlDialect dialect, InputPart part, List<InputProblem> problems, bool named = true)
    {
        var groups = new List<List<(ScriptStatement, List<Directive>)>>();
        string? open = null;
        foreach (ScriptStatement item in items)
        {
            List<Directive> directives = DirectivesOf(text, item, dialect);
            Directive? mark = directives.FirstOrDefault(d => d.Key is Directive.EachRow or Directive.Then);
            string? unit = directives.FirstOrDefault(d => d.Key == Directive.Unit)?.Value;
            bool ended = directives.Any(d => d.Key == Directive.UnitEnds);
            bool own = directives.Any(d => d.Key is "name" or "rewrite");
            bool goesOn = !ended && groups.Count > 0
                && (unit is not null ? unit == open : mark is not null || (named && open is not null && !own));
            if (mark is not null && !goesOn)
            {
                problems.Add(InputProblem.At(part, text, mark.Span,
                    groups.Count == 0 ? $"No statement stands before this '{mark.Key}'." : $"A unit begins here, and '{mark.Key}' goes on with the one before."));
            }

            if (!goesOn)
            {
                groups.Add([(item, directives)]);
                open = unit;
                continue;
            }

            groups[^1].Add((item, directives));
            Check(text, item, directives, groups[^1], part, problems);
        }

        return [.. groups.Select(g => new UnitLines(g))];
    }

    private static void Check(
        string text, ScriptStatement item, List<Directive> directives, List<(ScriptStatement Item, List<Directive> Directives)> group, InputPart part, List<InputProblem> problems)
    {
        foreach (Directive stray in directives.Where(d => OfTheWhole.Contains(d.Key)))
        {
            problems.Add(InputProblem.At(part, text, stray.Span, $"'{stray.Key}' is said of a whole unit: it stands above its first statement."));
        }

        if (group.Count == WorkUnit.MostStatements + 1)
        {
            problems.Add(InputProblem.At(part, text, item.Body, $"A unit has at most {WorkUnit.MostStatements} statements."));
        }

        List<Directive> loops = [.. directives.Where(d => d.Key is Directive.EachRow or Directive.Then)];
        if (loops.Count > 1)
        {
            problems.Add(InputProblem.At(part, text, loops[1].Span, $"This statement has '{loops[0].Key}' already."));
        }

        if (WorkUnit.LoopOf(directives) is not { } loop)
        {
            return;
        }

        if (WorkUnit.ListOf(loop) is { } list && list >= group.Count)
        {
            problems.Add(InputProblem.At(part, text, loop.Span, $"'{loop.Key} {loop.Qualifier}' goes through the rows of a statement before this one, which is number {group.Count} of its unit."));
        }

        if (WorkUnit.ValuesOf(loop) is null)
        {
            problems.Add(InputProblem.At(part, text, loop.Span, "Behind 'each row:' stands which column gives which parameter, as in 'hut = id, 2 = night'."));
        }
    }
}
