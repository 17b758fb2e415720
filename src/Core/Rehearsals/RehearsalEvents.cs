using System.Text.Json.Serialization.Metadata;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>What a measuring process tells of a rehearsal, beside what it tells of any job.</summary>
public static class RehearsalEvents
{
    /// <summary>Reads and writes events, these among them.</summary>
    public static IJsonTypeInfoResolver Resolver { get; } = new DefaultJsonTypeInfoResolver { Modifiers = { AddTo } };

    private static void AddTo(JsonTypeInfo info)
    {
        if (info.Type == typeof(BenchEvent) && info.PolymorphismOptions is { } known)
        {
            known.DerivedTypes.Add(new(typeof(StintEnded), "stint"));
            known.DerivedTypes.Add(new(typeof(LoadReached), "loadAt"));
            known.DerivedTypes.Add(new(typeof(CapacityTried), "capacity"));
            known.DerivedTypes.Add(new(typeof(CopiesRenewed), "renewed"));
            known.DerivedTypes.Add(new(typeof(SoakPlanSeen), "soakPlan"));
            known.DerivedTypes.Add(new(typeof(SoakResumed), "resumed"));
            known.DerivedTypes.Add(new(typeof(RehearsalDone), "rehearsal"));
        }
    }
}

/// <summary>A stint has ended.</summary>
public sealed record StintEnded(Stint Stint) : BenchEvent;

/// <summary>Where a stint is.</summary>
public sealed record LoadReached(LoadNow Now) : BenchEvent;

/// <summary>Loads that were tried so far for capacity, or throughput over sessions.</summary>
public sealed record CapacityTried(CapacityAccount Capacity) : BenchEvent;

/// <summary>The copies were made afresh, because the data had grown too far.</summary>
/// <param name="BeforePair">The first pair on the new ones.</param>
public sealed record CopiesRenewed(int BeforePair) : BenchEvent;

/// <summary>A statement of a soak was seen with a plan that it did not have before.</summary>
public sealed record SoakPlanSeen(SoakPlan Plan) : BenchEvent;

/// <summary>A soak goes on, on fresh copies, after it was cut short.</summary>
/// <param name="BeforePair">The first pair after it.</param>
/// <param name="At">When, as ISO 8601.</param>
public sealed record SoakResumed(int BeforePair, string At) : BenchEvent;

/// <summary>The last word of a rehearsal's job: all stints are over and the copies are gone.</summary>
/// <param name="Durability">What a commit waited for, by the engine's own settings.</param>
/// <param name="Problem">Why it ended before its time; null where it did not.</param>
public sealed record RehearsalDone(string Durability, string? Problem) : BenchEvent;
