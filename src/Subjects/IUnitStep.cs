using SwiftLedger.Core.Sql;

namespace SwiftLedger.Subjects;

/// <summary>One statement of a unit of work, prepared on an engine's connection. Not for use by two threads.</summary>
internal interface IUnitStep : IDisposable
{
    /// <summary>Keys of its parameters, in the order of their places.</summary>
    IReadOnlyList<string> Parameters { get; }

    /// <summary>Names of what it returns; empty where it returns nothing.</summary>
    IReadOnlyList<string> Columns { get; }

    /// <summary>Whether it may write.</summary>
    bool Writes { get; }

    /// <summary>Rows that the latest execution changed.</summary>
    long Affected { get; }

    /// <param name="parameter">Its place, from 0.</param>
    void Set(int parameter, SqlValue value);

    /// <summary>Executes it, and reads all of its rows.</summary>
    /// <param name="row">Told at each row, on which it then stands; null where nobody wants them.</param>
    /// <exception cref="EngineException">It failed.</exception>
    void Execute(Action? row);

    /// <summary>A value of the row that it stands on.</summary>
    /// <param name="column">From 0.</param>
    SqlValue Value(int column);

    /// <summary>Adds the columns of the row that it stands on.</summary>
    void AddTo(RowHash hash);

    /// <summary>Adds as many NULLs as it has columns.</summary>
    void AddNothingTo(RowHash hash);

    /// <summary>The row that it stands on, as literals with the types of its columns.</summary>
    /// <param name="whole">Whether long values are not cut.</param>
    IReadOnlyList<(string Type, string Value)> Shown(bool whole);
}
