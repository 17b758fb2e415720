using System.Text;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;
using Xunit;

namespace SwiftLedger.Core.Tests.Captures;

public sealed class CallersTests
{
    private const string Copy = "swift_ledger_0123456789abcdef0123456789abcdef_before";

    [Theory]
    [InlineData("huts", "app", "booking", "SELECT 1", LoadKind.Application)]
    [InlineData("huts", "app", "", "SELECT 1", LoadKind.Application)]
    [InlineData("huts", "app", "swift-ledger", "SELECT 1", LoadKind.Own)]
    [InlineData("huts", "app", "swift-ledger-clone", "SELECT 1", LoadKind.Application)]
    [InlineData(Copy, "app", "psql", "SELECT 1", LoadKind.Own)]
    [InlineData("swift_ledger_of_mine", "app", "psql", "SELECT 1", LoadKind.Application)]
    [InlineData("swift_ledger_0123456789abcdef0123456789ABCDEF_before", "app", "psql", "SELECT 1", LoadKind.Application)]
    [InlineData("huts", "app", "pg_dump", "COPY huts TO stdout", LoadKind.Housekeeping)]
    [InlineData("huts", "app", "cron", "  /* nightly */ vacuum huts", LoadKind.Housekeeping)]
    [InlineData("huts", "app", "cron", "ANALYZE", LoadKind.Housekeeping)]
    [InlineData("huts", "app", "cron", "\"vacuum\" huts", LoadKind.Application)]
    [InlineData("huts", "app", "cron", "EXPLAIN ANALYZE SELECT 1", LoadKind.Application)]
    [InlineData("huts", "app", "cron", "", LoadKind.Application)]
    public void Load_is_told_apart_by_who_sends_it_and_what_it_is(string database, string user, string application, string sql, LoadKind kind)
    {
        FoldedBatch batch = Folded((database, user, application, sql));
        batch.Callers.Keys.Select(k => k.Caller).ShouldBe([new(database, user, application, kind)]);
        batch.Cells.Count.ShouldBe(kind == LoadKind.Application ? 1 : 0);
        batch.Statements.ShouldBe(1);
    }

    // Names as people make them.
    [Theory]
    [InlineData("the \"huts\"", "o'neill", "a -> b")]
    [InlineData("hütten", "app@work", "line\nbreak")]
    [InlineData("[x]", "a,b", "100 %")]
    public void Names_are_kept_as_they_are(string database, string user, string application) =>
        Folded((database, user, application, "SELECT 1")).Callers.Keys.Single().Caller.ShouldBe(new(database, user, application, LoadKind.Application));

    [Fact]
    public void A_schema_change_on_a_copy_is_no_deployment() => Folded((Copy, "app", "swift-ledger", "CREATE INDEX i ON t (a)")).SchemaStatements.ShouldBeEmpty();

    [Fact]
    public void More_callers_than_are_told_apart_are_summed()
    {
        FoldedBatch batch = Folded([.. Enumerable.Range(0, 1_000).Select(i => ("huts", "app", $"worker {i}", "SELECT 1"))]);
        batch.Callers.Keys.Select(k => k.Caller).Distinct().Count().ShouldBe(201);
        batch.Callers.Values.Sum(c => c.Calls).ShouldBe(1_000);
        batch.Cells.Values.Sum(c => c.Calls).ShouldBe(1_000);
    }

    // A log of nothing but our own load fills no minutes: it must be stored from time to time all the same, and what a log tells besides too.
    [Fact]
    public void What_stands_apart_waits_to_be_stored_like_the_rest()
    {
        Engine engine = KnownEngines.Named("postgresql")!;
        var fold = new CaptureFold(engine.Dialect, _ => null, "server", new(), [], engine.Housekeeping);
        for (int i = 0; i < 3_000; i++)
        {
            fold.Observe(new Observation { At = new DateTime(2026, 7, 1, 0, 0, 0, DateTimeKind.Utc).AddHours(i), Sql = "SELECT 1", Application = "swift-ledger"u8 });
        }

        fold.Waiting.ShouldBe(3_000);
        fold.Tell(new LogEvent { Kind = LogEventKind.Checkpoint, At = new DateTime(2026, 7, 1, 0, 0, 0, DateTimeKind.Utc), Amount = 1 });
        FoldedBatch batch = fold.Drain();
        fold.Waiting.ShouldBe(0);
        batch.Events.Count.ShouldBe(1);
    }

    [Fact]
    public void Statements_without_any_name_have_no_caller() => Folded(("", "", "", "SELECT 1")).Callers.ShouldBeEmpty();

    private static FoldedBatch Folded(params (string Database, string User, string Application, string Sql)[] statements)
    {
        Engine engine = KnownEngines.Named("postgresql")!;
        var fold = new CaptureFold(engine.Dialect, _ => null, "server", new(), [], engine.Housekeeping);
        foreach ((string database, string user, string application, string sql) in statements)
        {
            fold.Observe(new Observation
            {
                At = new DateTime(2026, 7, 1, 0, 0, 0, DateTimeKind.Utc),
                Duration = TimeSpan.FromMilliseconds(1),
                Sql = sql,
                Database = Encoding.UTF8.GetBytes(database),
                User = Encoding.UTF8.GetBytes(user),
                Application = Encoding.UTF8.GetBytes(application),
            });
        }

        return fold.Drain();
    }
}
