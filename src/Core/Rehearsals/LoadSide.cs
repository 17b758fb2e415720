using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>What a load executes on one side: on the after side, rewrites take their statements' places, and parts do what they say they do there.</summary>
public static class LoadSide
{
    /// <summary>The load with the rewrites of a change in it.</summary>
    /// <param name="load">As the file has it.</param>
    /// <param name="change">Read with the load's workload.</param>
    public static Load With(this Load load, Change change)
    {
        WorkloadStatement[] statements = [.. load.Workload.Statements.Select(s => change.RewriteOf(s.Name) is { } r ? Rewritten(s, r) : s)];
        return new(new(statements), [.. load.Parts.Select(p => p with { CommitEvery = p.CommitEveryAfter ?? p.CommitEvery, Sessions = p.SessionsAfter ?? p.Sessions, Tasks = [.. p.Tasks.Select(t => With(t, statements))] })]);
    }

    private static WorkloadStatement Rewritten(WorkloadStatement statement, Rewrite rewrite) => statement with
    {
        Sql = rewrite.Sql,
        Parameters = rewrite.Parameters,
        Cases = [.. statement.Cases.Select((c, i) => c with { Bindings = rewrite.BindingsFor(statement, i) })],
    };

    private static LoadTask With(LoadTask task, WorkloadStatement[] statements)
    {
        LoadStep[] steps = [.. task.Steps.Select(s => s with { Statement = statements[s.Index] })];
        string[] keys = [.. task.Keys.Concat(steps.SelectMany(s => s.Statement.Parameters)).Distinct()];
        ValueDraw?[] draws = [.. keys.Select((_, i) => i < task.Values.Draws.Count ? task.Values.Draws[i] : null)];
        return task with { Steps = steps, Keys = keys, Values = LoadFile.ValuesOf(steps, keys, draws) };
    }
}
