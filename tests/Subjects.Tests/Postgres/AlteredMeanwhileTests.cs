using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Subjects.Postgres;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>A look at a catalogue while somebody alters it sees what was there before, or what is there after, or says that it cannot tell.</summary>
[Collection(PostgresFixture.Name)]
public sealed class AlteredMeanwhileTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    [Fact]
    public async Task An_index_that_is_made_anew_with_its_column_never_looks_dropped_or_renamed()
    {
        const int looks = 60;
        using var over = new CancellationTokenSource();
        Postgres.Sql(Database, "CREATE INDEX parcel_depot ON parcel (depot_id); ALTER TABLE parcel DROP CONSTRAINT parcel_depot_id_fkey; CREATE TABLE small AS SELECT i AS id FROM generate_series(1, 50) i; CREATE INDEX small_id ON small (id)");
        Task altering = Task.Run(
            () =>
            {
                for (bool wide = true; !over.IsCancellationRequested; wide = !wide)
                {
                    Postgres.Sql(Database, string.Concat(Enumerable.Range(0, 10).Select(i => $"ALTER TABLE small ALTER COLUMN id TYPE {(wide ^ (i % 2 == 0) ? "bigint" : "int")}; REINDEX TABLE small;")));
                }
            }, TestContext.Current.CancellationToken);
        int told = 0;
        for (int i = 0; i < looks; i++)
        {
            try
            {
                IReadOnlyList<SchemaObject> found = PostgresSubject.SchemaOf(Address);
                found.Where(o => o.Kind == "index").Select(o => o.Definition).ShouldBe(
                    ["CREATE UNIQUE INDEX depot_pkey ON public.depot USING btree (id)", "CREATE INDEX parcel_depot ON public.parcel USING btree (depot_id)", "CREATE UNIQUE INDEX parcel_pkey ON public.parcel USING btree (id)",
                        "CREATE INDEX parcel_state ON public.parcel USING btree (state)", "CREATE INDEX small_id ON public.small USING btree (id)"], ignoreOrder: true);
                found.ShouldAllBe(o => !o.Name.Contains('.', StringComparison.Ordinal));
                told++;
            }
            catch (SubjectException e)
            {
                e.Problem.Message.ShouldBe("Its catalogue was altered while it was read, 3 times.");
            }
        }

        await over.CancelAsync();
        await altering;
        told.ShouldBeGreaterThan(0);
        PostgresSubject.SchemaOf(Address).Count(o => o.Kind == "index").ShouldBe(5);
    }
}
