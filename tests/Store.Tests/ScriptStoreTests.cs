using Shouldly;
using SwiftLedger.Core.Batches;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Store.Tests;

public sealed class ScriptStoreTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

    private string File => Path.Combine(_folder, "ledger.db");

    public void Dispose()
    {
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void A_script_keeps_its_text_and_its_result_and_one_that_ran_when_the_server_ended_says_so()
    {
        (ScriptStore scripts, long book) = Open();
        ScriptRecord first = scripts.Add(book, "SELECT 'ü';\nSELECT 2;", trusted: true), second = scripts.Add(book, "SELECT 3", trusted: false), third = scripts.Add(book, "SELECT 4", trusted: false);
        scripts.Waiting().Select(s => s.Id).ShouldBe([first.Id, second.Id, third.Id]);
        scripts.Start(first.Id);
        BatchRun run = Run(failure: null);
        scripts.Finish(first.Id, run);
        scripts.Start(second.Id);

        // Killed here.
        (scripts, _) = Open();
        scripts.InterruptRunning("The server ended.").Select(s => s.Id).ShouldBe([second.Id]);
        scripts.OfBook(book).Select(s => (s.State, s.Message)).ShouldBe([(TrialState.Waiting, null), (TrialState.Interrupted, "The server ended."), (TrialState.Finished, null)]);
        ScriptRecord read = scripts.Find(first.Id)!;
        (read.Script, read.Trusted, read.Headline).ShouldBe(("SELECT 'ü';\nSELECT 2;", true, BatchReport.Headline(run)));
        BatchReport.Json(scripts.Result(first.Id)!).ShouldBe(BatchReport.Json(run));
        scripts.Result(second.Id).ShouldBeNull();
        scripts.Finish(third.Id, Run(new(2, 5, "no such table: x")));
        scripts.Find(third.Id)!.Headline.ShouldBe("Ended at statement 2, line 5: no such table: x");
        scripts.Delete(third.Id);
        scripts.Find(third.Id).ShouldBeNull();
    }

    [Fact]
    public void The_latest_runs_are_kept_and_none_that_goes_on_is_dropped()
    {
        (ScriptStore scripts, long book) = Open();
        long waits = scripts.Add(book, "SELECT 0", false).Id;
        for (int i = 0; i < ScriptStore.MostRuns + 20; i++)
        {
            scripts.End(scripts.Add(book, $"SELECT {i}", false).Id, TrialState.Cancelled, "Enough.");
        }

        scripts.OfBook(book).Count.ShouldBeInRange(ScriptStore.MostRuns, ScriptStore.MostRuns + 2);
        scripts.Find(waits).ShouldNotBeNull();
    }

    [Fact]
    public void What_was_pasted_is_kept_once_and_the_latest_of_it()
    {
        (_, _) = Open();
        var plans = new PlanStore(new LedgerDatabase(File), TimeProvider.System);
        long first = plans.KeepPasted("{\"Before\":\"a\"}");
        plans.KeepPasted("{\"Before\":\"a\"}").ShouldBe(first);
        plans.KeepPasted("{\"Before\":\"b\"}").ShouldNotBe(first);
        plans.Pasted(first).ShouldBe("{\"Before\":\"a\"}");
        plans.Pasted(99).ShouldBeNull();
    }

    private (ScriptStore Scripts, long Book) Open()
    {
        var ledger = new LedgerDatabase(File);
        return (new(ledger, TimeProvider.System), new BookStore(ledger, TimeProvider.System).Open("/depot.db", "Depot").Id);
    }

    private static BatchRun Run(BatchFailure? failure)
    {
        var fold = new BatchFold(Dialects.Sqlite);
        fold.Add("SELECT 'ü'", 1, 3, 5, 1, "", () => null);
        fold.Add("SELECT 2", 2, 1, 0, 1, "", () => null);
        return fold.Result(failure);
    }
}
