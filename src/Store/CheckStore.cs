using System.Globalization;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Budgets;

namespace SwiftLedger.Store;

/// <summary>Checks that were posted to books.</summary>
public sealed class CheckStore(LedgerDatabase ledger)
{
    private sealed record Content(IReadOnlyList<string> Notes, IReadOnlyList<KeptItem> Items);

    private sealed record Row(long Number, string At, string? Branch, string? CommitHash, long Uncommitted, string State, string Headline, string Report);

    /// <summary>Keeps a check under the book's next number.</summary>
    /// <param name="bookId">That it is posted to.</param>
    /// <param name="check">Its number is not looked at.</param>
    /// <returns>The number.</returns>
    public int Keep(long bookId, KeptCheck check)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingle<int>("""
            INSERT INTO gate_check (book_id, number, at, branch, commit_hash, uncommitted, state, headline, report)
            SELECT @bookId, 1 + coalesce(max(number), 0), @at, @Branch, @Commit, @Uncommitted, @state, @Headline, @report FROM gate_check WHERE book_id = @bookId
            RETURNING number
            """, new { bookId, at = check.At.Moment(), check.Branch, check.Commit, check.Uncommitted, state = check.State.ToString(), check.Headline, report = JsonSerializer.Serialize(new Content(check.Notes, check.Items), TrialStore.Json) });
    }

    /// <summary>The latest checks of a book, in order of their numbers.</summary>
    /// <param name="bookId">Of the book.</param>
    /// <param name="most">So many at most.</param>
    /// <param name="upTo">The number of the last one; null for the book's last.</param>
    public IReadOnlyList<KeptCheck> Latest(long bookId, int most, int? upTo = null)
    {
        using SqliteConnection connection = ledger.Open();
        return
        [
            .. connection.Query<Row>("""
                SELECT number AS Number, at AS At, branch AS Branch, commit_hash AS CommitHash, uncommitted AS Uncommitted, state AS State, headline AS Headline, report AS Report
                FROM gate_check WHERE book_id = @bookId AND (@upTo IS NULL OR number <= @upTo) ORDER BY number DESC LIMIT @most
                """, new { bookId, most, upTo }).Reverse().Select(Read),
        ];
    }

    private static KeptCheck Read(Row row)
    {
        Content content = JsonSerializer.Deserialize<Content>(row.Report, TrialStore.Json)!;
        return new((int)row.Number, DateTimeOffset.Parse(row.At, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal), row.Branch, row.CommitHash, row.Uncommitted != 0, Enum.Parse<CheckState>(row.State), row.Headline, content.Notes, content.Items);
    }
}
