using Shouldly;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Picturing;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Testing;

/// <summary>Holds what a picture calls counted against counting queries of the same data, run in the engine.</summary>
internal static class PictureCheck
{
    /// <param name="side">A counted plan with its statement.</param>
    /// <param name="ask">Runs a counting query.</param>
    /// <returns>How many figures were held against such a query.</returns>
    public static int Holds(PlanSide side, Func<string, long> ask)
    {
        int held = 0;
        string sql = side.Sql;
        StatementPicture picture = StatementPicture.Of(side, new(side));
        picture.Blocks.ShouldNotBeEmpty(sql);
        foreach (PicturedBlock block in picture.Blocks)
        {
            QueryBlock outline = side.Outline.Blocks.First(b => b.Span == block.Place);
            foreach (PicturedTable table in block.Tables.Where(t => t.Table.Length > 0 && side.Catalog?.Table(t.Table) is not null))
            {
                if (table.Holds is { Counted: true } holds)
                {
                    holds.Rows.ShouldBe(ask($"SELECT count(*) FROM {table.Table}"), sql);
                    held++;
                }

                // What a condition of another query's columns lets through depends on the row around it, and is never told as counted.
                if (table.Conditions.Count > 0 && table.Passing is { Counted: true } passing)
                {
                    passing.Rows.ShouldBe(ask($"SELECT count(*) FROM {table.Place.Of(sql)} WHERE {string.Join(" AND ", table.Conditions.Select(c => $"({c.Of(sql)})"))}"), $"{table.Alias} in {sql}");
                    held++;
                }
            }

            if (block is { IsOuter: true, EndsEarly: false, Joins: [.., { Leaving: { Counted: true } leaving }] } && outline.Syntax is { From: { } from } select)
            {
                leaving.Rows.ShouldBe(ask($"SELECT count(*) FROM {from.Span!.Value.Of(sql)}{(select.Where is { } where ? $" WHERE {where.Span!.Value.Of(sql)}" : "")}"), sql);
                held++;
            }
        }

        return held;
    }
}
