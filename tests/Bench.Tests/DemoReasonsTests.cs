using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Demo;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Sqlite;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Bench.Tests;

/// <summary>For each change of the demo, the first sentence of the line that it is about names the true reason. Nothing is timed.</summary>
public sealed class DemoReasonsTests(DemoReasonsTests.Huts huts) : IClassFixture<DemoReasonsTests.Huts>
{
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);

    [Theory]
    [InlineData("01-arrivals-index.sql", "arrivals_tonight", "now that there is booking_night_hut_night, an index on hut_id, night")]
    [InlineData("01-arrivals-index.sql", "add_night", "booking_night_hut_night is new")]
    [InlineData("02-tidy-up.sql", "latest_reports", "because trail_report_section_written, the index on section_id, written_on, is gone")]
    [InlineData("02-tidy-up.sql", "reports_in_week", "because trail_report_section_written, the index on section_id, written_on, is gone")]
    [InlineData("03-fresh-statistics.sql", "day_sheet", "because statistics changed: they now know of booking")]
    [InlineData("04-correlated-to-join.sql", "supply_of_section", "no subquery runs once for each row any more")]
    [InlineData("05-not-in-to-anti-join.sql", "huts_without_reports", "NOT IN passes no row once its list holds a NULL")]
    [InlineData("06-date-to-range.sql", "orders_of_day", "supply_order is now searched through supply_order_ordered instead of read whole")]
    [InlineData("07-keyset-paging.sql", "booking_pages", "booking is now searched through booking_created")]
    [InlineData("08-or-to-union.sql", "reports_by_title_or_author", "trail_report is now searched through trail_report_title instead of read whole")]
    [InlineData("09-row-explosion.sql", "activity_of_section", "As rewritten it visits 652 rows instead of 1\u202F657")]
    [InlineData("10-stored-counter.sql", "expected_guests", "booking is no longer read")]
    [InlineData("10-stored-counter.sql", "add_booking", "now runs the trigger booking_expected_insert")]
    [InlineData("10-stored-counter.sql", "confirm_booking", "now runs the trigger booking_expected_update")]
    [InlineData("11-weather-indexes.sql", "add_reading", "now goes into 4 indexes instead of 1")]
    public async Task The_first_sentence_names_the_true_reason(string change, string statement, string reason) =>
        (await SentenceAsync(change, statement))!.ShouldContain(reason);

    [Fact]
    public async Task A_change_that_changes_nothing_has_no_reason_to_tell() => (await SentenceAsync("12-nothing.sql", "latest_reports")).ShouldBeNull();

    private async Task<string?> SentenceAsync(string change, string statement)
    {
        string copies = Directory.CreateDirectory(Path.Combine(huts.Folder, Guid.NewGuid().ToString("n"))).FullName;
        using var counter = new ExplainProcess(SubjectEngines.Of(Dialects.SqliteEngine));
        string text = await File.ReadAllTextAsync(Path.Combine(huts.Folder, "demo", "changes", change));
        TrialBrief brief = TrialBrief.Read(huts.Scenario.Workload, text, new()).Value;
        await using SqliteSubject subject = SqliteSubject.Open(huts.Scenario.DatabasePath, copies, counter);
        await using ISubjectCopy before = await subject.CopyAsync(Side.Before, default), after = await subject.CopyAsync(Side.After, default);
        foreach (ChangeStep step in brief.Change.Steps)
        {
            await after.ApplyAsync(step, default);
        }

        // The last case: of paging, the one far behind.
        LineBrief line = brief.Lines.Last(l => l.Statement == statement);
        Inspection x = await before.InspectAsync(new(line.BeforeSql, line.BeforeBindings), Limit, default), y = await after.InspectAsync(new(line.AfterSql, line.AfterBindings), Limit, default);
        x.PlanNote.ShouldBeNull();
        y.PlanNote.ShouldBeNull();
        return PlanReason.Sentence(
            Dialects.Side(x.Plan!, line.BeforeSql) with { Rows = x.Rows, Catalog = before.ReadCatalog(Limit) }, Dialects.Side(y.Plan!, line.AfterSql) with { Rows = y.Rows, Catalog = after.ReadCatalog(Limit) }, line.Rewritten);
    }

    /// <summary>A small demo, made once.</summary>
    public sealed class Huts : IDisposable
    {
        public Huts() => Scenario = DemoScenario.MakeIn(Path.Combine(Folder, "demo"), 0.05);

        public string Folder { get; } = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;

        public DemoScenario Scenario { get; }

        public void Dispose() => Directory.Delete(Folder, recursive: true);
    }
}
