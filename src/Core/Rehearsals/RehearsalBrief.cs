using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>What a rehearsal will do: everything that follows from the files and options alone.</summary>
/// <param name="Load">Of the before side.</param>
/// <param name="AfterLoad">The same with the change's rewrites.</param>
/// <param name="Change">What is tested; nothing where one side runs.</param>
/// <param name="Options">How.</param>
public sealed record RehearsalBrief(Load Load, Load AfterLoad, Change Change, RehearsalOptions Options)
{
    /// <summary>Names of the load's statements, in order.</summary>
    public IReadOnlyList<string> Names => [.. Load.Workload.Statements.Select(s => s.Name)];

    public RehearsalRule Rule => new(Options.Tolerance, Load.IsClosed);

    /// <summary>Reads the files.</summary>
    /// <param name="load">A load file.</param>
    /// <param name="change">A change file; empty for none, which compares equal sides.</param>
    /// <param name="engine">Of the subject.</param>
    /// <param name="options">How it runs.</param>
    /// <returns>The brief, and what is wrong with the files; nothing may be sent while anything is.</returns>
    public static Parsed<RehearsalBrief> Read(string load, string change, Engine engine, RehearsalOptions options)
    {
        Parsed<Load> read = LoadFile.Parse(load, engine.Dialect, options.Usual);
        Parsed<Change> changed = options.OneSided || string.IsNullOrWhiteSpace(change) ? new(Change.Nothing, []) : ChangeFile.Parse(change, read.Value.Workload, engine.Dialect, complete: false);
        List<InputProblem> problems = [.. read.Problems, .. changed.Problems, .. ProblemsOf(options, read.Value)];
        Load after = read.Value.With(changed.Value);
        if (problems.Count == 0)
        {
            problems.AddRange(Valueless(after, changed.Value));
        }

        return new(new(read.Value, after, changed.Value, options), problems);
    }

    private static IEnumerable<InputProblem> ProblemsOf(RehearsalOptions options, Load load)
    {
        if (options.StintSeconds is not (>= RehearsalOptions.LeastStint and <= RehearsalOptions.LongestStint))
        {
            yield return new(InputPart.Options, null, $"A stint lasts {RehearsalOptions.LeastStint} to {RehearsalOptions.LongestStint} s.");
        }

        if (options.Soak && (options.Limit is not null || options.SessionCurve))
        {
            yield return new(InputPart.Options, null, "A soak sends one steady load; capacity is searched by many loads. Ask for one of the two.");
        }

        if (options.Soak && options.MaxSeconds is not (> 0 and <= RehearsalOptions.LongestSoak))
        {
            yield return new(InputPart.Options, null, $"A soak wants a length: a number of seconds up to {RehearsalOptions.LongestSoak}, which is a week.");
        }

        foreach (LoadPart part in load.Parts.Where(p => p.FromSeconds >= options.TurnSeconds))
        {
            yield return new(InputPart.Options, null, $"Part '{part.Name}' begins {part.FromSeconds:0.###} s after the start of a stint, and a stint lasts {options.TurnSeconds:0.###} s: it has nothing to do. Longer stints (--stint) would reach it.");
        }

        if (options.Limit is not null && load.IsClosed)
        {
            yield return new(InputPart.Options, null, "Capacity is the highest rate at which a limit holds, and this load has no rate: give one part a rate, or --rate.");
        }
    }

    private static IEnumerable<InputProblem> Valueless(Load after, Change change) =>
        from part in after.Parts
        from task in part.Tasks
        from step in task.Steps
        where change.RewriteOf(step.Statement.Name) is not null
        from key in step.Statement.Parameters
        let at = task.Keys.ToList().IndexOf(key)
        where !(part.Recorded?.Arrivals.FirstOrDefault(a => ReferenceEquals(part.Tasks[a.Task], task)) is { } one && at < one.Values.Length)
        where task.Values.Draws[at] is null && !task.Values.Cases.Any(lines => lines.Count > 0 && lines.All(l => l.Values[at] is not null))
        select new InputProblem(InputPart.Change, change.RewriteOf(step.Statement.Name)!.Place, $"The load gives this rewrite of '{step.Statement.Name}' no value for {key}: bind lines above it, or draws in the load, may give one.");
}
