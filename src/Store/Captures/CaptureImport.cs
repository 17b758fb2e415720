using System.Buffers;
using System.Buffers.Binary;
using System.IO.Compression;
using System.Security.Cryptography;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Engines;

namespace SwiftLedger.Store.Captures;

/// <summary>What is to be read, and as what.</summary>
/// <param name="Source">The server or application instance.</param>
/// <param name="Form">See <see cref="CaptureForms.Names"/>; null to find out.</param>
/// <param name="Prefix">The server's log_line_prefix; null to try the usual ones.</param>
/// <param name="Columns">What the columns of a CSV file hold, see <see cref="CsvColumns.Parse"/>; null where they are named as our own fields.</param>
/// <param name="Apart">Which patterns are kept apart; null for the usual rules.</param>
public sealed record CaptureRequest(string Source, string? Form = null, string? Prefix = null, string? Columns = null, KeepApart? Apart = null);

/// <summary>What came of reading one capture.</summary>
/// <param name="Problem">Why nothing, or not all, could be read; null where all was.</param>
/// <param name="Statements">Read this time.</param>
/// <param name="SkippedBytes">Read before, and not counted again.</param>
/// <param name="UnreadBytes">An entry at the end that is not complete yet.</param>
/// <param name="NotKeptApart">Statements counted as everything else.</param>
public sealed record CaptureReport(
    string Name, string Form, string? Problem, long Statements, long Bytes, long SkippedBytes, long UnreadBytes, long NotKeptApart,
    IReadOnlyList<Rejection> Rejections);

/// <summary>Reads a capture from a stream into a book, piece by piece.</summary>
public sealed class CaptureImport(CaptureStore store)
{
    private const int FirstBuffer = 1 << 20, MostWaiting = 40_000;

    private static ReadOnlySpan<byte> GzipMagic => [0x1F, 0x8B];

    /// <param name="stream">Plain or gzip; read from its start to its end.</param>
    /// <param name="told">Called now and then with the bytes done, unpacked.</param>
    /// <exception cref="OperationCanceledException">What was stored until then stays, and reading can be taken up again.</exception>
    public CaptureReport Read(long bookId, Stream stream, string name, CaptureRequest request, Action<long>? told = null, CancellationToken stop = default)
    {
        (Stream plain, long? length) = Unpacked(stream);
        byte[] buffer = ArrayPool<byte>.Shared.Rent(FirstBuffer);
        try
        {
            return new Reading(store, bookId, plain, length, name, request, told, stop).Run(ref buffer);
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    /// <summary>The stream as it reads unpacked, and what its gzip trailer says of its length; null where it has none.</summary>
    private static (Stream Plain, long? Length) Unpacked(Stream stream)
    {
        Span<byte> magic = stackalloc byte[2];
        if (!stream.CanSeek)
        {
            int there = stream.ReadAtLeast(magic, 2, throwOnEndOfStream: false);
            var whole = new PrefixedStream(magic[..there].ToArray(), stream);
            return (magic[..there].SequenceEqual(GzipMagic) ? new GZipStream(whole, CompressionMode.Decompress) : whole, null);
        }

        int read = stream.ReadAtLeast(magic, 2, throwOnEndOfStream: false);
        stream.Position = 0;
        if (!magic[..read].SequenceEqual(GzipMagic) || stream.Length < 18)
        {
            return (stream, null);
        }

        // RFC 1952: the last four bytes are the unpacked length, modulo 2^32, of the last member.
        Span<byte> trailer = stackalloc byte[4];
        stream.Position = stream.Length - 4;
        stream.ReadExactly(trailer);
        stream.Position = 0;
        return (new GZipStream(stream, CompressionMode.Decompress), BinaryPrimitives.ReadUInt32LittleEndian(trailer));
    }

    private sealed class Reading(
        CaptureStore store, long bookId, Stream stream, long? packedLength, string name, CaptureRequest request, Action<long>? told, CancellationToken stop)
    {
        private int _start;
        private int _end;
        private long _offset;
        private bool _ended;
        private string? _broken;

        public CaptureReport Run(ref byte[] buffer)
        {
            Fill(ref buffer, CaptureForms.HeadBytes);
            ReadOnlySpan<byte> head = buffer.AsSpan(0, _end);
            FormChoice choice = CaptureForms.Choose(head, request.Form, request.Prefix, request.Columns, store.Now);
            if (choice.Form is not { } form)
            {
                return new(name, request.Form ?? "", _broken ?? choice.Problem, 0, 0, 0, 0, 0, []);
            }

            CaptureFileRecord file = KnownFile(head) ?? store.AddFile(bookId, request.Source, name, form.Name, Math.Min(_end, HeadHashed), HashOf(head));
            long skipped = file.ReadTo;
            if (!TrySkip(ref buffer, skipped))
            {
                return new(name, form.Name, "It is shorter than it was when it was read last; nothing was counted again.", 0, 0, skipped, 0, 0, []);
            }

            form.Line = file.Lines + 1;
            form.Held = file.Held;
            var fold = new CaptureFold(choice.Engine.Dialect, AnyPlan.Read, request.Source, request.Apart ?? new(), store.KnownPatterns(bookId));
            var rejections = new List<Rejection>();
            long statements = 0;
            while (true)
            {
                stop.ThrowIfCancellationRequested();
                int taken = form.Consume(buffer.AsSpan(_start, _end - _start), _ended, fold);
                _start += taken;
                if (fold.Waiting >= MostWaiting)
                {
                    statements += Store(fold, ref file, form, rejections);
                    told?.Invoke(_offset + _start);
                }

                if (_ended)
                {
                    break;
                }

                if (taken == 0 && _end - _start >= form.LongestEntry)
                {
                    SkipLine(ref buffer, form, fold);
                }

                // An entry that is not complete is looked at again only when there is half as much more of it.
                int held = _end - _start;
                Fill(ref buffer, taken == 0 ? held + (held / 2) + 1 : held + 1);
            }

            form.Finish(fold);
            fold.CloseUnits();
            statements += Store(fold, ref file, form, rejections);
            if (statements > 0)
            {
                store.RollUp(bookId);
            }

            // A damaged stream throws; one that is merely cut reads as if it ended there, but its last bytes are no length then.
            _broken ??= packedLength > _offset + _end ? EndsEarly : null;
            return new(name, form.Name, _broken, statements, _offset + _start - skipped, skipped, _end - _start, fold.NotKeptApart, Rejection.Together(rejections));
        }

        private const int HeadHashed = 4096;
        private const string EndsEarly = "The gzip stream ends early or is damaged; what came before counts.";

        private long Store(CaptureFold fold, ref CaptureFileRecord file, ICaptureForm form, List<Rejection> rejections)
        {
            FoldedBatch batch = fold.Drain();
            rejections.AddRange(batch.Rejections);
            file = file with
            {
                Name = name,
                ReadTo = _offset + _start,
                Lines = form.Line - 1,
                Statements = file.Statements + batch.Statements,
                Held = form.Held,
                Rejections = CaptureStore.Together(file.Rejections, batch.Rejections),
            };
            store.Apply(bookId, batch, file);
            return batch.Statements;
        }

        /// <summary>The same file is known by its first bytes, whatever it is called now.</summary>
        private CaptureFileRecord? KnownFile(ReadOnlySpan<byte> head)
        {
            foreach (CaptureFileRecord file in store.Files(bookId))
            {
                if (file.HeadLength <= head.Length && file.Source == request.Source && file.HeadHash.AsSpan().SequenceEqual(SHA256.HashData(head[..(int)file.HeadLength])))
                {
                    return file;
                }
            }

            return null;
        }

        private static byte[] HashOf(ReadOnlySpan<byte> head) => SHA256.HashData(head[..Math.Min(head.Length, HeadHashed)]);

        private bool TrySkip(ref byte[] buffer, long bytes)
        {
            if (stream.CanSeek && bytes > _offset + _end)
            {
                if (bytes > stream.Length)
                {
                    return false;
                }

                stream.Position = _offset = bytes;
                (_start, _end, _ended) = (0, 0, false);
                Fill(ref buffer, 1);
                return true;
            }

            while (_offset + _end < bytes)
            {
                if (_ended)
                {
                    return false;
                }

                _offset += _end;
                (_start, _end) = (0, 0);
                Fill(ref buffer, 1);
            }

            _start = (int)(bytes - _offset);
            return true;
        }

        /// <summary>An entry that is too long: its first line is left out.</summary>
        private void SkipLine(ref byte[] buffer, ICaptureForm form, CaptureFold fold)
        {
            fold.Reject(form.Line, $"An entry longer than {form.LongestEntry >> 20} MiB is left out.");
            int end;
            while ((end = buffer.AsSpan(_start, _end - _start).IndexOf((byte)'\n')) < 0 && !_ended)
            {
                _start = _end;
                Fill(ref buffer, 1);
            }

            form.Line++;
            _start = end < 0 ? _end : _start + end + 1;
        }

        /// <summary>Reads until at least that many bytes are there, or the stream has ended.</summary>
        private void Fill(ref byte[] buffer, int wanted)
        {
            if (_start > 0)
            {
                buffer.AsSpan(_start, _end - _start).CopyTo(buffer);
                _offset += _start;
                (_start, _end) = (0, _end - _start);
            }

            if (wanted > buffer.Length || _end == buffer.Length)
            {
                byte[] larger = ArrayPool<byte>.Shared.Rent(Math.Max(wanted, buffer.Length * 2));
                buffer.AsSpan(0, _end).CopyTo(larger);
                ArrayPool<byte>.Shared.Return(buffer);
                buffer = larger;
            }

            while (!_ended && _end < Math.Max(wanted, Math.Min(buffer.Length, FirstBuffer)) && _end < buffer.Length)
            {
                int read = ReadSome(buffer.AsSpan(_end));
                _ended = read == 0;
                _end += read;
            }
        }

        private int ReadSome(Span<byte> target)
        {
            try
            {
                return stream.Read(target);
            }
            catch (InvalidDataException)
            {
                _broken = EndsEarly;
                return 0;
            }
        }
    }
}
