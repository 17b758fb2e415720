using System.Runtime.InteropServices;
using System.Text;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects;

/// <summary>
/// Finds the rows that one side gives and the other does not, in three readings: the side before is noted, the side after is held
/// against it, and what is then left of the side before is there only. Memory grows with the different rows, up to a bound.
/// </summary>
public sealed class RowSieve
{
    internal const int MostDifferentRows = 1_000_000;

    private readonly Dictionary<UInt128, int> _left = [];

    /// <summary>Reads both sides.</summary>
    /// <param name="before">Reads the side before and keeps the rows whose hash is wanted.</param>
    /// <param name="after">Likewise.</param>
    /// <returns>The rows that are on one side only; null where there are too many to tell.</returns>
    /// <exception cref="EngineException">A side failed, or exceeded its limit.</exception>
    public static (RowsOnlyHere Before, RowsOnlyHere After)? Compare(Func<Func<UInt128, bool>, RowsOnlyHere> before, Func<Func<UInt128, bool>, RowsOnlyHere> after)
    {
        var sieve = new RowSieve();
        before(sieve.Note);
        if (sieve._left.Count > MostDifferentRows)
        {
            return null;
        }

        RowsOnlyHere onlyAfter = after(row => !sieve.Take(row));
        return (before(sieve.Take), onlyAfter);
    }

    private bool Note(UInt128 row)
    {
        if (_left.Count <= MostDifferentRows)
        {
            CollectionsMarshal.GetValueRefOrAddDefault(_left, row, out _)++;
        }

        return false;
    }

    private bool Take(UInt128 row)
    {
        ref int left = ref CollectionsMarshal.GetValueRefOrNullRef(_left, row);
        if (System.Runtime.CompilerServices.Unsafe.IsNullRef(ref left) || left == 0)
        {
            return false;
        }

        left--;
        return true;
    }
}

/// <summary>Keeps the first of the wanted rows while a result is read.</summary>
/// <param name="wanted">By the row's hash.</param>
internal sealed class RowPicker(Func<UInt128, bool> wanted)
{
    private readonly List<IReadOnlyList<(string Type, string Value)>> _rows = [];
    private IReadOnlyList<string> _names = [];
    private long _count;

    /// <summary>What was kept: a column's type is that of its values here.</summary>
    public RowsOnlyHere Found => new(
        [.. _names.Select((name, i) => new RowColumn(name, string.Join(ColumnChange.Or, _rows.Select(r => r[i].Type).Where(t => t.Length > 0).Distinct().Order())))],
        [.. _rows.Select(r => (IReadOnlyList<string>)[.. r.Select(v => v.Value)])], _count);

    /// <summary>As many bytes of a value as may be shown of it.</summary>
    public static ReadOnlySpan<byte> Begin(ReadOnlySpan<byte> value) => value.Length <= 4 * RowsOnlyHere.LongestValue ? value : value[..(4 * RowsOnlyHere.LongestValue)];

    /// <summary>A text as a literal, cut.</summary>
    /// <param name="text">UTF-8.</param>
    public static string Quoted(ReadOnlySpan<byte> text) => RowsOnlyHere.Cut($"'{Encoding.UTF8.GetString(Begin(text)).Replace("'", "''", StringComparison.Ordinal)}'");

    /// <summary>Keeps a row where it is wanted and has room.</summary>
    /// <param name="row">Its hash.</param>
    /// <param name="read">Its columns' names, and its values with their types; a type is empty where a value has none.</param>
    public void Offer(UInt128 row, Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)> read)
    {
        if (!wanted(row))
        {
            return;
        }

        _count++;
        if (_rows.Count == RowsOnlyHere.MostRows)
        {
            return;
        }

        (IReadOnlyList<string> names, IReadOnlyList<(string, string)> values) = read();
        if (_rows.Count == 0)
        {
            _names = names;
        }

        // Rows of several tables that a write left behind are counted, and shown of the first.
        if (names.SequenceEqual(_names))
        {
            _rows.Add(values);
        }
    }
}

/// <summary>Finds the rows that a write made others than they were: those that it wrote as they were already do not count.</summary>
/// <param name="picker">Offered what was left, and what was taken away for good.</param>
internal sealed class ChangedRows(RowPicker picker)
{
    private readonly Dictionary<UInt128, int> _gone = [];

    /// <summary>Whether it is known what was there before, from a first execution.</summary>
    public bool Offers { get; set; }

    /// <param name="row">Hash of a row that is there now.</param>
    public void Left(UInt128 row, Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)> read)
    {
        if (Offers && _gone.Count <= RowSieve.MostDifferentRows && !Cancelled(row))
        {
            picker.Offer(row, read);
        }
    }

    /// <param name="row">Hash of a row that was there before.</param>
    /// <param name="replaced">Whether another one has its place.</param>
    public void Gone(UInt128 row, bool replaced, Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)> read)
    {
        if (!Offers && _gone.Count <= RowSieve.MostDifferentRows)
        {
            CollectionsMarshal.GetValueRefOrAddDefault(_gone, row, out _)++;
        }
        else if (Offers && Cancelled(row) && !replaced)
        {
            picker.Offer(~row, () => read() is var (names, values) ? (names, [.. values.Select((v, i) => i == 0 ? (v.Type, Deleted + v.Value) : v)]) : default);
        }
    }

    private const string Deleted = "deleted: ";

    private bool Cancelled(UInt128 row)
    {
        ref int gone = ref CollectionsMarshal.GetValueRefOrNullRef(_gone, row);
        if (System.Runtime.CompilerServices.Unsafe.IsNullRef(ref gone) || gone == 0)
        {
            return false;
        }

        gone--;
        return true;
    }
}

/// <summary>Holds the order of rows against what an ORDER BY asks for: rows that it leaves tied may change places, others may not.</summary>
public sealed class TiedRows
{
    /// <summary>Of more ties nothing is told.</summary>
    private const int MostTies = 2_000_000;

    private readonly SortedDictionary<long, (UInt128 Sum, int Rows)> _ties = [];
    private (UInt128 Sum, int Rows)[] _inOrder = [];
    private int _tie;
    private int _within;
    private UInt128 _sum;
    private UInt128 _difference;
    private bool _agrees = true;

    /// <summary>Reads both sides.</summary>
    /// <param name="before">Executes the before side's query with ranks, and tells each row's hash, ranks aside, with its rank.</param>
    /// <param name="after">Executes the after side's, and tells its rows in their order.</param>
    /// <returns>Whether the rows agree up to ties; null where there are too many, or these are not the same rows: where LIMIT cuts through ties, another execution may give others.</returns>
    /// <exception cref="EngineException">A side failed, or exceeded its limit.</exception>
    public static bool? Compare(Action<Action<UInt128, long>> before, Action<Action<UInt128, long>> after)
    {
        var tied = new TiedRows();
        before(tied.Note);
        if (tied._ties.Count > MostTies)
        {
            return null;
        }

        tied._inOrder = [.. tied._ties.Values];
        after((row, _) => tied.Take(row));
        return tied._difference != 0 ? null : tied._agrees && tied._tie == tied._inOrder.Length;
    }

    private void Note(UInt128 row, long rank)
    {
        if (_ties.Count <= MostTies)
        {
            (UInt128 sum, int rows) = _ties.GetValueOrDefault(rank);
            _ties[rank] = (sum + row, rows + 1);
            _difference += row;
        }
    }

    private void Take(UInt128 row)
    {
        _difference -= row;
        if (_tie == _inOrder.Length)
        {
            _agrees = false;
            return;
        }

        _sum += row;
        if (++_within == _inOrder[_tie].Rows)
        {
            _agrees &= _sum == _inOrder[_tie].Sum;
            (_tie, _within, _sum) = (_tie + 1, 0, 0);
        }
    }
}
