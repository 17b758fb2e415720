using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Picturing;

namespace SwiftLedger.Web;

/// <summary>As <see cref="PicturedTable"/>.</summary>
public sealed record PicturedTableView(
    int? Operator, string Table, string Alias, PlaceView Place, RowCount? Holds, RowCount? Passing, IReadOnlyList<PlaceView> Conditions, IReadOnlyList<ServingIndex> Indexes, IReadOnlyList<KnownColumn> Columns,
    bool Apart, bool Optional);

/// <summary>As <see cref="PicturedTie"/>.</summary>
public sealed record PicturedTieView(IReadOnlyList<int> Tables, PlaceView Place);

/// <summary>As <see cref="PicturedBlock"/>.</summary>
public sealed record PicturedBlockView(
    PlaceView Place, bool IsOuter, IReadOnlyList<PicturedTableView> Tables, IReadOnlyList<PicturedTieView> Ties, IReadOnlyList<PicturedJoin> Joins, string Folds, RowCount? Result, bool EndsEarly, int? Statement)
{
    /// <summary>Further blocks of a statement are not drawn.</summary>
    public const int MostBlocks = 20;

    public static IReadOnlyList<PicturedBlockView> Of(PlanSide side, PlanSources sources) => [.. StatementPicture.Of(side, sources).Blocks.Take(MostBlocks).Select(Of)];

    private static PicturedBlockView Of(PicturedBlock b) => new(
        PlaceView.Of(b.Place), b.IsOuter,
        [.. b.Tables.Select(t => new PicturedTableView(t.Operator, t.Table, t.Alias, PlaceView.Of(t.Place), t.Holds, t.Passing, [.. t.Conditions.Select(PlaceView.Of)], t.Indexes, t.Columns, t.Apart, t.Optional))],
        [.. b.Ties.Select(t => new PicturedTieView(t.Tables, PlaceView.Of(t.Place)))], b.Joins, b.Folds, b.Result, b.EndsEarly, b.Statement);
}
