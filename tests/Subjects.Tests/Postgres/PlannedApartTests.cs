using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Postgres;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>A restored copy is analyzed anew: where that gives it another plan than the subject's own, it is told.</summary>
[Collection(PostgresFixture.Name)]
public sealed class PlannedApartTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    private const string ByState = "SELECT id, note FROM parcel WHERE state = :state";

    private static readonly CaseRun[] Runs =
    [
        new(ByState, BindLine.Pairs("state='lost'")),
        new("SELECT * FROM nowhere WHERE id = :id", BindLine.Pairs("id=1")),
        new(ByState, BindLine.Pairs("state='gone'")),
        new("UPDATE parcel SET note = NULL WHERE state = 'lost'", []),
        new("SELECT * FROM depot WHERE id = :id; DROP TABLE parcel", BindLine.Pairs("id=1")),
        new("SELECT * FROM depot WHERE id = :id", BindLine.Pairs("id=1")),
    ];

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task Statistics_that_are_older_than_the_rows_give_another_plan_than_the_copies(bool owner)
    {
        Postgres.Sql("postgres", $"ALTER ROLE {Owner} CREATEDB");

        // Of one in a thousand the statistics know; there is every second one.
        Postgres.Sql(Database, "ALTER TABLE parcel SET (autovacuum_enabled = false); UPDATE parcel SET state = 'lost' WHERE id % 2 = 0");
        string before = Fingerprint();
        await OpenedAsync(SubjectSides.Dumped, owner, subject =>
        {
            (IReadOnlyList<PlannedApart> apart, int compared) = subject.PlannedApart(Runs, Limit, default);
            apart.Select(a => a.Run).ShouldBe([0, 3]);
            compared.ShouldBe(4, "One names a table that is not there, and one is two statements.");
            CopiesApart.Sentence([("by_state (1)", apart[0].OnSubject, apart[0].OnCopies)], compared)
                .ShouldStartWith("The subject itself runs 1 of 4 cases by another plan than the copies before the change: by_state (1) (Index Scan using parcel_state on parcel there, ");
            subject.PlannedApart(Runs, TimeSpan.Zero, default).Compared.ShouldBe(0, "There is no time for any.");
        });

        // Dead rows are a difference too: no copy has any.
        Postgres.Sql(Database, "VACUUM (FULL, ANALYZE) parcel");
        await OpenedAsync(SubjectSides.Dumped, owner, subject => subject.PlannedApart(Runs, Limit, default).Apart.ShouldBeEmpty());
        Fingerprint().ShouldBe(before);
    }

    [Fact]
    public async Task Copies_of_its_files_have_the_subjects_statistics_and_nothing_is_asked()
    {
        Postgres.Sql(Database, "ALTER TABLE parcel SET (autovacuum_enabled = false); UPDATE parcel SET state = 'lost' WHERE id % 2 = 0");
        await OpenedAsync(SubjectSides.Copies, owner: false, subject => subject.PlannedApart(Runs, Limit, default).Compared.ShouldBe(0));
    }

    [Fact]
    public async Task A_subject_whose_functions_are_others_work_is_not_planned_with_an_administrators_rights()
    {
        Postgres.Sql(Database, $"SET ROLE {Owner}; CREATE FUNCTION one() RETURNS int IMMUTABLE LANGUAGE plpgsql AS 'BEGIN RETURN 1; END'");
        await OpenedAsync(SubjectSides.Dumped, owner: false, subject => subject.PlannedApart(Runs, Limit, default).Compared.ShouldBe(0));
    }

    /// <summary>Nothing is left on the server, which other tests look at.</summary>
    private async Task OpenedAsync(SubjectSides sides, bool owner, Action<PostgresSubject> see)
    {
        var access = new SubjectAccess(owner ? OwnersAddress : Address, Sides: sides);
        string folder = NewFolder();
        try
        {
            await using PostgresSubject subject = PostgresSubject.Open(access, folder);
            see(subject);
        }
        finally
        {
            PostgresSubject.Clean(access, folder).ShouldBeNull();
        }
    }
}
