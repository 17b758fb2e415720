using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Plans.Picturing;

/// <summary>A number of rows.</summary>
/// <param name="Rows">How many.</param>
/// <param name="Counted">Whether somebody counted them; else they are what statistics or the planner expect.</param>
public sealed record RowCount(double Rows, bool Counted);

/// <summary>An index that a condition of the statement can go through.</summary>
/// <param name="Name">Of the index.</param>
/// <param name="Columns">In order.</param>
/// <param name="Leading">How many of its first columns are named by conditions.</param>
/// <param name="Used">Whether the plan goes through it.</param>
/// <param name="RowsPerKey">Rows that share values in those columns, by the statistics; null where they do not say.</param>
public sealed record ServingIndex(string Name, IReadOnlyList<string> Columns, int Leading, bool Used, double? RowsPerKey);

/// <summary>What is known of a column that a condition names.</summary>
/// <param name="Name">As the catalogue has it.</param>
/// <param name="Distinct">Different values, by the statistics; null where they do not say.</param>
/// <param name="NullFraction">Share of rows without a value; null where that is not known.</param>
/// <param name="Commonest">The share of rows that the commonest value has; null where that is not known.</param>
public sealed record KnownColumn(string Name, double? Distinct, double? NullFraction, double? Commonest);

/// <summary>A table, or what stands for one, as a query block reads it.</summary>
/// <param name="Operator">Its place in <see cref="Plan.Lines"/>; null where the plan reads it nowhere, or there is none.</param>
/// <param name="Table">Its own name; empty for a query in parentheses.</param>
/// <param name="Alias">What the block calls it.</param>
/// <param name="Place">Where it stands in the statement.</param>
/// <param name="Holds">Rows that it has; null where nobody knows.</param>
/// <param name="Passing">Rows that its own conditions let through; null where nobody knows.</param>
/// <param name="Conditions">Those, by their places.</param>
/// <param name="Indexes">That its conditions and ties can go through.</param>
/// <param name="Columns">That they name.</param>
/// <param name="Apart">Whether nothing ties it to the tables that are joined before it; what is tied to it alone is not apart.</param>
/// <param name="Optional">Whether a row of the others comes out without one of it too.</param>
public sealed record PicturedTable(
    int? Operator, string Table, string Alias, TextSpan Place, RowCount? Holds, RowCount? Passing, IReadOnlyList<TextSpan> Conditions, IReadOnlyList<ServingIndex> Indexes,
    IReadOnlyList<KnownColumn> Columns, bool Apart, bool Optional);

/// <summary>What ties tables to each other.</summary>
/// <param name="Tables">By their places in <see cref="PicturedBlock.Tables"/>.</param>
/// <param name="Place">Where it stands in the statement.</param>
public sealed record PicturedTie(IReadOnlyList<int> Tables, TextSpan Place);

/// <summary>Tables that are joined by now, and the rows that leave that join.</summary>
/// <param name="Tables">By their places in <see cref="PicturedBlock.Tables"/>.</param>
/// <param name="Leaving">Null where nobody knows.</param>
public sealed record PicturedJoin(IReadOnlyList<int> Tables, RowCount? Leaving);

/// <summary>One query block: its tables in the order in which the plan comes to them, what ties them, and what leaves each join.</summary>
/// <param name="Place">Where it stands.</param>
/// <param name="IsOuter">Whether it is the outermost.</param>
/// <param name="Tables">In the plan's order; in the statement's where there is no plan.</param>
/// <param name="Ties">In the statement's order.</param>
/// <param name="Joins">The first one first; the last holds all tables.</param>
/// <param name="Folds">How rows are folded afterwards: DISTINCT or GROUP BY; empty where they are not.</param>
/// <param name="Result">Rows that come out in the end; null where nobody counted them.</param>
/// <param name="EndsEarly">Whether it may stop as soon as it has enough: what leaves its joins is counted up to there.</param>
public sealed record PicturedBlock(
    TextSpan Place, bool IsOuter, IReadOnlyList<PicturedTable> Tables, IReadOnlyList<PicturedTie> Ties, IReadOnlyList<PicturedJoin> Joins, string Folds, RowCount? Result, bool EndsEarly)
{
    /// <summary>Which statement of a unit it is of, from 1; null where there is one.</summary>
    public int? Statement { get; init; }

    /// <summary>The same within a longer text and plan.</summary>
    /// <param name="statement">Of the unit, from 1.</param>
    /// <param name="text">Where the statement begins.</param>
    /// <param name="at">Where its operators begin.</param>
    internal PicturedBlock Within(int statement, int text, int at)
    {
        TextSpan Moved(TextSpan span) => new(span.Start + text, span.Length);
        return this with
        {
            Statement = statement,
            Place = Moved(Place),
            Tables = [.. Tables.Select(t => t with { Operator = t.Operator + at, Place = Moved(t.Place), Conditions = [.. t.Conditions.Select(Moved)] })],
            Ties = [.. Ties.Select(t => t with { Place = Moved(t.Place) })],
        };
    }
}

/// <summary>A statement as a picture: what it reads, how much of it, and where rows become more.</summary>
/// <param name="Blocks">In the statement's order; none where its grammar is not known.</param>
public sealed record StatementPicture(IReadOnlyList<PicturedBlock> Blocks)
{
    /// <summary>The picture of a statement, with its plan and what is known around it; a plan without operators is none.</summary>
    /// <param name="side">The statement.</param>
    /// <param name="sources">Of the same side.</param>
    public static StatementPicture Of(PlanSide side, PlanSources sources) => side.Statements is { Count: > 1 } statements
        ? new([.. statements.SelectMany((s, n) => Of(s.Side, new PlanSources(s.Side)).Blocks.Select(b => b.Within(n + 1, s.Text, s.Operator)))])
        : new([.. side.Outline.Blocks.Where(b => b.Sources.Count > 0).Select((b, n) => new BlockPicture(side, sources, b, n == 0).Drawn())]);
}
