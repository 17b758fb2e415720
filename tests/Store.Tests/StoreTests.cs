using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store.Captures;
using Xunit;

namespace SwiftLedger.Store.Tests;

public sealed class StoreTests : IDisposable
{
    private const string Workload = "-- name: huts\n-- calls: 5/day\nSELECT 1;\n-- name: beds\nSELECT 2";

    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly BookStore _books;
    private readonly TrialStore _trials;
    private readonly DeploymentStore _deployments;

    public StoreTests()
    {
        var ledger = new LedgerDatabase(Path.Combine(_folder, "ledger.db"));
        _books = new(ledger, TimeProvider.System);
        _trials = new(ledger, TimeProvider.System);
        _deployments = new(ledger);
    }

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void A_subject_has_one_book_and_a_text_one_change()
    {
        BookRecord book = _books.Open("/data/huts.db", "Huts");
        _books.Open("/data/huts.db", "Other name").ShouldBe(book);
        ChangeRecord change = _books.KeepChange(book.Id, "Index", "why", "CREATE INDEX i ON t(a)");
        _books.KeepChange(book.Id, "Index again", "", "CREATE INDEX i ON t(a)").Id.ShouldBe(change.Id);
        _books.Changes(book.Id).ShouldHaveSingleItem();
    }

    [Fact]
    public void A_schema_that_differs_from_the_last_reading_is_a_deployment_that_nobody_announced()
    {
        TrialRecord trial = NewTrial();
        SchemaObject table = new("table", "parcel", "CREATE TABLE parcel (id INTEGER)"), index = new("index", "parcel_note", "CREATE INDEX parcel_note ON parcel (note)");
        void Read(params SchemaObject[] objects) => _trials.Keep(trial.Id, new SchemaRead(objects), session: 1);
        Read(table, index);
        Read(table with { Definition = "CREATE TABLE parcel(\n  id INTEGER -- the number\n)" }, index);
        _deployments.OfBook(trial.BookId).ShouldBeEmpty("only the layout differs");

        Read(table, new("index", "parcel_sent", "CREATE INDEX parcel_sent ON parcel (sent_at)"));
        DeploymentRecord noticed = _deployments.OfBook(trial.BookId).ShouldHaveSingleItem();
        noticed.What.ShouldStartWith("index parcel_note dropped, index parcel_sent created, at some time since 20");
        noticed.Script.ShouldBe("DROP INDEX parcel_note;\nCREATE INDEX parcel_sent ON parcel (sent_at);");
        noticed.Noticed.ShouldBeTrue();

        _deployments.Record(trial.BookId, DateTime.UtcNow, "3.4", "Depots", "CREATE TABLE depot (id INTEGER)");
        Read(table, new("index", "parcel_sent", "CREATE INDEX parcel_sent ON parcel (sent_at)"), new("table", "depot", "CREATE TABLE depot (id INTEGER)"));
        _deployments.OfBook(trial.BookId).Count(d => d.What.Contains("depot created", StringComparison.Ordinal)).ShouldBe(0, "it was announced");
    }

    [Fact]
    public void An_account_read_back_equals_the_one_that_was_told()
    {
        TrialRecord trial = NewTrial();
        TrialAccount told = TrialAccount.Open(TrialBrief.Read(trial.Workload, trial.ChangeText, TrialStore.OptionsOf(trial)).Value);
        foreach (BenchEvent e in Events())
        {
            told = told.With(e);
            _trials.Keep(trial.Id, e, session: 1);
        }

        TrialAccount read = _trials.Load(_trials.Find(trial.Id)!);
        read.Lines[0].Evidence.Blocks.ShouldBe(told.Lines[0].Evidence.Blocks);
        read.Lines[0].Evidence.Before!.Plan!.Text.ShouldBe("SCAN t\n  SEARCH u USING INDEX i (a=?)");
        read.Lines[0].Evidence.Before!.Plan!.Shape.ShouldBe(told.Lines[0].Evidence.Before!.Plan!.Shape);
        read.Lines[1].Evidence.AfterFailure!.Reason.ShouldBe("no such table: t");
        read.Settled().Lines.Select(l => l.Decision!.Verdict).ShouldBe(told.Settled().Lines.Select(l => l.Decision!.Verdict));
        read.Applied.ShouldHaveSingleItem().Seconds.ShouldBe(0.25);
    }

    [Fact]
    public void A_line_that_there_was_no_time_to_look_at_is_read_back_as_that_and_notes_of_the_end_stand_with_those_of_the_beginning()
    {
        TrialRecord trial = NewTrial();
        _trials.Keep(trial.Id, new EnvironmentRead(new("SQLite", "3", new Dictionary<string, string>(), 1, "", 0, ["Copies hold less."])), session: 1);
        _trials.Keep(trial.Id, new LineEnded(1, LineEnd.TimeSpent), session: 1);
        _trials.Keep(trial.Id, new AftermathRead(["A role is new."]), session: 1);
        _trials.Keep(trial.Id, new AftermathRead(["A role is new."]), session: 2);
        TrialAccount read = _trials.Load(_trials.Find(trial.Id)!);
        read.Lines[0].Evidence.End.ShouldBe(LineEnd.TimeSpent);
        read.Settled().Lines[0].Decision!.Message().ShouldBe("The time was spent before this line had a block.");
        read.Environment!.Notes.ShouldBe(["Copies hold less.", "A role is new."]);
    }

    [Fact]
    public void A_trial_that_ran_when_the_server_ended_is_interrupted_and_a_waiting_one_still_waits()
    {
        TrialRecord running = NewTrial(), waiting = NewTrial();
        _trials.Start(running.Id);
        _trials.InterruptRunning("gone").ShouldHaveSingleItem();
        _trials.Find(running.Id)!.State.ShouldBe(TrialState.Interrupted);
        _trials.Waiting().Select(t => t.Id).ShouldBe([waiting.Id]);
    }

    [Fact]
    public void Options_come_back_as_they_went()
    {
        var options = new TrialOptions(0.1, 3, 60, 5, 42, ["a", "b,c"], Quick: true);
        BookRecord book = _books.Open("x", "x");
        TrialOptions read = TrialStore.OptionsOf(_trials.Add(book.Id, null, "t", Workload, "", options));
        read.Only.ShouldBe(options.Only);
        (read with { Only = null }).ShouldBe(options with { Only = null });
    }

    [Fact]
    public void A_ledger_of_a_newer_version_is_refused()
    {
        string path = Path.Combine(_folder, "newer.db");
        using (var connection = new LedgerDatabase(path).Open())
        using (var command = connection.CreateCommand())
        {
            command.CommandText = "PRAGMA user_version = 999";
            command.ExecuteNonQuery();
        }

        Should.Throw<LedgerException>(() => new LedgerDatabase(path)).Message.ShouldContain("newer Swift Ledger");
    }

    [Fact]
    public void The_file_is_written_ahead_and_checks_its_references()
    {
        using var connection = new LedgerDatabase(Path.Combine(_folder, "ledger.db")).Open();
        using var command = connection.CreateCommand();
        command.CommandText = "SELECT (SELECT journal_mode FROM pragma_journal_mode) || (SELECT foreign_keys FROM pragma_foreign_keys)";
        command.ExecuteScalar().ShouldBe("wal1");
    }

    private TrialRecord NewTrial()
    {
        BookRecord book = _books.Open("/data/huts.db", "Huts");
        return _trials.Add(book.Id, null, "Trial", Workload, "CREATE INDEX i ON t(a)", new());
    }

    private static IEnumerable<BenchEvent> Events()
    {
        Plan plan = PlanText.Build([(1, 0, "SCAN t"), (2, 1, "SEARCH u USING INDEX i (a=?)")]);
        var good = new Inspection(plan, 1, 3, false, "r", "s", true, new Dictionary<string, long> { ["vmSteps"] = 10 }, true, null);
        yield return new StepApplied(1, "CREATE INDEX i ON t(a)", 0.25);
        yield return new LineInspected(1, good, good);
        yield return new LineInspected(2, good, good with { Failure = new("no such table: t") });
        yield return new LineEnded(2, LineEnd.Failed);
        for (int i = 0; i < 2; i++)
        {
            yield return new BlocksMeasured(1, Enumerable.Range(0, 7).Select(n => new Block(n, n % 2 == 0, 100 + n, 300 + n, 99, 299, 1, 0, false)).ToList());
        }

        yield return new LineEnded(1, LineEnd.Looked);
        yield return new JobDone(0.5, 0, 90);
    }
}
