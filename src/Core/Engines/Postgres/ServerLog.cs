using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>What the server's logs share, in whichever of its forms: their times, their messages, and that one message may complete another.</summary>
public abstract class ServerLog : ICaptureForm
{
    public abstract string Name { get; }

    public long Line { get; set; } = 1;

    public string Held
    {
        get => Messages.Held;
        set => Messages.Held = value;
    }

    /// <inheritdoc/>
    public long Aside => Messages.Taken;

    private protected LogTime Time { get; } = new();

    private protected LogMessages Messages { get; } = new();

    private protected Utf8Buffer Text { get; } = new();

    public abstract int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink);

    public void Finish(ICaptureSink sink) => Messages.Finish(sink);
}
