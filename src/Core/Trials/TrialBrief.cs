using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Trials;

/// <summary>One line to measure: a statement's case, and what runs on each side.</summary>
/// <param name="Number">From 1, in the order of the workload; a line keeps its number whatever else is measured.</param>
/// <param name="Statement">The statement's name.</param>
/// <param name="Case">The case's label.</param>
/// <param name="CallsPerDay">The case's share of the statement's calls; null where the workload does not say.</param>
/// <param name="Tolerance">Half-width of this line's band, as a fraction.</param>
/// <param name="Rewritten">Whether the after side runs a rewrite.</param>
/// <param name="ComparesOrder">Whether the outermost query of the before side orders its rows: that is what a rewrite has to keep.</param>
/// <param name="AfterBindings">Its values.</param>
/// <param name="AfterPlace">Where it stands in its file.</param>
/// <param name="AfterSql">What runs on the after side.</param>
/// <param name="BeforeBindings">Its values.</param>
/// <param name="BeforePlace">Where it stands in its file.</param>
/// <param name="BeforeSql">What runs on the before side.</param>
/// <param name="Pattern">The pattern's hash, 16 hexadecimal digits.</param>
public sealed record LineBrief(
    int Number,
    string Statement,
    string Pattern,
    string Case,
    double? CallsPerDay,
    double Tolerance,
    bool Rewritten,
    bool ComparesOrder,
    string BeforeSql,
    IReadOnlyList<Binding> BeforeBindings,
    TextPlace BeforePlace,
    string AfterSql,
    IReadOnlyList<Binding> AfterBindings,
    TextPlace AfterPlace)
{
    /// <summary>Whether the outermost query of the after side orders its rows.</summary>
    public bool AfterOrders { get; init; } = true;

    /// <summary>The statements of the before side where it is a unit of several; null where it is one.</summary>
    public WorkUnit? BeforeUnit { get; init; }

    /// <summary>Likewise of the after side.</summary>
    public WorkUnit? AfterUnit { get; init; }
}

/// <summary>What a trial will do: everything that follows from the files and options alone.</summary>
public sealed record TrialBrief(Workload Workload, Change Change, TrialOptions Options, IReadOnlyList<LineBrief> Lines)
{
    /// <summary>All statements that the engine is given, one by one, with the file that each stands in.</summary>
    public IReadOnlyList<(InputPart Part, SentStatement Statement)> Sent =>
        [.. Workload.Statements.SelectMany(s => s.Sent).Select(s => (InputPart.Workload, s)), .. Change.Rewrites.SelectMany(r => r.Sent).Select(s => (InputPart.Change, s))];

    /// <summary>Reads the files and lays out the lines.</summary>
    /// <returns>The brief, and what is wrong with the files; nothing may be measured while anything is.</returns>
    public static Parsed<TrialBrief> Read(string workloadText, string changeText, TrialOptions options)
    {
        Parsed<Workload> workload = WorkloadFile.Parse(workloadText, options.Engine.Dialect);
        Parsed<Change> change = options.NoiseCheck || (options.Sides == SubjectSides.Pair && string.IsNullOrWhiteSpace(changeText)) ? new(Change.Nothing, []) : ChangeFile.Parse(changeText, workload.Value, options.Engine.Dialect);
        var problems = workload.Problems.Concat(change.Problems).ToList();
        var only = (options.Only ?? []).ToHashSet();
        foreach (string name in only.Where(n => workload.Value.Statements.All(s => s.Name != n)))
        {
            problems.Add(new(InputPart.Options, null, $"The workload has no statement named '{name}' to measure."));
        }

        var lines = new List<LineBrief>();
        foreach (WorkloadStatement statement in workload.Value.Statements)
        {
            Rewrite? rewrite = change.Value.RewriteOf(statement.Name);
            if (rewrite is { CaseBindings.Count: > 0 } && rewrite.CaseBindings.Count != statement.Cases.Count)
            {
                rewrite = null;
            }

            for (int i = 0; i < statement.Cases.Count; i++)
            {
                lines.Add(LineOf(lines.Count + 1, workloadText, statement, i, rewrite, options));
            }
        }

        return new(new(workload.Value, change.Value, options,
            lines.Where(l => only.Count == 0 || only.Contains(l.Statement)).ToList()), problems);
    }

    private static LineBrief LineOf(
        int number, string workloadText, WorkloadStatement statement, int caseIndex, Rewrite? rewrite, TrialOptions options)
    {
        StatementCase @case = statement.Cases[caseIndex];
        TextPlace place = TextPlace.At(workloadText, statement.Body.Start);
        return new(number, statement.Name, statement.Pattern.Name, @case.Label, statement.CallsPerDay * @case.Share,
            statement.Tolerance ?? options.Tolerance, rewrite is not null, statement.OrdersRows,
            statement.Sql, @case.Bindings, place,
            rewrite?.Sql ?? statement.Sql, rewrite?.BindingsFor(statement, caseIndex) ?? @case.Bindings, rewrite?.Place ?? place)
        {
            AfterOrders = rewrite?.OrdersRows ?? statement.OrdersRows,
            BeforeUnit = statement.Unit,
            AfterUnit = rewrite is null ? statement.Unit : rewrite.Unit,
        };
    }
}
