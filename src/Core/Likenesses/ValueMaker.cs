using System.Globalization;
using System.Text;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Likenesses;

/// <summary>
/// Makes the values of a column by what a likeness tells: common ones as often as they are, groups of the histogram with as many rows, as many different values,
/// in as much order as the rows had.
/// </summary>
public sealed class ValueMaker
{
    private readonly LikenessColumn _column;
    private readonly bool _unique;
    private readonly bool _notNull;
    private readonly long _rows;
    private readonly Permutation _shuffled;
    private readonly string _name;
    private readonly List<Piece> _pieces = [];
    private readonly double[] _edges;
    private readonly IReadOnlyList<SqlValue>? _keys;
    private SplitMix _random;

    /// <param name="Low">Text of the first value; null for a word that stands in.</param>
    /// <param name="High">Of what lies behind the last; the same for a single value.</param>
    /// <param name="Weight">Share of the rows that are not NULL.</param>
    /// <param name="Count">Different values.</param>
    /// <param name="From">Number of its first value among those of the column.</param>
    private sealed record Piece(string? Low, string? High, double Weight, double Count, long From)
    {
        public bool IsOne => Count == 1;
    }

    /// <param name="column">As it is told.</param>
    /// <param name="table">Whose it is.</param>
    /// <param name="unique">Whether no two rows may share a value.</param>
    /// <param name="notNull">Whether NULL may not be made.</param>
    /// <param name="rows">That are made.</param>
    /// <param name="keys">Of the rows that it refers to, in their order, of each the first column; null where it refers to none, or there are none.</param>
    /// <param name="seed">Draws.</param>
    public ValueMaker(LikenessColumn column, string table, bool unique, bool notNull, long rows, IReadOnlyList<SqlValue>? keys, ulong seed)
    {
        (_column, _unique, _notNull, _rows, _keys, _name) = (column, unique, notNull, Math.Max(1, rows), keys is { Count: > 0 } ? keys : null, $"{table}.{column.Name}");
        _random = new(seed ^ System.IO.Hashing.XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(_name)));
        _shuffled = new(_rows, _random.Next());
        double weight = 0;
        foreach (Piece piece in Made())
        {
            _pieces.Add(piece);
            weight += piece.Weight;
        }

        double sum = 0;
        _edges = [.. _pieces.Select(p => sum += p.Weight / weight)];
        _pieces = [.. _pieces.Select(p => p with { Weight = p.Weight / weight })];
    }

    /// <summary>The value of a row.</summary>
    /// <param name="row">Its number from 0.</param>
    /// <param name="again">Whether it takes the place of one that met its equal: it follows no order then.</param>
    public SqlValue Of(long row, bool again = false) => Drawn(row, again) is var (piece, _, place) ? ValueOf(piece, place) : SqlValue.Null;

    /// <summary>The row that a row refers to: its number among the keys; null where it refers to none.</summary>
    /// <param name="row">Its number from 0.</param>
    /// <param name="again">As for <see cref="Of"/>.</param>
    public int? KeyOf(long row, bool again = false) => Drawn(row, again) is var (piece, at, place) ? KeyOf(piece, at, place) : null;

    private (Piece Piece, int At, double Place)? Drawn(long row, bool again)
    {
        if (!_notNull && _column.Nulls > 0 && _random.Unit() < _column.Nulls)
        {
            return null;
        }

        double rank = Rank(row, again);
        int at = Array.BinarySearch(_edges, rank);
        at = Math.Min(at < 0 ? ~at : at + 1, _pieces.Count - 1);
        Piece piece = _pieces[at];
        return (piece, at, Math.Clamp(Math.Floor((rank - (_edges[at] - piece.Weight)) / piece.Weight * piece.Count), 0, piece.Count - 1));
    }

    private double Rank(long row, bool again)
    {
        double order = _column.Order ?? 0, along = order < 0 ? (_rows - row - 0.5) / _rows : (row + 0.5) / _rows;

        // Each rank once: shares come out as they are told, and not only about so.
        return again ? _random.Unit()
            : (_unique ? Math.Abs(order) > 0.9 : Math.Abs(order) >= 0.01 && _random.Unit() < Math.Abs(order)) ? along
            : (_shuffled.At(row) + 0.5) / _rows;
    }

    /// <summary>Of keys that are there: the value itself, or the one at its place among them.</summary>
    private int KeyOf(Piece piece, int at, double place)
    {
        double share = _edges[at] - piece.Weight + ((place + 0.5) / piece.Count * piece.Weight);
        if (piece is { IsOne: true, Low: { } low } && _column.Kind == ValueKind.Whole && long.TryParse(low, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out long number)
            && _keys![0].Kind == SqlValueKind.Integer && IndexOf(number) is >= 0 and var found)
        {
            return found;
        }

        return Math.Clamp((int)(share * _keys!.Count), 0, _keys.Count - 1);
    }

    private int IndexOf(long number)
    {
        int low = 0, high = _keys!.Count - 1;
        while (low <= high)
        {
            int middle = (low + high) / 2;
            long value = _keys[middle].Integer;
            if (value == number)
            {
                return middle;
            }

            (low, high) = value < number ? (middle + 1, high) : (low, middle - 1);
        }

        return -1;
    }

    private IEnumerable<Piece> Made()
    {
        double common = _column.Common.Sum(c => c.Share), others = Math.Max(0, 1 - _column.Nulls - common);
        double distinct = Math.Max(1, (_unique ? _rows : Math.Min(_rows, _column.DistinctOf(_rows))) - _column.Common.Count);
        IReadOnlyList<string> bounds = _column.Bounds;
        long number = 0;
        List<Piece> pieces = [.. _column.Common.Where(c => c.Share > 0).Select(c => new Piece(c.Value, c.Value, c.Share, 1, number++))];
        if (others > 1e-9 || pieces.Count == 0)
        {
            others = Math.Max(others, 1e-9);
            if (bounds.Count < 2)
            {
                string? one = bounds.Count == 1 ? bounds[0] : null;
                pieces.Add(new(one, one, others, one is null ? distinct : 1, number));
            }
            else if (_unique && _column.Kind == ValueKind.Whole)
            {
                // Numbers without gaps worth the name: drawn from groups, some would meet by rounding.
                double low = NumberOf(bounds[0]), high = Math.Max(NumberOf(bounds[^1]) + 1, low + distinct);
                pieces.Add(new(low.ToString("R", CultureInfo.InvariantCulture), high.ToString("R", CultureInfo.InvariantCulture), others, distinct, number));
            }
            else if (distinct <= bounds.Count)
            {
                // The bounds name every value that there is.
                pieces.AddRange(bounds.Distinct().Select(b => new Piece(b, b, others * bounds.Count(o => o == b) / bounds.Count, 1, number++)));
            }
            else
            {
                foreach ((string low, string high, int groups) in ColumnStatistics.GroupsOf(bounds))
                {
                    double part = groups / (double)(bounds.Count - 1), values = low == high ? 1 : Math.Max(1, Math.Round(distinct * part));
                    pieces.Add(new(low, high, others * part, values, number));
                    number += (long)values;
                }
            }
        }

        return pieces.OrderBy(p => p.Low is null ? double.PositiveInfinity : _column.Kind switch
        {
            ValueKind.Whole or ValueKind.Number => NumberOf(p.Low),
            ValueKind.Moment => MomentOf(p.Low).Ticks,
            _ => 0,
        });
    }

    private SqlValue ValueOf(Piece piece, double place)
    {
        double share = (place + 0.5) / piece.Count;
        string? low = piece.Low, high = piece.High;
        if (low is null || (_column.Kind is ValueKind.Text or ValueKind.Other && !piece.IsOne))
        {
            long number = piece.From + (long)place;
            int width = (int)Math.Max(1, Math.Round(_column.Width));
            return _column.Kind switch
            {
                ValueKind.Whole => SqlValue.Of(number + 1),
                ValueKind.Number => SqlValue.Of(number + 0.5),
                ValueKind.Moment => SqlValue.Of(new DateTime(2000, 1, 1).AddDays(number).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture)),
                ValueKind.Other => SqlValue.Of(Encoding.ASCII.GetBytes(StandIns.Word(_name, number, width, _column.DistinctOf(_rows)))),
                _ => SqlValue.Of(StandIns.Word(_name, number, width, _column.DistinctOf(_rows))),
            };
        }

        switch (_column.Kind)
        {
            case ValueKind.Whole:
                double from = NumberOf(low), to = NumberOf(high!);
                return piece.IsOne && long.TryParse(low, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out long exact) ? SqlValue.Of(exact)
                    : SqlValue.Of((long)Math.Clamp(Math.Floor(from + ((to - from) * share)), -9e18, 9e18));
            case ValueKind.Number:
                return SqlValue.Of(piece.IsOne ? NumberOf(low) : Math.Round(NumberOf(low) + ((NumberOf(high!) - NumberOf(low)) * share), 6));
            case ValueKind.Moment when !piece.IsOne:
                DateTime moment = MomentOf(low) + ((MomentOf(high!) - MomentOf(low)) * share);
                return SqlValue.Of(string.Concat(moment.ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture).Replace(' ', low.Length > 10 ? low[10] : ' ').AsSpan(0, Math.Min(19, low.Length)), low.Length > 19 ? low[19..] : ""));
            default:
                return SqlValue.Of(low);
        }
    }

    private static double NumberOf(string text) => double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double number) ? number : 0;

    private static DateTime MomentOf(string text) =>
        DateTime.TryParse(text.Length > 19 ? text[..19] : text, CultureInfo.InvariantCulture, DateTimeStyles.None, out DateTime moment) ? moment : new(2000, 1, 1);
}
