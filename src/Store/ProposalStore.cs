using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Proposals;

namespace SwiftLedger.Store;

/// <summary>What is looked for, and under which limits.</summary>
/// <param name="Kinds">What is looked for.</param>
/// <param name="Limits">Of the set.</param>
/// <param name="MaxSeconds">Bound on the measuring of each trial.</param>
/// <param name="StatementSeconds">Bound on one execution.</param>
/// <param name="TrustSql">On a server: run with the connection's own rights.</param>
public sealed record ProposalsAsked(IReadOnlyList<ProposalKind> Kinds, ProposalLimits Limits, double MaxSeconds, double StatementSeconds, bool TrustSql);

/// <summary>What a search does when its turn comes.</summary>
/// <param name="Try">Whether what was found is measured; else it is looked for.</param>
/// <param name="Numbers">Which are measured, each alone; null for all that the limits allow, and then the set.</param>
public sealed record ProposalStep(bool Try, IReadOnlyList<int>? Numbers);

/// <summary>A search for what to change, without what it found.</summary>
public sealed record ProposalSearchRecord
{
    public long Id { get; init; }

    public long BookId { get; init; }

    public string Workload { get; init; } = "";

    /// <summary>JSON.</summary>
    public string Asked { get; init; } = "";

    /// <summary>JSON.</summary>
    public string Next { get; init; } = "";

    public TrialState State { get; init; }

    public string CreatedAt { get; init; } = "";

    public string? StartedAt { get; init; }

    public string? FinishedAt { get; init; }

    /// <summary>Why it did not finish.</summary>
    public string? Message { get; init; }

    /// <summary>What was left out, as JSON.</summary>
    public string Notes { get; init; } = "[]";

    /// <summary>What all of the set bring together, as JSON; null where that was not measured.</summary>
    public string? Together { get; init; }

    public long? TogetherTrial { get; init; }

    public ProposalsAsked Wants => JsonSerializer.Deserialize<ProposalsAsked>(Asked, TrialStore.Json)!;

    public ProposalStep Step => JsonSerializer.Deserialize<ProposalStep>(Next, TrialStore.Json)!;

    public MeasuredProposal? Set => Together is null ? null : JsonSerializer.Deserialize<MeasuredProposal>(Together, TrialStore.Json);

    public IReadOnlyList<string> LeftOut => JsonSerializer.Deserialize<List<string>>(Notes, TrialStore.Json)!;
}

/// <summary>A search as a list shows it.</summary>
public sealed record ProposalSearchGlance
{
    public long Id { get; init; }

    public TrialState State { get; init; }

    public string CreatedAt { get; init; } = "";

    public string? FinishedAt { get; init; }

    /// <summary>Why it did not finish.</summary>
    public string? Message { get; init; }

    /// <summary>How many proposals.</summary>
    public int Found { get; init; }
}

/// <summary>A proposal that somebody turned down.</summary>
public sealed record TurnedDownRecord
{
    public long Id { get; init; }

    public string Kind { get; init; } = "";

    public string Title { get; init; } = "";

    public string Sql { get; init; } = "";

    /// <summary>What it was made for then, as JSON; null where that is not known.</summary>
    public string? Ground { get; init; }

    public string Author { get; init; } = "";

    public string Why { get; init; } = "";

    public string At { get; init; } = "";

    /// <summary>Whether it rests: it is the same proposal, made for what it was made for then.</summary>
    public bool Covers(Proposal proposal) => Kind == ProposalStore.NameOf(proposal.Kind) && Sql == proposal.Sql
        && !(Ground is { } then && proposal.Ground is { } now && JsonSerializer.Deserialize<ProposalGround>(then, TrialStore.Json)!.IsAnother(now));
}

/// <summary>Searches for what to change with what they found, and what was turned down; a book keeps the latest <see cref="MostKept"/> searches that have ended.</summary>
public sealed class ProposalStore(LedgerDatabase ledger, TimeProvider clock)
{
    public const int MostKept = 20;

    private const string Columns = """
        id AS Id, book_id AS BookId, workload AS Workload, asked AS Asked, next AS Next, state AS State, created_at AS CreatedAt, started_at AS StartedAt, finished_at AS FinishedAt,
        message AS Message, notes AS Notes, together AS Together, together_trial AS TogetherTrial
        """;

    internal static string NameOf(ProposalKind kind) => JsonNamingPolicy.CamelCase.ConvertName(kind.ToString());

    public ProposalSearchRecord Add(long bookId, string workload, ProposalsAsked asked)
    {
        using SqliteConnection connection = ledger.Open();
        long id = connection.ExecuteScalar<long>("""
            INSERT INTO proposal_search (book_id, workload, asked, next, state, created_at) VALUES (@bookId, @workload, @asked, @next, 'waiting', @now) RETURNING id
            """, new { bookId, workload, asked = Text(asked), next = Text(new ProposalStep(false, null)), now = clock.Now() });
        connection.Execute("""
            DELETE FROM proposal_search WHERE book_id = @bookId AND state NOT IN ('waiting', 'running')
                AND id NOT IN (SELECT id FROM proposal_search WHERE book_id = @bookId ORDER BY id DESC LIMIT @most)
            """, new { bookId, most = MostKept });
        return Find(id)!;
    }

    public ProposalSearchRecord? Find(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<ProposalSearchRecord>($"SELECT {Columns} FROM proposal_search WHERE id = @id", new { id });
    }

    /// <summary>The latest first.</summary>
    public IReadOnlyList<ProposalSearchGlance> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<ProposalSearchGlance>("""
            SELECT id AS Id, state AS State, created_at AS CreatedAt, finished_at AS FinishedAt, message AS Message, (SELECT count(*) FROM proposal WHERE search_id = proposal_search.id) AS Found
            FROM proposal_search WHERE book_id = @bookId ORDER BY id DESC
            """, new { bookId }).AsList();
    }

    public IReadOnlyList<ProposalSearchRecord> Waiting()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<ProposalSearchRecord>($"SELECT {Columns} FROM proposal_search WHERE state = 'waiting' ORDER BY id").AsList();
    }

    /// <summary>What a search found, in the order in which it was found.</summary>
    public IReadOnlyList<Proposal> Proposals(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<(string Content, long? Trial)>("SELECT content, trial_id FROM proposal WHERE search_id = @id ORDER BY number", new { id })
            .Select(p => JsonSerializer.Deserialize<Proposal>(p.Content, TrialStore.Json)! with { Trial = p.Trial })];
    }

    /// <summary>Searches that went on when the server ended do not any more.</summary>
    /// <returns>Those searches, as they were.</returns>
    public IReadOnlyList<ProposalSearchRecord> InterruptRunning(string message)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        List<ProposalSearchRecord> ran = connection.Query<ProposalSearchRecord>($"SELECT {Columns} FROM proposal_search WHERE state = 'running'", transaction: transaction).AsList();
        connection.Execute("UPDATE proposal_search SET state = 'interrupted', message = @message, finished_at = @now WHERE state = 'running'", new { message, now = clock.Now() }, transaction);
        transaction.Commit();
        return ran;
    }

    /// <returns>False where it does not wait any more: somebody cancelled it a moment ago.</returns>
    public bool Start(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("UPDATE proposal_search SET state = 'running', started_at = @now WHERE id = @id AND state = 'waiting'", new { id, now = clock.Now() }) > 0;
    }

    /// <summary>Lets one that has ended wait for its turn again.</summary>
    /// <returns>False where it waits or runs already.</returns>
    public bool Again(long id, ProposalStep next)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("""
            UPDATE proposal_search SET state = 'waiting', next = @next, message = NULL, finished_at = NULL WHERE id = @id AND state NOT IN ('waiting', 'running')
            """, new { id, next = Text(next) }) > 0;
    }

    public void End(long id, TrialState state, string? message)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE proposal_search SET state = @state, message = @message, finished_at = @now WHERE id = @id AND state IN ('waiting', 'running')",
            new { id, state = TrialStore.NameOf(state), message, now = clock.Now() });
    }

    /// <summary>Keeps what was found, in the place of all that was there.</summary>
    public void KeepFound(long id, IReadOnlyList<Proposal> proposals, IReadOnlyList<string> notes)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        connection.Execute("DELETE FROM proposal WHERE search_id = @id", new { id }, transaction);
        connection.Execute("INSERT INTO proposal (search_id, number, content, trial_id) VALUES (@id, @number, @content, @trial)",
            proposals.Select((p, n) => new { id, number = n, content = Text(p), trial = p.Trial }), transaction);
        connection.Execute("UPDATE proposal_search SET notes = @notes WHERE id = @id", new { id, notes = Text(notes) }, transaction);
        transaction.Commit();
    }

    /// <summary>Keeps what became of one.</summary>
    public void Keep(long id, int number, Proposal proposal)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE proposal SET content = @content WHERE search_id = @id AND number = @number", new { id, number, content = Text(proposal) });
    }

    /// <summary>Keeps which trial measures one, or the whole set.</summary>
    /// <param name="id">Of the search.</param>
    /// <param name="number">Of the proposal; null for the set.</param>
    /// <param name="trial">Of the ledger.</param>
    public void KeepTrial(long id, int? number, long trial)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute(number is null ? "UPDATE proposal_search SET together_trial = @trial WHERE id = @id" : "UPDATE proposal SET trial_id = @trial WHERE search_id = @id AND number = @number", new { id, number, trial });
    }

    /// <summary>Keeps what all of the set bring together; null where that is not known, or is no longer so.</summary>
    public void KeepTogether(long id, MeasuredProposal? together, IReadOnlyList<string> notes)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE proposal_search SET together = @together, notes = @notes WHERE id = @id", new { id, together = together is null ? null : Text(together), notes = Text(notes) });
    }

    public void Delete(long id)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("DELETE FROM proposal_search WHERE id = @id", new { id });
    }

    /// <summary>Turns a proposal down; one that is turned down already gets another reason.</summary>
    public void TurnDown(long bookId, Proposal proposal, string author, string why)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("""
            INSERT INTO proposal_turned_down (book_id, kind, title, sql, ground, author, why, at) VALUES (@bookId, @kind, @Title, @Sql, @ground, @author, @why, @now)
            ON CONFLICT (book_id, kind, sql) WHERE taken_back_at IS NULL DO UPDATE SET ground = excluded.ground, author = excluded.author, why = excluded.why, at = excluded.at
            """, new { bookId, kind = NameOf(proposal.Kind), proposal.Title, proposal.Sql, ground = proposal.Ground is null ? null : Text(proposal.Ground), author, why, now = clock.Now() });
    }

    /// <summary>Takes back that a proposal was turned down.</summary>
    /// <returns>False where it is not.</returns>
    public bool TakeBack(long bookId, Proposal proposal)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("UPDATE proposal_turned_down SET taken_back_at = @now WHERE book_id = @bookId AND kind = @kind AND sql = @Sql AND taken_back_at IS NULL",
            new { bookId, kind = NameOf(proposal.Kind), proposal.Sql, now = clock.Now() }) > 0;
    }

    /// <summary>What is turned down in a book, the latest first.</summary>
    public IReadOnlyList<TurnedDownRecord> TurnedDown(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<TurnedDownRecord>("""
            SELECT id AS Id, kind AS Kind, title AS Title, sql AS Sql, ground AS Ground, author AS Author, why AS Why, at AS At FROM proposal_turned_down
            WHERE book_id = @bookId AND taken_back_at IS NULL ORDER BY id DESC
            """, new { bookId }).AsList();
    }

    private static string Text<T>(T value) => JsonSerializer.Serialize(value, TrialStore.Json);
}
