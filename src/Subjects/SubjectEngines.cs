using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Subjects.Sqlite;

namespace SwiftLedger.Subjects;

/// <summary>The engines of which databases can be tested: one line each.</summary>
public static class SubjectEngines
{
    public static IReadOnlyList<ISubjectEngine> All { get; } =
    [
        new SqliteSubjects(),
        new PostgresSubjects(),
    ];

    /// <summary>What runs statements on an engine.</summary>
    /// <exception cref="SubjectException">Its databases cannot be tested.</exception>
    public static ISubjectEngine Of(Engine engine) => All.FirstOrDefault(s => s.Engine == engine) ?? throw SubjectException.Because($"Databases of {engine.Name} cannot be tested.");

    /// <summary>The engine that a database belongs to, by its address.</summary>
    public static ISubjectEngine OfSubject(string? address) => Of(KnownEngines.OfSubject(address));

    /// <summary>What is wrong with a subject, as far as it can be seen without opening it; null where nothing is.</summary>
    public static InputProblem? ProblemOf(string address)
    {
        try
        {
            OfSubject(address).Check(address);
            return null;
        }
        catch (SubjectException e)
        {
            return e.Problem;
        }
    }
}
