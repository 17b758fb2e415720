using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Bench;

/// <summary>What a change made of a copy's schema, in the engine's own words: it is recognised by them when somebody deploys it.</summary>
internal static class BroughtChange
{
    /// <summary>Tells it, if it is anything; a job goes on without.</summary>
    /// <param name="was">What the sides held before the change.</param>
    /// <param name="after">The side that has it.</param>
    /// <param name="dialect">Of the engine.</param>
    /// <param name="tell">Gets the event.</param>
    public static void Tell(Func<IReadOnlyList<SchemaObject>> was, ISubjectCopy after, SqlDialect dialect, Action<BenchEvent> tell)
    {
        try
        {
            if (SchemaDifference.Between(was(), after.ReadSchema(), dialect) is { } brought)
            {
                tell(new ChangeBrought(brought.Script));
            }
        }
        catch (EngineException)
        {
            // A copy whose catalogue cannot be read says so where its statements are looked at.
        }
    }
}
