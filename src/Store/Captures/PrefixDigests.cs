using System.Buffers.Binary;
using System.IO.Hashing;

namespace SwiftLedger.Store.Captures;

/// <summary>
/// Digests of what was read of a file: of its first 4, 8, 16, ... KiB, and of all of it. So a file is known again though it grew, and told
/// from one that begins alike, or of which a part is gone.
/// </summary>
internal sealed class PrefixDigests
{
    private const int Size = 16;
    private const long Shortest = 4096;

    private readonly XxHash128 _hash;
    private readonly List<UInt128> _prefixes;
    private long _next;

    public PrefixDigests()
        : this(new(), [], 0, Shortest)
    {
    }

    private PrefixDigests(XxHash128 hash, List<UInt128> prefixes, long length, long next)
    {
        _hash = hash;
        _prefixes = prefixes;
        Length = length;
        _next = next;
    }

    /// <summary>Bytes.</summary>
    public long Length { get; private set; }

    /// <summary>As it is kept.</summary>
    public byte[] Kept
    {
        get
        {
            byte[] kept = new byte[(_prefixes.Count + 1) * Size];
            foreach ((int i, UInt128 digest) in _prefixes.Append(Whole).Index())
            {
                BinaryPrimitives.WriteUInt128LittleEndian(kept.AsSpan(i * Size), digest);
            }

            return kept;
        }
    }

    private UInt128 Whole => _hash.GetCurrentHashAsUInt128();

    public PrefixDigests Clone() => new(_hash.Clone(), [.. _prefixes], Length, _next);

    public void Append(ReadOnlySpan<byte> bytes)
    {
        while (Length + bytes.Length >= _next)
        {
            int before = (int)(_next - Length);
            _hash.Append(bytes[..before]);
            _prefixes.Add(Whole);
            Length = _next;
            _next *= 2;
            bytes = bytes[before..];
        }

        _hash.Append(bytes);
        Length += bytes.Length;
    }

    /// <summary>Whether what was kept is of a file that holds exactly this.</summary>
    public bool IsWhole(ReadOnlySpan<byte> kept) => kept.Length >= Size && BinaryPrimitives.ReadUInt128LittleEndian(kept[^Size..]) == Whole;

    /// <summary>Whether what was kept is of a longer file that begins with this, as far as that can be told: by all digests but the last.</summary>
    public bool MayBeginWith(ReadOnlySpan<byte> kept)
    {
        for (int i = 0; i < _prefixes.Count; i++)
        {
            if ((i + 2) * Size > kept.Length || BinaryPrimitives.ReadUInt128LittleEndian(kept[(i * Size)..]) != _prefixes[i])
            {
                return false;
            }
        }

        return true;
    }
}
