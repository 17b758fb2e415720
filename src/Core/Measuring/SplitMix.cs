namespace SwiftLedger.Core.Measuring;

/// <summary>
/// SplitMix64: a small generator whose sequence for a seed is the same in every version and on every machine, which the
/// framework's own does not promise. G. Steele, D. Lea, C. Flood, "Fast Splittable Pseudorandom Number Generators" (2014).
/// </summary>
public struct SplitMix(ulong seed)
{
    private ulong _state = seed;

    public ulong Next()
    {
        ulong z = _state += 0x9E3779B97F4A7C15;
        z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9;
        z = (z ^ (z >> 27)) * 0x94D049BB133111EB;
        return z ^ (z >> 31);
    }

    /// <summary>A number from 0 up to, not including, the bound.</summary>
    public int Below(int bound) => (int)Math.BigMul(Next(), (ulong)bound, out _);

    /// <summary>A number in [0, 1).</summary>
    public double Unit() => (Next() >> 11) * (1.0 / (1UL << 53));

    public bool Coin() => (Next() >> 63) == 1;
}
