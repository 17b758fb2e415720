using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Migrations;

/// <summary>A workload held against what it was: statements of the same name with another text count as rewrites, and new ones have no before.</summary>
/// <param name="Before">The workload of today, in which changed statements have the text of then.</param>
/// <param name="Rewrites">Changed statements as a change file has them; empty text where there is none.</param>
/// <param name="New">Names of statements without a before.</param>
/// <param name="Changed">Names of changed ones.</param>
/// <param name="Notes">What has to be known: statements that are gone, and budgets that became looser.</param>
public sealed record WorkloadSince(ComposedText Before, ComposedText Rewrites, IReadOnlyList<string> New, IReadOnlyList<string> Changed, IReadOnlyList<string> Notes)
{
    /// <summary>Holds a workload against an older text of it.</summary>
    /// <param name="file">Of today.</param>
    /// <param name="now">The file as read.</param>
    /// <param name="then">The older text as read.</param>
    /// <param name="dialect">Of both.</param>
    public static WorkloadSince Of(SourceFile file, Workload now, Workload then, SqlDialect dialect)
    {
        var before = new ComposedText();
        var rewrites = new ComposedText();
        List<string> added = [], changed = [], notes = [];
        int at = 0;
        foreach (WorkloadStatement statement in now.Statements)
        {
            WorkloadStatement? was = then.Statements.FirstOrDefault(s => s.Name == statement.Name);
            if (was is null)
            {
                added.Add(statement.Name);
                continue;
            }

            notes.AddRange(Loosened(was, statement));
            if (SameStatements.Are(was.Sql, statement.Sql, dialect))
            {
                continue;
            }

            // With the values of today's bind lines the text of then has to run.
            if (!Bound(was).ToHashSet().SetEquals(Bound(statement)))
            {
                added.Add(statement.Name);
                notes.Add($"'{statement.Name}' has other parameters than in the base: it is taken as a new statement.");
                continue;
            }

            changed.Add(statement.Name);
            before.Add(file, TextSpan.Between(at, statement.Body.Start)).Add(file, was.Unit?.ToScript() ?? was.Sql, statement.Body.Start);
            at = statement.Body.End;
            rewrites.Add(file, $"-- rewrite: {statement.Name}\n", statement.Body.Start);
            _ = statement.Unit is { } unit ? rewrites.Add(file, unit.ToScript(), statement.Body.Start) : rewrites.Add(file, statement.Body);
            rewrites.Add(file, "\n;\n", statement.Body.End);
        }

        before.Add(file, TextSpan.Between(at, file.Text.Length));
        notes.AddRange(then.Statements.Where(s => now.Statements.All(n => n.Name != s.Name)).Select(s => $"'{s.Name}' is gone from the workload{(s.Budgets.Count > 0 ? ", with its budgets" : "")}."));
        return new(before, rewrites, added, changed, notes);
    }

    private static IReadOnlyList<string> Bound(WorkloadStatement statement) => statement.Unit?.BoundParameters ?? statement.Parameters;

    /// <summary>A change that moves its own limits says so.</summary>
    private static IEnumerable<string> Loosened(WorkloadStatement was, WorkloadStatement now) => was.Budgets
        .Select(b => (Was: b, Now: now.Budgets.FirstOrDefault(n => n.LimitsSameAs(b))))
        .Where(p => p.Now is null || p.Now.Limit > p.Was.Limit)
        .Select(p => $"The budget '{p.Was.Words}' of '{now.Name}' {(p.Now is null ? "is gone" : $"became '{p.Now.Words}'")}.");
}
