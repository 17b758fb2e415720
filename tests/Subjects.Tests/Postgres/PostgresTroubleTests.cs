using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Postgres;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>What goes wrong on a real server, and that nothing is left of it.</summary>
[Collection(PostgresFixture.Name)]
public sealed class PostgresTroubleTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    [Fact]
    public async Task Copies_of_a_killed_trial_are_swept_and_nothing_else_is_ever_dropped()
    {
        string killed = NewFolder();
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address), killed))
        {
            await (await subject.CopyAsync(Side.After, default)).DisposeAsync();

            // Killed while it made the second one: the server has it already, and nothing on it says whose it is.
            Postgres.Sql("postgres", $"COMMENT ON DATABASE swift_ledger_{Path.GetFileName(killed)}_after IS NULL");
        }

        string lookalike = $"swift_ledger_{Guid.NewGuid():n}_base", other = "swift_ledger_notes";
        Postgres.Sql("postgres", $"CREATE DATABASE {lookalike}");
        Postgres.Sql("postgres", $"CREATE DATABASE {other}");
        string running = NewFolder();
        await using (PostgresSubject subject = PostgresSubject.Open(new(Address), running))
        {
            // The folder of a trial that runs is there; that of a killed one is gone once its ledger starts again.
            Copies().Count.ShouldBe(5);
            Directory.Delete(killed, recursive: true);
            PostgresSubject.SweepLeftOvers(Address, Path.GetDirectoryName(Folder)!).ShouldBeNull();
            Copies().Select(c => c.Split('_')[2]).ShouldBe([Path.GetFileName(running), lookalike.Split('_')[2], "notes"], ignoreOrder: true);
            await using PostgresSubject next = PostgresSubject.Open(new(Address), Folder);
            Copies().Select(c => c.Split('_')[2]).ShouldBe([Path.GetFileName(running), Path.GetFileName(Folder), lookalike.Split('_')[2], "notes"], ignoreOrder: true);
        }

        PostgresSubject.Clean(new(Address), running).ShouldBeNull();
        PostgresSubject.Clean(new(Address), Folder).ShouldBeNull();
        Copies().ShouldBe([lookalike, other], ignoreOrder: true);
        Postgres.Sql("postgres", $"DROP DATABASE {lookalike}");
        Postgres.Sql("postgres", $"DROP DATABASE {other}");
    }

    [Fact]
    public async Task A_database_that_the_server_still_makes_for_a_killed_process_is_not_made()
    {
        string killed = NewFolder(), name = $"swift_ledger_{Path.GetFileName(killed)}_base";

        // The server waits five seconds for a template's other sessions to go (PostgreSQL, CountOtherDBBackends).
        await using var holder = new Npgsql.NpgsqlConnection($"Host=127.0.0.1;Port={Postgres.Server.Port};Username=postgres;Database={Database};Pooling=false");
        await holder.OpenAsync(TestContext.Current.CancellationToken);
        await using var making = new Npgsql.NpgsqlConnection($"Host=127.0.0.1;Port={Postgres.Server.Port};Username=postgres;Database=postgres;Pooling=false");
        await making.OpenAsync(TestContext.Current.CancellationToken);
        await using var create = new Npgsql.NpgsqlCommand($"CREATE DATABASE \"{name}\" TEMPLATE \"{Database}\"", making);
        Task made = create.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        while (Postgres.Sql("postgres", "SELECT count(*) FROM pg_stat_activity WHERE query LIKE 'CREATE DATABASE \"swift%' AND state = 'active'").Trim() == "0" && !made.IsCompleted)
        {
            await Task.Yield();
        }

        PostgresSubject.Clean(new(Address), killed).ShouldBeNull();
        await holder.CloseAsync();
        (await Should.ThrowAsync<Npgsql.PostgresException>(made)).SqlState.ShouldBe(Npgsql.PostgresErrorCodes.AdminShutdown);
        Copies().ShouldNotContain(name);
    }

    [Fact]
    public async Task A_backend_that_is_killed_is_told_and_costs_one_line_only()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.AsItIs), Folder);
        await using ISubjectCopy side = await subject.CopyAsync(Side.Before, default);
        var run = new CaseRun("SELECT count(*) FROM parcel", []);
        using IPreparedCase prepared = side.Prepare(run, Limit);
        prepared.Execute(1);
        Postgres.Sql("postgres", "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'swift-ledger'");
        Should.Throw<EngineException>(() => prepared.Execute(1)).Message.ShouldContain("terminat");
        (await side.InspectAsync(run, Limit, default)).Failure.ShouldBeNull();
    }

    [Fact]
    public async Task A_change_that_deadlocks_with_another_session_ends_with_that_reason_and_holds_nothing()
    {
        await using var other = new Npgsql.NpgsqlConnection(Postgres.Server.Connection(Database));
        await other.OpenAsync(TestContext.Current.CancellationToken);

        // The one that looks first is ended: the change, here.
        await Run("SET deadlock_timeout = '1min'");
        await Run("BEGIN");
        await Run("UPDATE depot SET name = 'x' WHERE id = 2");
        await using (PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.InPlace, Expendable: Database), Folder))
        await using (ISubjectCopy after = await subject.CopyAsync(Side.After, default))
        {
            await after.ApplyAsync(Step("BEGIN"), default);
            await after.ApplyAsync(Step("UPDATE depot SET name = 'y' WHERE id = 1"), default);
            Task crossing = Run("UPDATE depot SET name = 'x' WHERE id = 1");
            (await Should.ThrowAsync<EngineException>(() => after.ApplyAsync(Step("UPDATE depot SET name = 'y' WHERE id = 2"), default))).Message.ShouldContain("deadlock detected");
            await after.DisposeAsync();
            await crossing;
        }

        await Run("ROLLBACK");
        Postgres.Sql(Database, "SELECT name FROM depot WHERE id IN (1, 2) ORDER BY id").ShouldBe("depot 1\ndepot 2\n");

        async Task Run(string sql)
        {
            await using var command = new Npgsql.NpgsqlCommand(sql, other);
            await command.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        }
    }

    // A disk of 60 MB that the database stands on: its copies want to stand there too.
    [Theory]
    [InlineData(SubjectSides.Copies)]
    [InlineData(SubjectSides.Dumped)]
    public void A_full_disk_ends_the_copying_and_nothing_is_left(SubjectSides sides)
    {
        string disk = Directory.CreateTempSubdirectory("swift-ledger-disk-").FullName;
        Assert.SkipUnless(Did("mount", "-t", "tmpfs", "-o", "size=60m", "tmpfs", disk), "A small disk can be mounted by root alone.");
        string small = $"small{Guid.NewGuid():n}";
        try
        {
            Did("chown", "postgres", disk).ShouldBeTrue();
            Postgres.Sql("postgres", $"CREATE TABLESPACE {small} LOCATION '{disk}'");
            Postgres.Sql("postgres", $"CREATE DATABASE {small} TABLESPACE {small}");
            Postgres.Sql(small, "CREATE TABLE parcel AS SELECT i AS id, repeat('x', 900) AS letter FROM generate_series(1, 30000) i");
            string address = Address.Replace(Database, small, StringComparison.Ordinal);
            SubjectException refused = Should.Throw<SubjectException>(() => PostgresSubject.Open(new(address, sides), Folder));
            refused.Problem.Message.ShouldContain("No space left on device");
            refused.BadInput.ShouldBeFalse();
            PostgresSubject.Clean(new(address, sides), Folder).ShouldBeNull();
            Copies().ShouldBeEmpty();
            Postgres.Sql(small, "SELECT count(*) FROM parcel").Trim().ShouldBe("30000");
        }
        finally
        {
            Postgres.Sql("postgres", $"DROP DATABASE IF EXISTS {small} WITH (FORCE)");
            Postgres.Sql("postgres", $"DROP TABLESPACE IF EXISTS {small}");
            Did("umount", disk);
            Directory.Delete(disk, recursive: true);
        }

        static bool Did(string program, params string[] arguments)
        {
            using var process = System.Diagnostics.Process.Start(new System.Diagnostics.ProcessStartInfo(program, arguments) { RedirectStandardError = true })!;
            process.StandardError.ReadToEnd();
            process.WaitForExit();
            return process.ExitCode == 0;
        }
    }

    [Fact]
    public async Task A_lock_that_never_comes_ends_the_change()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, SubjectSides.RolledBack), Folder);
        subject.Turns.ShouldBe(SideTurns.NotAtAll);
        using var holder = new Npgsql.NpgsqlConnection(Postgres.Server.Connection(Database));
        await holder.OpenAsync(TestContext.Current.CancellationToken);
        await using (Npgsql.NpgsqlTransaction transaction = await holder.BeginTransactionAsync(TestContext.Current.CancellationToken))
        {
            await using var command = new Npgsql.NpgsqlCommand("LOCK TABLE parcel IN ACCESS EXCLUSIVE MODE", holder, transaction);
            await command.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
            await using ISubjectCopy after = await subject.CopyAsync(Side.After, default);
            (await Should.ThrowAsync<EngineException>(() => after.ApplyAsync(Step("CREATE INDEX parcel_sent ON parcel (sent_on)"), default))).Message.ShouldContain("lock");
        }

        await using ISubjectCopy again = await subject.CopyAsync(Side.After, default);
        await again.ApplyAsync(Step("CREATE INDEX parcel_sent ON parcel (sent_on)"), default);
        (await again.InspectAsync(new("SELECT id FROM parcel WHERE sent_on = date '2026-03-02'", []), Limit, default)).Plan!.Text.ShouldContain("parcel_sent");
        await again.DisposeAsync();
        Postgres.Sql(Database, "SELECT count(*) FROM pg_indexes WHERE indexname = 'parcel_sent'").Trim().ShouldBe("0");
    }
}
