using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench.Rehearsals;

/// <summary>One side with its sessions open, ready for stints.</summary>
internal sealed class LoadedSide : IDisposable
{
    private readonly List<Sender> _senders = [];

    /// <param name="side">Which.</param>
    /// <param name="loaded">Opens its sessions.</param>
    /// <param name="load">What is sent on this side.</param>
    /// <param name="counters">Of its draws.</param>
    /// <exception cref="EngineException">The engine lets no more sessions in, or refuses a statement.</exception>
    public LoadedSide(Side side, ILoadSide loaded, Load load, SideCounters counters)
    {
        (Side, Loaded, Load, Counters) = (side, loaded, load, counters);
        Bytes = loaded.Bytes;
        Grow(load);
    }

    public Side Side { get; }

    public ILoadSide Loaded { get; }

    public Load Load { get; private set; }

    public SideCounters Counters { get; }

    /// <summary>Its size before the first stint.</summary>
    public long Bytes { get; }

    /// <summary>Its sessions, part by part.</summary>
    public IReadOnlyList<Sender> Senders => _senders;

    /// <summary>Sends another load of the same parts from now on: other rates, or other numbers of sessions.</summary>
    public void Send(Load load)
    {
        Load = load;
        Grow(load);
    }

    public void Dispose() => Loaded.Dispose();

    /// <summary>The statements of a load as one side gets them.</summary>
    public static IReadOnlyList<LoadText> TextsOf(Load load)
    {
        var texts = new LoadText[load.Workload.Statements.Count];
        foreach (LoadTask task in load.Parts.SelectMany(p => p.Tasks))
        {
            foreach (LoadStep step in task.Steps)
            {
                WorkloadStatement statement = step.Statement;
                texts[step.Index] = new(statement.Sql, statement.Parameters, [.. statement.Parameters.Select(k => task.Keys.ToList().IndexOf(k))]);
            }
        }

        return texts;
    }

    private void Grow(Load load)
    {
        for (int part = 0; part < load.Parts.Count; part++)
        {
            for (int number = _senders.Count(s => s.Part == part); number < load.Parts[part].Sessions; number++)
            {
                _senders.Add(new(part, number, Loaded.Open(), new()));
            }
        }
    }

    /// <param name="Part">Index of its part.</param>
    /// <param name="Number">In its part, from 0.</param>
    /// <param name="Session">Of its own.</param>
    /// <param name="Log">Used for one stint after the other.</param>
    internal sealed record Sender(int Part, int Number, ILoadSession Session, ExecutionLog Log);
}
