using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects;

/// <summary>A statement that a load sends.</summary>
/// <param name="Sql">Its text.</param>
/// <param name="Keys">Its parameters.</param>
/// <param name="At">For each of them, where its value stands among those of its task.</param>
public sealed record LoadText(string Sql, IReadOnlyList<string> Keys, IReadOnlyList<int> At);

/// <summary>One side under a load: opens its sessions, and tells where their time goes. Writes are committed, by the subject's own settings of durability.</summary>
public interface ILoadSide : IDisposable
{
    /// <summary>What a commit waits for, by the engine's own settings.</summary>
    string Durability { get; }

    /// <summary>Why this side cannot have so many sessions; null where it can.</summary>
    /// <param name="sessions">Wanted, beside those that it has.</param>
    string? Protest(int sessions);

    /// <summary>Opens one more session, with every statement prepared.</summary>
    /// <exception cref="EngineException">The engine lets no more in, or refuses a statement.</exception>
    ILoadSession Open();

    /// <summary>Begins to look where the time of the sessions goes.</summary>
    void BeginStint();

    /// <summary>Ends looking.</summary>
    /// <param name="busyNanoseconds">What all sessions were busy for together.</param>
    /// <param name="tasks">How many ended well.</param>
    StintSeen EndStint(double busyNanoseconds, long tasks);

    /// <summary>Size of the side's files now.</summary>
    /// <exception cref="EngineException">The database was lost.</exception>
    long Bytes { get; }

    /// <summary>The first column of a query.</summary>
    /// <param name="sql">The query, without parameters.</param>
    /// <param name="most">Rows beyond these are not read.</param>
    /// <exception cref="EngineException">It failed, or took too long.</exception>
    IReadOnlyList<SqlValue> FirstColumn(string sql, int most);
}
