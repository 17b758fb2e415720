using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;

namespace SwiftLedger.Store.Captures;

/// <summary>Hands what a capture holds to anyone, without keeping it in a book.</summary>
public static class CapturePlay
{
    private const int FirstBuffer = 1 << 20;

    /// <summary>What begins a capture, and what is told what it holds; or why nothing can be.</summary>
    /// <param name="head">Its first bytes, unpacked.</param>
    private delegate (ICaptureForm? Form, ICaptureSink? Sink, string? Problem) Begin(ReadOnlySpan<byte> head);

    /// <param name="stream">Plain or gzip, UTF-8 or UTF-16.</param>
    /// <param name="request">In which form it is, where that is known.</param>
    /// <param name="engine">Of statements whose engine is not said.</param>
    /// <param name="sinkFor">Makes what is told, once the engine is known.</param>
    /// <param name="enough">Asked now and then; reading ends where it says so.</param>
    /// <param name="stop">Ends reading.</param>
    /// <returns>Why it could not be read; null where it could. What came before a stream was damaged counts.</returns>
    public static string? Read(Stream stream, CaptureRequest request, Engine engine, Func<Engine, ICaptureSink> sinkFor, Func<bool> enough, CancellationToken stop) => Feed(stream, head =>
    {
        FormChoice choice = CaptureForms.Choose(head, request.Form, request.Prefix, request.Columns, engine: request.Engine ?? engine);

        // A mapper's span and its driver's are one execution, and are played once.
        return choice.Form is { } form ? (form, new OneExecution(sinkFor(choice.Engine), choice.Engine.Dialect, name => KnownEngines.Named(name)?.Dialect), null) : (null, null, choice.Problem);
    }, enough, stop).Problem;

    /// <summary>Hands all of a capture of a known form over.</summary>
    /// <param name="stream">Plain or gzip, UTF-8 or UTF-16.</param>
    /// <param name="form">Its form.</param>
    /// <param name="sink">Told what it holds.</param>
    /// <param name="stop">Ends reading.</param>
    /// <returns>Why not all of it could be read; null where it could.</returns>
    public static string? ReadAll(Stream stream, ICaptureForm form, ICaptureSink sink, CancellationToken stop)
    {
        (string? problem, bool damaged) = Feed(stream, _ => (form, sink, null), () => false, stop);
        return problem ?? (damaged ? "The gzip stream ends early or is damaged." : null);
    }

    private static (string? Problem, bool Damaged) Feed(Stream stream, Begin begin, Func<bool> enough, CancellationToken stop)
    {
        using var bytes = new CaptureBytes(stream);
        Stream input = bytes.Open();
        byte[] buffer = new byte[FirstBuffer];
        int held = input.ReadAtLeast(buffer.AsSpan(0, CaptureForms.HeadBytes), CaptureForms.HeadBytes, throwOnEndOfStream: false), start = buffer.AsSpan(0, held).StartsWith("\uFEFF"u8) ? 3 : 0;
        (ICaptureForm? form, ICaptureSink? sink, string? problem) = begin(buffer.AsSpan(start, held - start));
        if (form is null || sink is null)
        {
            return (problem, false);
        }

        long read = held;
        for (bool ended = false, damaged = false; ;)
        {
            stop.ThrowIfCancellationRequested();
            int taken = form.Consume(buffer.AsSpan(start, held - start), ended, sink);
            start += taken;
            if (ended || enough())
            {
                form.Finish(sink);

                // A damaged stream throws; one that is merely cut reads as if it ended there, but its last bytes are no length then.
                return (null, damaged || (ended && !bytes.IsRecoded && bytes.PackedLength > read));
            }

            buffer.AsSpan(start, held - start).CopyTo(buffer);
            (held, start) = (held - start, 0);
            if (taken == 0 && held >= form.LongestEntry)
            {
                return ($"An entry is longer than {form.LongestEntry >> 20} MiB.", false);
            }

            if (held > buffer.Length / 2)
            {
                Array.Resize(ref buffer, buffer.Length * 2);
            }

            int more = 0;
            try
            {
                more = input.Read(buffer.AsSpan(held));
            }
            catch (InvalidDataException)
            {
                damaged = true;
            }

            ended = more == 0;
            (held, read) = (held + more, read + more);
        }
    }
}
