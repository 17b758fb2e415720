using System.Numerics;

namespace SwiftLedger.Core.Likenesses;

/// <summary>The numbers below a bound in an order that looks like chance, each once, without keeping any of them.</summary>
/// <remarks>
/// A Feistel network over the next even number of bits, walked on until it lands below the bound: M. Luby and C. Rackoff, "How to construct pseudorandom
/// permutations from pseudorandom functions" (1988); J. Black and P. Rogaway, "Ciphers with arbitrary finite domains" (2002), cycle walking. Not for secrets.
/// </remarks>
/// <param name="bound">1 or more.</param>
/// <param name="key">By which orders differ.</param>
public readonly struct Permutation(long bound, ulong key)
{
    private const int Rounds = 4;

    private readonly int _half = Math.Max(1, (64 - BitOperations.LeadingZeroCount((ulong)Math.Max(1, bound - 1)) + 1) / 2);

    /// <summary>The number at a place.</summary>
    /// <param name="place">From 0 to below the bound.</param>
    public long At(long place)
    {
        ulong mask = (1UL << _half) - 1, value = (ulong)place;
        do
        {
            ulong left = value >> _half, right = value & mask;
            for (int round = 0; round < Rounds; round++)
            {
                (left, right) = (right, left ^ (Mixed(right ^ (key + ((ulong)round * 0x9E3779B97F4A7C15))) & mask));
            }

            value = (left << _half) | right;
        }
        while (value >= (ulong)bound);

        return (long)value;
    }

    /// <summary>The finalizer of SplitMix64.</summary>
    private static ulong Mixed(ulong z)
    {
        z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9;
        z = (z ^ (z >> 27)) * 0x94D049BB133111EB;
        return z ^ (z >> 31);
    }
}
