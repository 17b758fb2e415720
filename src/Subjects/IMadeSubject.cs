namespace SwiftLedger.Subjects;

/// <summary>A database that was made from a likeness; removed when it is disposed of.</summary>
public interface IMadeSubject : IDisposable
{
    /// <summary>With its password where it has one.</summary>
    string Address { get; }

    /// <summary>What sets it apart from what the likeness was taken from, in sentences.</summary>
    IReadOnlyList<string> Notes { get; }
}
