using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Sqlite;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

/// <summary>One private copy of the small database.</summary>
public abstract class OnSqliteCopy : IAsyncLifetime
{
    private protected static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);

    private protected readonly TestDatabase _database = new();
    private protected SqliteSubject _subject = null!;
    private protected ISubjectCopy _copy = null!;

    public virtual async ValueTask InitializeAsync()
    {
        _subject = SqliteSubject.Open(_database.Path, _database.Copies);
        _copy = await _subject.CopyAsync(Side.Before, default);
    }

    public async ValueTask DisposeAsync()
    {
        await _copy.DisposeAsync();
        _database.Dispose();
        GC.SuppressFinalize(this);
    }
}
