using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;

namespace SwiftLedger.Store.Captures;

/// <summary>Hands what a capture holds to anyone, without keeping it in a book.</summary>
public static class CapturePlay
{
    private const int FirstBuffer = 1 << 20;

    /// <param name="stream">Plain or gzip, UTF-8 or UTF-16.</param>
    /// <param name="request">In which form it is, where that is known.</param>
    /// <param name="engine">Of statements whose engine is not said.</param>
    /// <param name="sinkFor">Makes what is told, once the engine is known.</param>
    /// <param name="enough">Asked now and then; reading ends where it says so.</param>
    /// <param name="stop">Ends reading.</param>
    /// <returns>Why it could not be read; null where it could.</returns>
    public static string? Read(Stream stream, CaptureRequest request, Engine engine, Func<Engine, ICaptureSink> sinkFor, Func<bool> enough, CancellationToken stop)
    {
        using var bytes = new CaptureBytes(stream);
        Stream input = bytes.Open();
        byte[] buffer = new byte[FirstBuffer];
        int held = input.ReadAtLeast(buffer.AsSpan(0, CaptureForms.HeadBytes), CaptureForms.HeadBytes, throwOnEndOfStream: false), start = buffer.AsSpan(0, held).StartsWith("\uFEFF"u8) ? 3 : 0;
        FormChoice choice = CaptureForms.Choose(buffer.AsSpan(start, held - start), request.Form, request.Prefix, request.Columns, engine: request.Engine ?? engine);
        if (choice.Form is not { } form)
        {
            return choice.Problem;
        }

        // A mapper's span and its driver's are one execution, and are played once.
        var once = new OneExecution(sinkFor(choice.Engine), choice.Engine.Dialect, name => KnownEngines.Named(name)?.Dialect);
        return Feed(input, buffer, start, held, form, once, enough, stop, out _);
    }

    /// <summary>Hands all of a capture of a known form over.</summary>
    /// <param name="stream">Plain or gzip, UTF-8 or UTF-16.</param>
    /// <param name="form">Its form.</param>
    /// <param name="sink">Told what it holds.</param>
    /// <param name="stop">Ends reading.</param>
    /// <returns>Why not all of it could be read; null where it could.</returns>
    public static string? ReadAll(Stream stream, ICaptureForm form, ICaptureSink sink, CancellationToken stop)
    {
        using var bytes = new CaptureBytes(stream);
        Stream input = bytes.Open();
        byte[] buffer = new byte[FirstBuffer];
        int held = input.ReadAtLeast(buffer.AsSpan(0, CaptureForms.HeadBytes), CaptureForms.HeadBytes, throwOnEndOfStream: false), start = buffer.AsSpan(0, held).StartsWith("\uFEFF"u8) ? 3 : 0;
        string? problem = Feed(input, buffer, start, held, form, sink, () => false, stop, out long read);

        // A damaged stream throws; one that is merely cut reads as if it ended there, but its last bytes are no length then.
        return problem ?? (read < 0 || (!bytes.IsRecoded && bytes.PackedLength > read) ? "The gzip stream ends early or is damaged." : null);
    }

    /// <param name="input">Unpacked.</param>
    /// <param name="buffer">Its first bytes.</param>
    /// <param name="start">Of what is not taken yet.</param>
    /// <param name="held">End of it.</param>
    /// <param name="form">Its form.</param>
    /// <param name="sink">Told what it holds.</param>
    /// <param name="enough">Asked now and then.</param>
    /// <param name="stop">Ends reading.</param>
    /// <param name="read">Bytes; negative where the stream is damaged.</param>
    private static string? Feed(Stream input, byte[] buffer, int start, int held, ICaptureForm form, ICaptureSink sink, Func<bool> enough, CancellationToken stop, out long read)
    {
        read = held;
        for (bool ended = false; ;)
        {
            stop.ThrowIfCancellationRequested();
            int taken = form.Consume(buffer.AsSpan(start, held - start), ended, sink);
            start += taken;
            if (ended || enough())
            {
                form.Finish(sink);
                return null;
            }

            buffer.AsSpan(start, held - start).CopyTo(buffer);
            (held, start) = (held - start, 0);
            if (taken == 0 && held >= form.LongestEntry)
            {
                return $"An entry is longer than {form.LongestEntry >> 20} MiB.";
            }

            if (held > buffer.Length / 2)
            {
                Array.Resize(ref buffer, buffer.Length * 2);
            }

            int more;
            try
            {
                more = input.Read(buffer.AsSpan(held));
                read += more;
            }
            catch (InvalidDataException)
            {
                (more, read) = (0, long.MinValue);
            }

            ended = more == 0;
            held += more;
        }
    }
}
