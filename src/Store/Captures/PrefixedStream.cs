namespace SwiftLedger.Store.Captures;

/// <summary>A stream whose first bytes were read already, to look at them, and stand in front of the rest again.</summary>
internal sealed class PrefixedStream(byte[] prefix, Stream rest) : Stream
{
    private int _given;

    public override bool CanRead => true;

    public override bool CanSeek => false;

    public override bool CanWrite => false;

    public override long Length => throw new NotSupportedException();

    public override long Position { get => throw new NotSupportedException(); set => throw new NotSupportedException(); }

    public override int Read(Span<byte> buffer)
    {
        if (_given == prefix.Length)
        {
            return rest.Read(buffer);
        }

        int taken = Math.Min(buffer.Length, prefix.Length - _given);
        prefix.AsSpan(_given, taken).CopyTo(buffer);
        _given += taken;
        return taken;
    }

    public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

    public override void Flush()
    {
    }

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
}
