namespace SwiftLedger.Core.Proposals;

/// <summary>Chooses those changes that are best together: each is tried beside those before it, the most saving first; then each without which the others do as well goes again.</summary>
/// <remarks>
/// Greedy, since 2 to the power of n sets cannot be measured: 2n are. Held against all sets of small made cases by <c>SetSearchTests</c>, which tells how often it is the best one.
/// </remarks>
/// <param name="adds">Whether a change brings something beside others.</param>
/// <param name="isNeedless">Whether the others do as well without a change.</param>
public sealed class SetSearch<T>(Func<IReadOnlyList<T>, T, Task<bool>> adds, Func<IReadOnlyList<T>, T, Task<bool>> isNeedless)
    where T : class
{
    private readonly List<T> _set = [], _needless = [];

    /// <summary>Those that were chosen, in the order in which they came.</summary>
    public IReadOnlyList<T> Set => _set;

    /// <summary>Those that were chosen first, and that others made needless.</summary>
    public IReadOnlyList<T> Needless => _needless;

    /// <param name="ordered">The most saving first.</param>
    public async Task RunAsync(IEnumerable<T> ordered)
    {
        foreach (T one in ordered)
        {
            if (await adds([.. _set], one))
            {
                _set.Add(one);
            }
        }

        // The last one was tried beside all others.
        foreach (T one in _set.Take(_set.Count - 1).ToList())
        {
            T[] others = [.. _set.Where(o => !ReferenceEquals(o, one))];
            if (await isNeedless(others, one))
            {
                _set.Remove(one);
                _needless.Add(one);
            }
        }
    }
}
