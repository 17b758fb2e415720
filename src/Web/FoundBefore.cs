using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>What was found of a book's captures, computed once for each state of them. Whoever only looks is shown what was found less than an hour of captures ago, while it is found anew.</summary>
public sealed class FoundBefore<TKey, TValue>
    where TKey : notnull
{
    /// <summary>Minutes of captures.</summary>
    private const int Fresh = 60;

    private readonly ConcurrentDictionary<TKey, Found> _found = new();

    // What is being computed anew while what was known is shown.
    private readonly ConcurrentDictionary<TKey, bool> _anew = new();

    /// <param name="key">Of what.</param>
    /// <param name="state">Of the captures: where it is the same, so is the value.</param>
    /// <param name="basis">What else it rests on: where that is another, nothing that was found before is shown.</param>
    /// <param name="to">The minute behind the last of the captures.</param>
    /// <param name="atOnce">Whether only what is true now will do.</param>
    /// <param name="find">Finds it.</param>
    public TValue Of(TKey key, string state, string basis, int to, bool atOnce, Func<TValue> find)
    {
        Found? known = _found.GetValueOrDefault(key);
        if (known is not null && known.State == state && known.Basis == basis)
        {
            return known.Value;
        }

        if (atOnce || known is null || known.Basis != basis || to - known.To >= Fresh)
        {
            return Anew();
        }

        if (_anew.TryAdd(key, true))
        {
            _ = Task.Run(() =>
            {
                try
                {
                    Anew();
                }
                catch (Exception e) when (e is LedgerException or SqliteException)
                {
                    // The next look tries again, and whoever waits for it is told.
                }
                finally
                {
                    _anew.TryRemove(key, out _);
                }
            });
        }

        return known.Value;

        TValue Anew()
        {
            TValue value = find();
            _found[key] = new(state, basis, to, value);
            return value;
        }
    }

    private sealed record Found(string State, string Basis, int To, TValue Value);
}
