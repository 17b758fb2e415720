using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Store;

/// <summary>The plan that a team holds a statement to.</summary>
/// <param name="Since">When it became the standing plan.</param>
/// <param name="Outline">The plan's text.</param>
public sealed record StandingPlan(string Shape, string Outline, string Note, string Since);

/// <summary>A rewrite that holds a statement to a plan for the time being.</summary>
public sealed record PinRecord
{
    public long Id { get; init; }

    public long Pattern { get; init; }

    public string Statement { get; init; } = "";

    public string Sql { get; init; } = "";

    public string Shape { get; init; } = "";

    public long TrialId { get; init; }

    public string PinnedAt { get; init; } = "";

    /// <summary>When a real fix took its place; null while it stands.</summary>
    public string? ReplacedAt { get; init; }
}

/// <summary>A plan that a trial saw.</summary>
/// <param name="Times">Of the blocks that count; null where nothing was measured.</param>
/// <param name="Counters">Of one execution, by the engine's names.</param>
public sealed record PlanSeen(long TrialId, string Title, string At, Side Side, string Case, Plan Plan, PlanTimes? Times, IReadOnlyDictionary<string, long> Counters, string? Verdict);

/// <summary>What an execution took, in microseconds, over the blocks of a line.</summary>
public sealed record PlanTimes(double Median, double Mean, double P95, double Worst);

/// <summary>Which plan a statement ran with, and which it is to run with.</summary>
public sealed class PlanStore(LedgerDatabase ledger, TimeProvider clock)
{
    private const int MostTrials = 100;

    public StandingPlan? Standing(long bookId, ulong pattern)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(string Shape, string Outline, string Note, string At)>(
                "SELECT shape, outline, note, accepted_at FROM standing_plan WHERE book_id = @bookId AND pattern = @pattern", new { bookId, pattern = unchecked((long)pattern) })
            .Select(s => new StandingPlan(s.Shape, s.Outline, s.Note, s.At)).FirstOrDefault();
    }

    /// <summary>Shapes of the standing plans of a book, by pattern.</summary>
    public IReadOnlyDictionary<ulong, string> StandingShapes(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Pattern, string Shape)>("SELECT pattern, shape FROM standing_plan WHERE book_id = @bookId", new { bookId })
            .ToDictionary(s => unchecked((ulong)s.Pattern), s => s.Shape);
    }

    public void MakeStanding(long bookId, ulong pattern, string shape, string outline, string note)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("""
            INSERT INTO standing_plan VALUES (@bookId, @pattern, @shape, @outline, @note, @now)
            ON CONFLICT DO UPDATE SET shape = excluded.shape, outline = excluded.outline, note = excluded.note, accepted_at = excluded.accepted_at
            """, new { bookId, pattern = unchecked((long)pattern), shape, outline, note, now = clock.Now() });
    }

    public void LetGo(long bookId, ulong pattern)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("DELETE FROM standing_plan WHERE book_id = @bookId AND pattern = @pattern", new { bookId, pattern = unchecked((long)pattern) });
    }

    public IReadOnlyList<PinRecord> Pins(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<PinRecord>("""
            SELECT id AS Id, pattern AS Pattern, statement AS Statement, sql AS Sql, shape AS Shape, trial_id AS TrialId, pinned_at AS PinnedAt, replaced_at AS ReplacedAt
            FROM pin WHERE book_id = @bookId ORDER BY replaced_at IS NOT NULL, id DESC
            """, new { bookId }).AsList();
    }

    public void Pin(long bookId, ulong pattern, string statement, string sql, string shape, long trialId)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("INSERT INTO pin (book_id, pattern, statement, sql, shape, trial_id, pinned_at) VALUES (@bookId, @pattern, @statement, @sql, @shape, @trialId, @now)",
            new { bookId, pattern = unchecked((long)pattern), statement, sql, shape, trialId, now = clock.Now() });
    }

    /// <returns>Whether there was such a pin that stood.</returns>
    public bool Replace(long bookId, long pin)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("UPDATE pin SET replaced_at = @now WHERE id = @pin AND book_id = @bookId AND replaced_at IS NULL", new { bookId, pin, now = clock.Now() }) > 0;
    }

    /// <summary>The schema that the book's latest trial saw; empty where there was none.</summary>
    public IReadOnlyList<SchemaObject> Schema(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        string? objects = connection.ExecuteScalar<string?>("SELECT objects FROM known_schema WHERE book_id = @bookId", new { bookId });
        return objects is null ? [] : JsonSerializer.Deserialize<List<SchemaObject>>(objects)!;
    }

    /// <summary>The plans of a pattern in the book's latest trials, the latest first.</summary>
    public IReadOnlyList<PlanSeen> Seen(long bookId, ulong pattern)
    {
        using SqliteConnection connection = ledger.Open();
        var seen = new List<PlanSeen>();
        foreach ((long id, string title, string workload, string change, string options, string at) in connection.Query<(long, string, string, string, string, string)>("""
            SELECT id, title, workload, change_text, options, coalesce(finished_at, created_at) FROM trial WHERE book_id = @bookId AND state = 'finished' ORDER BY id DESC LIMIT @most
            """, new { bookId, most = MostTrials }))
        {
            TrialBrief brief = TrialBrief.Read(workload, change, JsonSerializer.Deserialize<TrialOptions>(options, TrialStore.Json)!).Value;
            foreach (LineBrief line in brief.Lines.Where(l => l.Pattern == SqlPattern.NameOf(pattern)))
            {
                (string before, string after, string? verdict) = connection.QueryFirstOrDefault<(string, string, string?)>(
                    """
                    SELECT before, after, (SELECT json_extract(decisions, '$."' || line.number || '".verdict') FROM settlement WHERE trial_id = @id AND number = 1)
                    FROM line WHERE trial_id = @id AND number = @Number
                    """, new { id, line.Number });
                foreach ((Side side, string json, string column) in new[] { (Side.Before, before, "before_us"), (Side.After, after, "after_us") })
                {
                    if (json is not null && JsonSerializer.Deserialize<Inspection>(json, TrialStore.Json) is { Plan: { } plan } inspected)
                    {
                        double[] times = [.. connection.Query<double>($"SELECT {column} FROM sample WHERE trial_id = @id AND line = @Number AND session = 1 AND NOT left_out", new { id, line.Number })];
                        seen.Add(new(id, title, at, side, line.Case, plan, times.Length > 0 ? new(Quantile.Median(times), times.Average(), Quantile.Of(times, 0.95), times.Max()) : null, inspected.Counters, verdict));
                    }
                }
            }
        }

        return seen;
    }

    private const int MostPasted = 500;

    /// <summary>Keeps what was pasted, once; the latest are kept.</summary>
    /// <returns>Its number.</returns>
    public long KeepPasted(string request)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        string digest = Convert.ToHexStringLower(System.Security.Cryptography.SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(request)));
        long id = connection.ExecuteScalar<long>("""
            INSERT INTO pasted (digest, pasted_at, request) VALUES (@digest, @now, @request) ON CONFLICT (digest) DO UPDATE SET pasted_at = excluded.pasted_at RETURNING id
            """, new { digest, now = clock.Now(), request }, transaction);
        connection.Execute("DELETE FROM pasted WHERE id NOT IN (SELECT id FROM pasted ORDER BY pasted_at DESC LIMIT @most)", new { most = MostPasted }, transaction);
        transaction.Commit();
        return id;
    }

    /// <summary>What was pasted; null where it is kept no more.</summary>
    public string? Pasted(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.ExecuteScalar<string?>("SELECT request FROM pasted WHERE id = @id", new { id });
    }
}
