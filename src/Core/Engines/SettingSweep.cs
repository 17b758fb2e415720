using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Engines;

/// <summary>By what it is seen which step of a setting is worth a trial.</summary>
public enum SweepBy
{
    /// <summary>By the engine's primary counter: other plans do less work.</summary>
    Work,

    /// <summary>By another counter, which says what the setting is to spare.</summary>
    Counter,

    /// <summary>By the size of the database: no counter tells, and a trial has to.</summary>
    Size,
}

/// <param name="Value">As a statement has it.</param>
/// <param name="Bytes">That it stands for; null where it stands for none.</param>
public sealed record SettingStep(string Value, long? Bytes = null)
{
    /// <summary>For people: a size that is written as a bare number has its unit.</summary>
    public string Words => Bytes is { } bytes && char.IsAsciiDigit(Value[^1]) ? $"{bytes >> 20} MiB" : Value;
}

/// <summary>A setting of an engine's sessions, and the steps in which it is tried.</summary>
/// <param name="Name">As the engine calls it.</param>
/// <param name="Steps">From the least to the most.</param>
/// <param name="By">How a step is chosen.</param>
/// <param name="Counter">Of <see cref="SweepBy.Counter"/>; null otherwise.</param>
/// <param name="Why">What it does, in a sentence.</param>
/// <param name="Set">What sets it, of a step's value.</param>
/// <param name="Undo">What takes it back; empty where leaving it out does.</param>
public sealed record SettingSweep(string Name, IReadOnlyList<SettingStep> Steps, SweepBy By, string? Counter, string Why, Func<string, string> Set, string Undo)
{
    /// <summary>A step that spares less than a tenth more than one before it is not worth its price.</summary>
    private const double WorthMore = 0.9;

    /// <summary>The step that is worth a trial, by what was counted with each; null where none is.</summary>
    /// <param name="now">Counted without it.</param>
    /// <param name="counted">With each step, in their order; null where that is not known.</param>
    public SettingStep? Worth(double now, IReadOnlyList<double?> counted)
    {
        SettingStep? best = null;
        double least = now;
        for (int i = 0; i < Steps.Count; i++)
        {
            if (counted[i] is { } with && with < least * WorthMore)
            {
                (best, least) = (Steps[i], with);
            }
        }

        return best;
    }

    /// <summary>The first step that holds all of a database, or the last one.</summary>
    /// <param name="bytes">Of the database; null where that is not known.</param>
    public SettingStep Holding(long? bytes) => Steps.FirstOrDefault(s => s.Bytes >= (bytes ?? long.MaxValue)) ?? Steps[^1];

    /// <summary>What all tables and indexes of a catalogue take; null where their sizes are not known.</summary>
    /// <param name="catalog">Of the subject.</param>
    public static long? SizeOf(Catalog catalog) =>
        catalog.Tables.Select(t => t.Pages).Concat(catalog.Tables.SelectMany(t => t.Indexes).Select(i => i.Pages)).Aggregate((long?)0, (sum, pages) => sum + pages) * catalog.PageSize;
}
