using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Store;

/// <summary>Trials with their lines and samples. Each event is one transaction: a crash loses nothing that was told before it.</summary>
public sealed class TrialStore(LedgerDatabase ledger, TimeProvider clock)
{
    private const string AtAGlance = """
        id AS Id, book_id AS BookId, change_id AS ChangeId, title AS Title, state AS State, created_at AS CreatedAt, started_at AS StartedAt, finished_at AS FinishedAt, message AS Message,
        (SELECT headline FROM settlement WHERE trial_id = trial.id AND number = 1) AS Headline,
        (SELECT stems FROM settlement WHERE trial_id = trial.id AND number = 1) AS Stems
        """;

    private const string Columns = $"{AtAGlance}, workload AS Workload, change_text AS ChangeText, house_rules AS HouseRules, options AS Options, environment AS Environment, problems AS Problems, done AS Done";

    internal static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        TypeInfoResolver = RehearsalEvents.Resolver,
        MaxDepth = 1_000,
        NumberHandling = JsonNumberHandling.AllowNamedFloatingPointLiterals,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
    };

    /// <summary>The state as the ledger and results write it.</summary>
    public static string NameOf(TrialState state) => state.ToString().ToLowerInvariant();

    public TrialRecord Add(long bookId, long? changeId, string title, string workload, string change, TrialOptions options)
    {
        using SqliteConnection connection = ledger.Open();
        long id = connection.ExecuteScalar<long>("""
            INSERT INTO trial (book_id, change_id, title, workload, change_text, house_rules, options, state, created_at)
            VALUES (@bookId, @changeId, @title, @workload, @change, (SELECT house_rules FROM book WHERE id = @bookId), @options, @state, @now)
            RETURNING id
            """, new { bookId, changeId, title, workload, change, options = JsonSerializer.Serialize(options, Json), state = NameOf(TrialState.Waiting), now = clock.Now() });
        return Find(id)!;
    }

    /// <summary>Deletes a trial with its lines, samples and decisions; what was listed or stands because of it stays.</summary>
    public void Delete(long id)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("DELETE FROM trial WHERE id = @id", new { id });
    }

    public TrialRecord? Find(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<TrialRecord>($"SELECT {Columns} FROM trial WHERE id = @id", new { id });
    }

    /// <summary>The latest first.</summary>
    public IReadOnlyList<TrialGlance> OfBook(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<TrialGlance>($"SELECT {AtAGlance} FROM trial WHERE book_id = @bookId ORDER BY id DESC", new { bookId }).AsList();
    }

    /// <summary>Those of a book that wait or run, the latest first.</summary>
    public IReadOnlyList<TrialGlance> UnderWay(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<TrialGlance>($"SELECT {AtAGlance} FROM trial WHERE book_id = @bookId AND state IN ('waiting', 'running') ORDER BY id DESC", new { bookId }).AsList();
    }

    public IReadOnlyList<TrialRecord> Waiting()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<TrialRecord>($"SELECT {Columns} FROM trial WHERE state = 'waiting' ORDER BY id").AsList();
    }

    /// <summary>What both copies of a trial held; null where nothing read it.</summary>
    public CatalogsRead? Catalogs(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return Read<CatalogsRead>(connection.ExecuteScalar<string?>("SELECT catalogs FROM trial WHERE id = @id", new { id }));
    }

    /// <summary>What the changes of trials made of the schema, in the engine's own words, with the changes; those that made nothing of it, or where nobody looked, are not among them.</summary>
    public IReadOnlyDictionary<long, (string Change, string Brings)> Brings(IReadOnlyCollection<long> ids)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<(long Id, string Change, string Brings)>("SELECT id, change_text, brings FROM trial WHERE id IN (SELECT value FROM json_each(@ids)) AND brings IS NOT NULL", new { ids = JsonSerializer.Serialize(ids) })
            .ToDictionary(r => r.Id, r => (r.Change, r.Brings));
    }

    /// <summary>The book's latest trial that read the catalogue; null where none did.</summary>
    public long? LatestWithCatalogs(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.ExecuteScalar<long?>("SELECT max(id) FROM trial WHERE book_id = @bookId AND catalogs IS NOT NULL", new { bookId });
    }

    public static TrialOptions OptionsOf(TrialRecord trial) => JsonSerializer.Deserialize<TrialOptions>(trial.Options, Json)!;

    /// <summary>Trials that ran when the server ended are not running any more.</summary>
    /// <returns>Those trials, as they were.</returns>
    public IReadOnlyList<TrialRecord> InterruptRunning(string message)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        List<TrialRecord> ran = connection.Query<TrialRecord>($"SELECT {Columns} FROM trial WHERE state = 'running' ORDER BY id", transaction: transaction).AsList();
        connection.Execute("UPDATE trial SET state = 'interrupted', message = @message, finished_at = @now WHERE state = 'running'",
            new { message, now = clock.Now() }, transaction);
        transaction.Commit();
        return ran;
    }

    /// <returns>False where it does not wait any more: somebody cancelled it a moment ago.</returns>
    public bool Start(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Execute("UPDATE trial SET state = 'running', started_at = @now WHERE id = @id AND state = 'waiting'", new { id, now = clock.Now() }) > 0;
    }

    /// <summary>Ends a trial in a state, with what was decided.</summary>
    /// <param name="id">The trial.</param>
    /// <param name="state">Neither waiting nor running.</param>
    /// <param name="message">Why, where that is not a plain finish.</param>
    /// <param name="decided">Null where nothing was.</param>
    public void End(long id, TrialState state, string? message, Settlement? decided)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        connection.Execute("UPDATE trial SET state = @state, message = @message, finished_at = @now WHERE id = @id",
            new { id, state = NameOf(state), message, now = clock.Now() }, transaction);
        if (decided is not null)
        {
            Insert(connection, transaction, id, decided);
        }

        transaction.Commit();
    }

    /// <summary>
    /// Keeps another decision of a trial beside the ones that it has. One by each version of the rules: the same rules say the same of
    /// the same evidence, however often they are asked.
    /// </summary>
    public void Settle(long id, Settlement decided)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        Insert(connection, transaction, id, decided);
        transaction.Commit();
    }

    /// <summary>What was decided about a trial, the first time first.</summary>
    public IReadOnlyList<KeptSettlement> Settlements(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return [.. connection.Query<(long Number, string At, long Rules, string Headline, string? Bill, string Decisions)>(
            "SELECT number, decided_at, rules, headline, bill, decisions FROM settlement WHERE trial_id = @id ORDER BY number", new { id })
            .Select(s => new KeptSettlement((int)s.Number, s.At, new((int)s.Rules, s.Headline, Read<Bill>(s.Bill), Read<Dictionary<int, Decision>>(s.Decisions)!)))];
    }

    /// <summary>Trials that have ended, and of which lines have, without a decision: the process was killed before it could make one.</summary>
    public IReadOnlyList<TrialRecord> Undecided()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<TrialRecord>($"""
            SELECT {Columns} FROM trial
            WHERE state NOT IN ('waiting', 'running')
              AND EXISTS (SELECT * FROM line WHERE trial_id = trial.id AND ended IS NOT NULL)
              AND NOT EXISTS (SELECT * FROM settlement WHERE trial_id = trial.id)
            ORDER BY id
            """).AsList();
    }

    /// <summary>The latest trials that were decided before their lines were kept at a glance.</summary>
    public IReadOnlyList<TrialRecord> WithoutStems(int most)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<TrialRecord>($"SELECT {Columns} FROM trial WHERE id IN (SELECT trial_id FROM settlement WHERE number = 1 AND stems IS NULL) ORDER BY id DESC LIMIT @most", new { most }).AsList();
    }

    public void KeepStems(long id, IReadOnlyList<Stem> stems)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("UPDATE settlement SET stems = @stems WHERE trial_id = @id AND number = 1", new { id, stems = Text(stems) });
    }

    /// <summary>A trial's lines at a glance; none where nothing was decided.</summary>
    public static IReadOnlyList<Stem> StemsOf(TrialGlance trial) => Read<List<Stem>>(trial.Stems) ?? [];

    /// <summary>The latest trials of all books.</summary>
    public IReadOnlyList<TrialRecord> Latest(int most)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<TrialRecord>($"SELECT {Columns} FROM trial ORDER BY id DESC LIMIT @most", new { most }).AsList();
    }

    /// <summary>Of each book the latest trial.</summary>
    public IReadOnlyList<TrialRecord> LatestOfEach()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<TrialRecord>($"SELECT {Columns} FROM trial WHERE id IN (SELECT max(id) FROM trial GROUP BY book_id) ORDER BY id DESC").AsList();
    }

    private void Insert(SqliteConnection connection, SqliteTransaction transaction, long id, Settlement decided) => connection.Execute("""
        INSERT INTO settlement (trial_id, number, decided_at, rules, headline, bill, decisions, stems)
        SELECT @id, coalesce(max(number), 0) + 1, @now, @Rules, @Headline, @bill, @decisions, @stems FROM settlement WHERE trial_id = @id
        HAVING NOT EXISTS (SELECT * FROM settlement WHERE trial_id = @id AND number > 1 AND rules = @Rules)
        """, new { id, now = clock.Now(), decided.Rules, decided.Headline, bill = decided.Bill is null ? null : Text(decided.Bill), decisions = Text(decided.Lines), stems = decided.Stems is null ? null : Text(decided.Stems) }, transaction);

    /// <summary>Keeps what one event told.</summary>
    /// <param name="session">1 while measuring, 2 while confirming.</param>
    public void Keep(long id, BenchEvent happened, int session)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        switch (happened)
        {
            case EnvironmentRead read:
                connection.Execute("UPDATE trial SET environment = coalesce(environment, @json) WHERE id = @id", new { id, json = Text(read.Environment) }, transaction);
                break;
            case AftermathRead { Notes.Count: > 0 } aftermath:
                if (Read<TrialEnvironment>(connection.ExecuteScalar<string?>("SELECT environment FROM trial WHERE id = @id", new { id }, transaction)) is { } known)
                {
                    connection.Execute("UPDATE trial SET environment = @json WHERE id = @id", new { id, json = Text(known.With(aftermath.Notes)) }, transaction);
                }

                break;
            case SchemaRead schema when session == 1:
                long book = connection.ExecuteScalar<long>("SELECT book_id FROM trial WHERE id = @id", new { id }, transaction);
                string? subject = connection.ExecuteScalar<string?>("SELECT subject FROM book WHERE id = @book", new { book }, transaction);
                DeploymentStore.Compare(connection, transaction, book, schema.Objects, KnownEngines.OfSubject(subject).Dialect, clock.GetUtcNow().UtcDateTime);
                break;
            case ChangeBrought brought when session == 1:
                connection.Execute("UPDATE trial SET brings = @Script WHERE id = @id", new { id, brought.Script }, transaction);
                break;
            case CatalogsRead catalogs when session == 1:
                connection.Execute("UPDATE trial SET catalogs = @json WHERE id = @id", new { id, json = Text(catalogs) }, transaction);
                break;
            case StepApplied step:
                connection.Execute("INSERT OR IGNORE INTO applied_step VALUES (@id, @Number, @Sql, @Seconds)", new { id, step.Number, step.Sql, step.Seconds }, transaction);
                break;
            case LineInspected inspected when session == 1:
                connection.Execute("INSERT INTO line (trial_id, number, before, after) VALUES (@id, @Line, @before, @after)",
                    new { id, inspected.Line, before = Text(inspected.Before), after = Text(inspected.After) }, transaction);
                break;
            case LineEnded ended when session == 1:
                // A line that there was no time to look at has no row yet.
                connection.Execute("INSERT INTO line (trial_id, number, ended) VALUES (@id, @Line, @json) ON CONFLICT (trial_id, number) DO UPDATE SET ended = excluded.ended",
                    new { id, ended.Line, json = Text(ended) }, transaction);
                break;
            case BlocksMeasured measured:
                KeepSamples(connection, transaction, id, session, measured);
                break;
            case JobRefused refused:
                connection.Execute("UPDATE trial SET problems = @json WHERE id = @id", new { id, json = Text(refused) }, transaction);
                break;
            case JobDone done:
                connection.Execute("UPDATE trial SET done = @json WHERE id = @id", new { id, json = Text(done) }, transaction);
                break;
        }

        transaction.Commit();
    }

    /// <summary>Builds the account of a trial from what was kept of it, undecided.</summary>
    public TrialAccount Load(TrialRecord trial)
    {
        TrialBrief brief = TrialBrief.Read(trial.Workload, trial.ChangeText, OptionsOf(trial)).Value;
        using SqliteConnection connection = ledger.Open();
        var lines = connection.Query<LineRow>("SELECT number AS Number, before AS Before, after AS After, ended AS Ended FROM line WHERE trial_id = @Id", new { trial.Id })
            .ToDictionary(l => (int)l.Number);
        ILookup<(int, int), Block> samples = connection.Query<SampleRow>("""
            SELECT line AS Line, session AS Session, at_seconds AS AtSeconds, before_first AS BeforeFirst, before_us AS BeforeUs, after_us AS AfterUs,
                   before_cpu_us AS BeforeCpuUs, after_cpu_us AS AfterCpuUs, switches AS Switches, stolen_ms AS StolenMs, left_out AS LeftOut
            FROM sample WHERE trial_id = @Id ORDER BY line, session, number
            """, new { trial.Id }).ToLookup(s => ((int)s.Line, (int)s.Session), s => s.ToBlock());
        TrialAccount account = TrialAccount.Open(brief);
        return account with
        {
            Lines = account.Lines.Select(l => Restore(l, lines.GetValueOrDefault(l.Number), samples)).ToList(),
            Environment = Read<TrialEnvironment>(trial.Environment),
            Catalogs = Read<CatalogsRead>(connection.ExecuteScalar<string?>("SELECT catalogs FROM trial WHERE id = @Id", new { trial.Id })),
            Refusal = Read<JobRefused>(trial.Problems),
            Done = Read<JobDone>(trial.Done),
            Applied = connection.Query<(long Number, string Sql, double Seconds)>(
                "SELECT number, sql, seconds FROM applied_step WHERE trial_id = @Id ORDER BY number", new { trial.Id })
                .Select(a => new StepApplied((int)a.Number, a.Sql, a.Seconds)).ToList(),
        };
    }

    private static Line Restore(Line line, LineRow? row, ILookup<(int, int), Block> samples)
    {
        LineEnded? ended = Read<LineEnded>(row?.Ended);
        return line with
        {
            Evidence = line.Evidence with
            {
                Before = Read<Inspection>(row?.Before),
                After = Read<Inspection>(row?.After),
                Blocks = samples[(line.Number, 1)].ToList(),
                ConfirmingBlocks = samples[(line.Number, 2)].ToList(),
                End = ended?.End,
                MeasuringFailureBefore = ended?.Before,
                MeasuringFailureAfter = ended?.After,
            },
        };
    }

    private static void KeepSamples(SqliteConnection connection, SqliteTransaction transaction, long id, int session, BlocksMeasured measured)
    {
        int next = connection.ExecuteScalar<int>(
            "SELECT coalesce(max(number), 0) + 1 FROM sample WHERE trial_id = @id AND line = @Line AND session = @session",
            new { id, measured.Line, session }, transaction);
        connection.Execute("""
            INSERT INTO sample VALUES (@id, @Line, @session, @number, @AtSeconds, @BeforeFirst, @BeforeMicroseconds, @AfterMicroseconds,
                @BeforeCpuMicroseconds, @AfterCpuMicroseconds, @InvoluntarySwitches, @StolenMilliseconds, @LeftOut)
            """, measured.Blocks.Select((b, i) => new
        {
            id,
            measured.Line,
            session,
            number = next + i,
            b.AtSeconds,
            b.BeforeFirst,
            b.BeforeMicroseconds,
            b.AfterMicroseconds,
            b.BeforeCpuMicroseconds,
            b.AfterCpuMicroseconds,
            b.InvoluntarySwitches,
            b.StolenMilliseconds,
            b.LeftOut,
        }), transaction);
    }

    private static string Text<T>(T value) => JsonSerializer.Serialize(value, Json);

    private static T? Read<T>(string? json)
        where T : class => json is null ? null : JsonSerializer.Deserialize<T>(json, Json);

    private sealed record LineRow
    {
        public long Number { get; init; }

        public string? Before { get; init; }

        public string? After { get; init; }

        public string? Ended { get; init; }
    }

    private sealed record SampleRow
    {
        public long Line { get; init; }

        public long Session { get; init; }

        public double AtSeconds { get; init; }

        public bool BeforeFirst { get; init; }

        public double BeforeUs { get; init; }

        public double AfterUs { get; init; }

        public double BeforeCpuUs { get; init; }

        public double AfterCpuUs { get; init; }

        public long Switches { get; init; }

        public double StolenMs { get; init; }

        public bool LeftOut { get; init; }

        public Block ToBlock() => new(AtSeconds, BeforeFirst, BeforeUs, AfterUs, BeforeCpuUs, AfterCpuUs, (int)Switches, StolenMs, LeftOut);
    }
}

/// <summary>How times are written in the ledger.</summary>
public static class Moments
{
    /// <summary>UTC, ISO 8601, to the millisecond.</summary>
    public static string Now(this TimeProvider clock) => clock.GetUtcNow().Moment();

    /// <summary>A moment as ISO 8601, UTC, to the millisecond: as text it is ordered as in time.</summary>
    public static string Moment(this DateTimeOffset at) => at.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture);
}
