using System.Globalization;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Budgets;

namespace SwiftLedger.Store;

/// <summary>Checks that were posted to books.</summary>
public sealed class CheckStore(LedgerDatabase ledger)
{
    private const string Columns = "number AS Number, at AS At, branch AS Branch, commit_hash AS CommitHash, uncommitted AS Uncommitted, state AS State, headline AS Headline";

    private sealed record Content(IReadOnlyList<string> Notes, IReadOnlyList<KeptItem> Items);

    /// <summary>By properties: an empty answer has no types that a constructor could be found by.</summary>
    private sealed record Row
    {
        public long Number { get; init; }

        public string At { get; init; } = "";

        public string? Branch { get; init; }

        public string? CommitHash { get; init; }

        public bool Uncommitted { get; init; }

        public string State { get; init; } = "";

        public string Headline { get; init; } = "";

        public string Report { get; init; } = "";
    }

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
            .. connection.Query<Row>($"""
                SELECT {Columns}, report AS Report
                FROM gate_check WHERE book_id = @bookId AND (@upTo IS NULL OR number <= @upTo) ORDER BY number DESC LIMIT @most
                """, new { bookId, most, upTo }).Reverse().Select(Read),
        ];
    }

    /// <summary>The latest checks of a book without what they found, in order of their numbers: reports may be large.</summary>
    /// <param name="bookId">Of the book.</param>
    /// <param name="most">So many at most.</param>
    public IReadOnlyList<KeptCheck> Heads(long bookId, int most)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<Row>($"SELECT {Columns} FROM gate_check WHERE book_id = @bookId ORDER BY number DESC LIMIT @most", new { bookId, most }).Reverse().Select(r => Read(r, new([], [])))];
    }

    private static KeptCheck Read(Row row) => Read(row, JsonSerializer.Deserialize<Content>(row.Report, TrialStore.Json)!);

    private static KeptCheck Read(Row row, Content content) =>
        new((int)row.Number, DateTimeOffset.Parse(row.At, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal), row.Branch, row.CommitHash, row.Uncommitted, Enum.Parse<CheckState>(row.State), row.Headline, content.Notes, content.Items);
}
