using System.Buffers.Binary;
using System.IO.Compression;
using System.Text;

namespace SwiftLedger.Store.Captures;

/// <summary>What a capture holds, unpacked and as UTF-8. It can be read from its start again, unless it comes through a pipe and was not put aside.</summary>
internal sealed class CaptureBytes : IDisposable
{
    private readonly Stream _raw;
    private readonly bool _packed;
    private readonly Encoding? _encoding;
    private Stream? _once;
    private FileStream? _aside;

    /// <param name="stream">Plain or gzip, UTF-8 or UTF-16; read from its start to its end, and not closed.</param>
    public CaptureBytes(Stream stream)
    {
        _raw = stream;
        Stream start = stream;
        byte[] magic = new byte[2];
        int there = stream.ReadAtLeast(magic, 2, throwOnEndOfStream: false);
        _packed = there == 2 && magic is [0x1F, 0x8B];
        if (stream.CanSeek)
        {
            stream.Position = 0;
            PackedLength = _packed && stream.Length >= 18 ? LengthInTrailer(stream) : null;
            _encoding = EncodingOf(Unpacked(stream), out _);
        }
        else
        {
            start = new PrefixedStream(magic[..there], stream);
            Stream plain = Unpacked(start);
            _encoding = EncodingOf(plain, out byte[] seen);
            _once = Decoded(new PrefixedStream(seen, plain));
        }
    }

    /// <summary>What the gzip trailer says of its length; null where it has none. It is that of the text as it was packed.</summary>
    public long? PackedLength { get; }

    /// <summary>Whether offsets are those of the file itself, so that its reader may jump.</summary>
    public bool IsPlain => _raw.CanSeek && !_packed && _encoding is null;

    /// <summary>Whether it is written in UTF-16.</summary>
    public bool IsRecoded => _encoding is not null;

    /// <summary>Whether it can be read from its start again.</summary>
    public bool CanReopen => _raw.CanSeek || _aside is not null;

    /// <summary>All of it, from its start.</summary>
    public Stream Open()
    {
        if (_aside is not null)
        {
            _aside.Position = 0;
            return _aside;
        }

        if (_once is { } once)
        {
            _once = null;
            return once;
        }

        _raw.Position = 0;
        return Decoded(Unpacked(_raw));
    }

    /// <summary>Puts what comes through a pipe into a file of its own, so that it can be read again.</summary>
    /// <param name="seen">What was read of it.</param>
    /// <param name="rest">The rest.</param>
    public void PutAside(ReadOnlySpan<byte> seen, Stream rest)
    {
        string path = Path.GetTempFileName();
        _aside = new FileStream(path, FileMode.Create, FileAccess.ReadWrite, FileShare.Delete, 1 << 16);

        // Without a name, so that it goes with this process however that ends.
        File.Delete(path);
        _aside.Write(seen);
        rest.CopyTo(_aside);
    }

    public void Dispose() => _aside?.Dispose();

    private Stream Unpacked(Stream from) => _packed ? new GZipStream(from, CompressionMode.Decompress, leaveOpen: true) : from;

    private Stream Decoded(Stream plain) => _encoding is null ? plain : Encoding.CreateTranscodingStream(plain, _encoding, new UTF8Encoding(false), leaveOpen: true);

    /// <summary>RFC 1952: the last four bytes are the unpacked length, modulo 2^32, of the last member.</summary>
    private static long LengthInTrailer(Stream stream)
    {
        Span<byte> trailer = stackalloc byte[4];
        stream.Position = stream.Length - 4;
        stream.ReadExactly(trailer);
        stream.Position = 0;
        return BinaryPrimitives.ReadUInt32LittleEndian(trailer);
    }

    /// <summary>UTF-16 by its mark (Unicode 16, 23.8 "Byte Order Mark"), or, in a text that is mostly ASCII, by where its zero bytes stand; null for UTF-8.</summary>
    private static Encoding? EncodingOf(Stream plain, out byte[] seen)
    {
        byte[] first = new byte[64];
        int length;
        try
        {
            length = plain.ReadAtLeast(first, first.Length, throwOnEndOfStream: false);
        }
        catch (InvalidDataException)
        {
            // A damaged stream is told where it is read.
            length = 0;
        }

        seen = first[..length];
        ReadOnlySpan<byte> head = seen;
        if (head is [0xFF, 0xFE, ..] or [0xFE, 0xFF, ..])
        {
            return head[0] == 0xFF ? Encoding.Unicode : Encoding.BigEndianUnicode;
        }

        int even = 0, odd = 0;
        for (int i = 0; i < length; i++)
        {
            (even, odd) = head[i] != 0 ? (even, odd) : i % 2 == 0 ? (even + 1, odd) : (even, odd + 1);
        }

        int half = length / 2;
        return half >= 4 && odd > half * 3 / 4 && even == 0 ? Encoding.Unicode : half >= 4 && even > half * 3 / 4 && odd == 0 ? Encoding.BigEndianUnicode : null;
    }
}
