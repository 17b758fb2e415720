using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>
/// What a unit gives, held against the server's own loop: LEFT JOIN LATERAL runs a query for each row of another, and keeps the rows for which it gives nothing
/// (PostgreSQL manual, 7.2.1.5 "LATERAL Subqueries").
/// </summary>
[Collection(PostgresFixture.Name)]
public sealed class UnitsAgainstLateralTests(PostgresFixture postgres) : DepotOnServer(postgres)
{
    private const int Units = 60;

    private static T One<T>(ref SplitMix random, params ReadOnlySpan<T> of) => of[random.Below(of.Length)];

    [Fact]
    public async Task Any_unit_gives_what_the_servers_own_loop_gives()
    {
        Postgres.Sql(Database, "INSERT INTO depot VALUES (900, 'nobody''s'), (901, '')");
        await using PostgresSubject subject = PostgresSubject.Open(new(Address), Folder);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        int joined = 0;
        for (int i = 0; i < Units; i++)
        {
            (string unit, string lateral) = Pair(i);
            Inspection many = await copy.InspectAsync(new(unit, BindLine.Pairs("s='lost'")) { Unit = WorkUnit.Of(unit, Dialects.PostgreSql) }, Limit, default);
            Inspection one = await copy.InspectAsync(new(lateral, BindLine.Pairs("s='lost'")), Limit, default);
            one.Failure.ShouldBeNull(lateral);
            many.Failure.ShouldBeNull(unit);
            (many.Rows, many.RowsHash).ShouldBe((one.Rows, one.RowsHash), $"{unit}\n{lateral}");
            joined += many.Rows > many.Plan!.Statements![0].Sent ? 1 : 0;
        }

        joined.ShouldBeGreaterThan(Units / 2);
        PostgresSubject.Clean(new(Address), Folder);
    }

    /// <summary>A list, one or two loops over it, and at times a loop within the first: as a unit, and as the server's own loops.</summary>
    private static (string Unit, string Lateral) Pair(int seed)
    {
        var random = new SplitMix((ulong)seed);
        string list = One(ref random, "SELECT id, name FROM depot WHERE id > 44 OR id < 3", "SELECT id FROM parcel WHERE state = :s AND id < 9000", "SELECT NULL::int AS id UNION ALL SELECT 7", "SELECT DISTINCT depot_id AS id FROM parcel WHERE id < 400 AND weight > 90");
        string unit = list, from = $"({list}) AS l", columns = "l.*";
        int loops = One(ref random, 1, 1, 2);
        for (int n = 0; n < loops; n++)
        {
            string each = Loop(ref random, ":id");
            unit += $";\n-- each row\n{each}";
            from += $" LEFT JOIN LATERAL ({each.Replace(":id", "l.id", StringComparison.Ordinal)}) AS s{n} ON TRUE";
            columns += $", s{n}.*";
            if (n == 0 && loops == 1 && random.Below(2) == 0)
            {
                string within = Loop(ref random, ":key");
                unit += $";\n-- each row of 2: key = k\n{within}";
                from += $" LEFT JOIN LATERAL ({within.Replace(":key", "s0.k", StringComparison.Ordinal)}) AS t ON s0.there";
                columns += ", t.*";
            }
        }

        return (unit, $"SELECT {columns} FROM {from}");
    }

    /// <summary>Every loop gives a key and a column that tells its rows from those that are not there: beneath a row that is not there nothing runs.</summary>
    private static string Loop(ref SplitMix random, string key) => random.Below(5) switch
    {
        0 => $"SELECT p.id AS k, true AS there, p.note FROM parcel p WHERE p.depot_id = {key} AND p.state = :s",
        1 => $"SELECT count(*)::int AS k, true AS there FROM parcel p WHERE p.depot_id = {key}",
        2 => $"SELECT max(p.depot_id) AS k, true AS there, p.state FROM parcel p WHERE p.depot_id = {key} GROUP BY p.state",
        3 => $"SELECT d.id AS k, true AS there, d.name, NULL::date AS nothing FROM depot d WHERE d.id = {key} + 1 OR d.id = 2",
        _ => $"SELECT p.id AS k, true AS there FROM parcel p WHERE p.id = {key} ORDER BY p.id LIMIT 1",
    };
}
