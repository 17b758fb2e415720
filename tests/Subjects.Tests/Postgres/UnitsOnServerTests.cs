using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Postgres;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>Units of work on a real server: each statement is a round trip, and what they give and write is held against single statements.</summary>
[Collection(PostgresFixture.Name)]
public sealed class UnitsOnServerTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    private const string Each = "SELECT id, name FROM depot WHERE id <= :most ORDER BY id;\n-- each row: d = id\nSELECT count(*) FROM parcel WHERE depot_id = :d AND state = :s";

    private static CaseRun Run(string sql, IReadOnlyList<Binding> values) => new(sql, values) { Unit = WorkUnit.Of(sql, Testing.Dialects.PostgreSql) };

    [Fact]
    public async Task A_unit_gives_what_one_statement_gives_and_counts_what_its_statements_count()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        IReadOnlyList<Binding> values = BindLine.Pairs("most=12, s='lost'");
        (string Unit, string One)[] pairs =
        [
            (Each, "SELECT d.id, d.name, (SELECT count(*) FROM parcel p WHERE p.depot_id = d.id AND p.state = :s) FROM depot d WHERE d.id <= :most ORDER BY d.id"),
            ("SELECT id FROM depot WHERE id <= :most ORDER BY id;\n-- each row\nSELECT id AS p, weight, note FROM parcel WHERE depot_id = :id AND state = :s ORDER BY id;\n-- each row of 2\nSELECT sent_on FROM parcel WHERE id = :p + 1 AND depot_id > 5",
                "SELECT d.id, p.id, p.weight, p.note, n.sent_on FROM depot d LEFT JOIN parcel p ON p.depot_id = d.id AND p.state = :s LEFT JOIN parcel n ON n.id = p.id + 1 AND n.depot_id > 5 WHERE d.id <= :most ORDER BY d.id, p.id"),
            ("SELECT name FROM depot WHERE id < 3 ORDER BY id;\n-- then\nSELECT name FROM depot WHERE id > 3 AND (:s IS NULL OR name <> :s) AND id <= :most ORDER BY id", "SELECT name FROM depot WHERE id <> 3 AND id <= :most ORDER BY id"),
        ];
        foreach ((string unit, string one) in pairs)
        {
            Inspection many = await copy.InspectAsync(Run(unit, values), Limit, default), single = await copy.InspectAsync(Run(one, values), Limit, default);
            many.Failure.ShouldBeNull(unit);
            (many.RowsHash, many.SequenceHash, many.Rows, many.RowsRepeat, many.CountersRepeat).ShouldBe((single.RowsHash, single.SequenceHash, single.Rows, true, true), unit);
            copy.PlanInSession(Run(unit, values), Limit).Shape.ShouldBe(many.Plan!.Shape);
            using IPreparedCase prepared = copy.Prepare(Run(unit, values), Limit);
            prepared.Execute(2).ShouldBeGreaterThan(0);
            prepared.Discard(1);
        }

        // What is counted of the whole is what the server counts of each statement by itself.
        Inspection seen = await copy.InspectAsync(Run(Each, values), Limit, default);
        seen.Plan!.Statements!.Select(s => s.Sent).ShouldBe([1, 12]);
        seen.Plan.OfStatements()[1].Lines().First().Operator.Counts!.Loops.ShouldBe(12);
        Inspection list = await copy.InspectAsync(Run("SELECT id, name FROM depot WHERE id <= :most ORDER BY id", values), Limit, default);
        long each = 0;
        for (int d = 1; d <= 12; d++)
        {
            each += (await copy.InspectAsync(Run("SELECT count(*) FROM parcel WHERE depot_id = :d AND state = :s", BindLine.Pairs($"d={d}, s='lost'")), Limit, default)).Counters["blocksTouched"];
        }

        seen.Counters["blocksTouched"].ShouldBe(list.Counters["blocksTouched"] + each);
        PostgresSubject.Clean(new(Address), Folder);
    }

    [Theory]
    [InlineData("SELECT id FROM depot WHERE id < 9;\n-- each row\nUPDATE parcel SET state = 'x' WHERE depot_id = :id AND id < 500", "UPDATE parcel SET state = 'x' WHERE depot_id < 9 AND id < 500", true)]
    [InlineData("SELECT id FROM depot WHERE id < 9;\n-- each row\nUPDATE parcel SET state = 'x' WHERE depot_id = :id AND id < 500", "UPDATE parcel SET state = 'x' WHERE depot_id < 8 AND id < 500", false)]
    [InlineData("DELETE FROM parcel WHERE id < 30 RETURNING id, depot_id;\n-- each row\nINSERT INTO parcel VALUES (:id + 100000, :depot_id, 'moved', 1, '2026-07-18')", "SELECT 1", false)]
    public async Task What_a_unit_writes_is_compared_and_taken_back(string unit, string statement, bool same)
    {
        string before = Fingerprint();
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        Inspection many = await copy.InspectAsync(Run(unit, []), Limit, default), one = await copy.InspectAsync(Run(statement, []), Limit, default);
        many.Failure.ShouldBeNull();
        (many.Writes, many.RowsRepeat, many.RowsHash is null).ShouldBe((true, true, false));
        (many.RowsHash == one.RowsHash).ShouldBe(same);
        (await copy.InspectAsync(Run(unit, []), Limit, default)).RowsHash.ShouldBe(many.RowsHash);
        using (IPreparedCase prepared = copy.Prepare(Run(unit, []), Limit))
        {
            prepared.Execute(2).ShouldBeGreaterThan(0);
        }

        (await copy.InspectAsync(Run("SELECT count(*) FROM parcel WHERE state IN ('x', 'moved')", []), Limit, default)).Rows.ShouldBe(1);
        copy.Rows(Run("SELECT count(*) FROM parcel WHERE state IN ('x', 'moved')", []), Limit, _ => true).Rows[0][0].ShouldBe("0");
        PostgresSubject.Clean(new(Address), Folder);
        Fingerprint().ShouldBe(before);
    }

    /// <summary>What is only read stays what it is, whichever statement of a unit wants to write, or to control the session.</summary>
    [Theory]
    [InlineData(SubjectSides.AsItIs)]
    [InlineData(SubjectSides.RolledBack)]
    public async Task Nothing_of_a_unit_stays_in_a_database_that_is_there_already(SubjectSides sides)
    {
        string before = Fingerprint();
        Postgres.Sql(Database, "CREATE FUNCTION harm(i int) RETURNS int LANGUAGE sql AS 'DELETE FROM parcel WHERE id = i RETURNING 1'; CREATE SEQUENCE ticket");
        await using PostgresSubject subject = PostgresSubject.Open(new(OwnersAddress, sides), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(sides == SubjectSides.AsItIs ? Side.Before : Side.After, default);
        string[] units =
        [
            "SELECT id FROM depot;\n-- each row\nDELETE FROM parcel WHERE depot_id = :id",
            "SELECT id FROM depot;\n-- each row\nSELECT harm(:id::int)",
            "SELECT 1;\n-- then\nCOMMIT;\n-- then\nDELETE FROM parcel",
            "SELECT 1;\n-- then\nSET transaction_read_only = off;\n-- then\nDELETE FROM parcel",
            "SELECT 1;\n-- then\nEND;\n-- then\nBEGIN READ WRITE;\n-- then\nDELETE FROM parcel;\n-- then\nCOMMIT",
            "SELECT E'\\';\n-- then\nDELETE FROM parcel; --'",
        ];
        foreach (string unit in units)
        {
            try
            {
                Inspection seen = await copy.InspectAsync(Run(unit, []), Limit, default);
                if (sides == SubjectSides.AsItIs)
                {
                    // The last one is one statement: a text that holds a quote.
                    (seen.Failure is null).ShouldBe(unit == units[^1], unit);
                    using IPreparedCase prepared = copy.Prepare(Run(unit, []), Limit);
                    prepared.Execute(1);
                }
            }
            catch (Exception e) when (e is EngineException or SubjectException)
            {
                // Refused, or its session dropped: either keeps the rows.
            }
        }

        await copy.DisposeAsync();
        Fingerprint().ShouldBe(before);
    }

    [Fact]
    public async Task What_is_wrong_with_a_unit_is_told_with_its_place_and_a_limit_is_of_the_whole()
    {
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        async Task<SideFailure> Said(string unit, double seconds = 20) => (await copy.InspectAsync(Run(unit, []), TimeSpan.FromSeconds(seconds), default)).Failure.ShouldNotBeNull(unit);
        (await Said("SELECT id FROM depot;\n-- each row\nSELECT nam FROM depot WHERE id = :id")).Reason.ShouldContain("column \"nam\" does not exist");
        (await Said("SELECT id FROM depot;\n-- each row\nSELECT :other::int")).Reason.ShouldContain("'other' has no value");
        (await Said("SELECT name FROM depot ORDER BY id;\n-- each row\nSELECT count(*) FROM parcel WHERE id = :name")).Reason.ShouldContain("invalid input syntax for type integer");
        (await Said("SELECT id FROM depot;\n-- each row\nSELECT pg_sleep(0.05)", 0.4)).TimeLimit.ShouldBeTrue();
        EngineException thrown = Should.Throw<EngineException>(() => copy.Prepare(Run("SELECT id FROM depot;\n-- each row\nSELECT nam FROM depot WHERE id = :id", []), Limit));
        thrown.Offset.ShouldBe("SELECT id FROM depot;\n-- each row\nSELECT ".Length);
        using IPreparedCase slow = copy.Prepare(Run("SELECT id FROM depot;\n-- each row\nSELECT pg_sleep(0.05)", []), TimeSpan.FromSeconds(0.4));
        Should.Throw<EngineException>(() => slow.Execute(1)).TimeLimit.ShouldBeTrue();

        // An empty list: what it would have led to is never sent, and its plan is shown all the same.
        Inspection empty = await copy.InspectAsync(Run("SELECT id FROM depot WHERE id < 0;\n-- each row\nSELECT name FROM depot WHERE id = :id", []), Limit, default);
        empty.Plan!.Statements!.Select(s => s.Sent).ShouldBe([1, 0]);
        (empty.Rows, empty.Failure, empty.Plan.Roots.Count).ShouldBe((0, null, 2));
        PostgresSubject.Clean(new(Address), Folder);
    }
}
