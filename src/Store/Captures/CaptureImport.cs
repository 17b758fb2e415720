using System.Buffers;
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
public sealed record CaptureRequest(string Source, string? Form = null, string? Prefix = null, string? Columns = null, KeepApart? Apart = null)
{
    /// <summary>Whose statements they are where the capture does not say; null for the engine of the book's subject.</summary>
    public Engine? Engine { get; init; }

    /// <summary>Spans that were read in another form of the same log; null for none.</summary>
    public IReadOnlyList<(DateTime From, DateTime To)>? ToldAlready { get; init; }
}

/// <summary>What came of reading one capture.</summary>
/// <param name="Problem">Why nothing, or not all, could be read; null where all was.</param>
/// <param name="Statements">Read this time.</param>
/// <param name="SkippedBytes">Read before, and not counted again.</param>
/// <param name="UnreadBytes">An entry at the end that is not complete yet.</param>
/// <param name="NotKeptApart">Statements counted as everything else.</param>
public sealed record CaptureReport(
    string Name, string Form, string? Problem, long Statements, long Bytes, long SkippedBytes, long UnreadBytes, long NotKeptApart,
    IReadOnlyList<Rejection> Rejections)
{
    /// <summary>Statements left out, since another form of the same log told them.</summary>
    public long ToldAlready { get; init; }

    /// <summary>Spans left out, since another one around or within them is of the same execution.</summary>
    public long Again { get; init; }

    /// <summary>Statements of this program's own, and of the engine's housekeeping: they stand apart.</summary>
    public (long Own, long Housekeeping) Aside { get; init; }

    /// <summary>When the first and the last statement of the file ended, UTC, also those read before; null where it has none.</summary>
    public (DateTime From, DateTime To)? Span { get; init; }
}

/// <summary>Reads a capture from a stream into a book, piece by piece.</summary>
public sealed class CaptureImport(CaptureStore store)
{
    private const int FirstBuffer = 1 << 20, MostWaiting = 9_000;

    /// <param name="stream">Plain or gzip; UTF-8, or UTF-16 as some shells write it; read from its start to its end.</param>
    /// <param name="told">Called now and then with the bytes done, unpacked.</param>
    /// <exception cref="OperationCanceledException">What was stored until then stays, and reading can be taken up again.</exception>
    public CaptureReport Read(long bookId, Stream stream, string name, CaptureRequest request, Action<long>? told = null, CancellationToken stop = default)
    {
        byte[] buffer = ArrayPool<byte>.Shared.Rent(FirstBuffer);
        try
        {
            using var bytes = new CaptureBytes(stream);
            return new Reading(store, bookId, bytes, name, request, told, stop).Run(ref buffer);
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    /// <summary>The form that a file would be read in; empty where none fits.</summary>
    /// <exception cref="IOException">It cannot be read.</exception>
    public static string FormOf(string path, CaptureRequest request)
    {
        using var stream = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
        using var bytes = new CaptureBytes(stream);
        byte[] head = new byte[CaptureForms.HeadBytes];
        int length = bytes.Open().ReadAtLeast(head, head.Length, throwOnEndOfStream: false);
        ReadOnlySpan<byte> text = head.AsSpan(0, length);
        return CaptureForms.Choose(text.StartsWith("\uFEFF"u8) ? text[3..] : text, request.Form, request.Prefix, request.Columns).Form?.Name ?? "";
    }

    private sealed class Reading(
        CaptureStore store, long bookId, CaptureBytes bytes, string name, CaptureRequest request, Action<long>? told, CancellationToken stop)
    {
        private const int HeadHashed = 4096;
        private const string EndsEarly = "The gzip stream ends early or is damaged; what came before counts.";

        private Stream _stream = bytes.Open();
        private PrefixDigests _digests = new();
        private int _start;
        private int _end;
        private long _offset;
        private bool _ended;
        private string? _broken;
        private Task? _storing;

        public CaptureReport Run(ref byte[] buffer)
        {
            try
            {
                return Read(ref buffer);
            }
            finally
            {
                Stored();
            }
        }

        private CaptureReport Read(ref byte[] buffer)
        {
            Fill(ref buffer, CaptureForms.HeadBytes);
            ReadOnlySpan<byte> head = buffer.AsSpan(0, _end), text = head.StartsWith(Mark) ? head[Mark.Length..] : head;
            FormChoice choice = CaptureForms.Choose(text, request.Form, request.Prefix, request.Columns, store.Now, request.Engine ?? store.EngineOf(bookId));
            if (choice.Form is not { } form)
            {
                return new(name, request.Form ?? "", _broken ?? choice.Problem, 0, 0, 0, 0, 0, []);
            }

            (CaptureFileRecord? known, bool shorter) = KnownFile(ref buffer);
            CaptureFileRecord file = known ?? new() { Source = request.Source, Name = name, Form = form.Name, HeadLength = Math.Min(_end, HeadHashed), HeadHash = HashOf(buffer.AsSpan(0, _end)) };
            long skipped = file.ReadTo;
            if (shorter || !TrySkip(ref buffer, skipped))
            {
                return new(name, form.Name, "It is shorter than it was when it was read last; nothing was counted again.", 0, 0, skipped, 0, 0, []);
            }

            if (skipped == 0 && buffer.AsSpan(_start, _end - _start).StartsWith(Mark))
            {
                Taken(buffer, Mark.Length);
            }

            form.Line = file.Lines + 1;
            form.Held = file.Held;
            var fold = new CaptureFold(choice.Engine.Dialect, AnyPlan.Read, request.Source, request.Apart ?? new(), store.KnownPatterns(bookId), choice.Engine.Housekeeping) { DialectOf = name => KnownEngines.Named(name)?.Dialect };
            var once = new ToldAlready(fold, request.ToldAlready ?? []);
            var rejections = new List<Rejection>();
            long statements = 0;
            while (true)
            {
                stop.ThrowIfCancellationRequested();
                int taken = form.Consume(buffer.AsSpan(_start, _end - _start), _ended, once);
                Taken(buffer, taken);
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

            form.Finish(once);
            fold.CloseUnits();

            // A damaged stream throws; one that is merely cut reads as if it ended there, but its last bytes are no length then.
            _broken ??= !bytes.IsRecoded && bytes.PackedLength > _offset + _end ? EndsEarly : null;
            FoldedBatch rest = fold.Drain();
            if (statements == 0 && form.Aside == 0 && once.LeftOut == 0 && NothingIn(rest) is { } nothing)
            {
                return new(name, form.Name, _broken ?? $"Nothing in it could be read as {form.Name}, and it is not kept as read: {nothing}", 0, 0, skipped, 0, 0, rest.Rejections);
            }

            statements += Store(rest, ref file, form, rejections);

            Stored();
            if (statements > 0)
            {
                store.RollUp(bookId);
            }

            return new(name, form.Name, _broken, statements, _offset + _start - skipped, skipped, _end - _start, fold.NotKeptApart, Rejection.Together(rejections))
            {
                ToldAlready = once.LeftOut,
                Again = fold.Again,
                Aside = fold.Aside,
                Span = file is { FirstAt: { } first, LastAt: { } last } ? (new(first, DateTimeKind.Utc), new(last, DateTimeKind.Utc)) : null,
            };
        }

        private static ReadOnlySpan<byte> Mark => "\uFEFF"u8;

        /// <summary>Moves on behind what was read.</summary>
        private void Taken(byte[] buffer, int count)
        {
            _digests.Append(buffer.AsSpan(_start, count));
            _start += count;
        }

        private long Store(CaptureFold fold, ref CaptureFileRecord file, ICaptureForm form, List<Rejection> rejections) => Store(fold.Drain(), ref file, form, rejections);

        private long Store(FoldedBatch batch, ref CaptureFileRecord file, ICaptureForm form, List<Rejection> rejections)
        {
            rejections.AddRange(batch.Rejections);
            file = file.Id != 0 ? file : store.AddFile(bookId, file.Source, file.Name, file.Form, file.HeadLength, file.HeadHash);
            file = file with
            {
                Name = name,
                ReadTo = _offset + _start,
                Lines = form.Line - 1,
                Statements = file.Statements + batch.Statements,
                Held = form.Held,
                Rejections = CaptureStore.Together(file.Rejections, batch.Rejections),
                Digests = _digests.Kept,
                FirstAt = batch.From is { } from ? Math.Min(from.Ticks, file.FirstAt ?? long.MaxValue) : file.FirstAt,
                LastAt = batch.To is { } to ? Math.Max(to.Ticks, file.LastAt ?? 0) : file.LastAt,
            };

            // One is stored while the next is read; in their order, each with how far the file was read until then.
            CaptureFileRecord upToHere = file;
            Stored();
            _storing = Task.Run(() => store.Apply(bookId, batch, upToHere));
            return batch.Statements;
        }

        /// <summary>Waits for what is being stored.</summary>
        private void Stored()
        {
            Task? storing = _storing;
            _storing = null;
            storing?.GetAwaiter().GetResult();
        }

        /// <summary>
        /// The same file is known by what it held as far as it was read, whatever it is called now. Where several were, the one of which
        /// most was read.
        /// </summary>
        /// <returns>Null where it was not read before; and whether it has become shorter since.</returns>
        private (CaptureFileRecord? File, bool Shorter) KnownFile(ref byte[] buffer)
        {
            byte[] head = buffer.AsSpan(0, Math.Min(_end, HeadHashed)).ToArray();
            List<CaptureFileRecord> alike = [.. store.Files(bookId).Where(f => f.HeadLength <= head.Length && f.Source == request.Source && f.HeadHash.AsSpan().SequenceEqual(SHA256.HashData(head.AsSpan(0, (int)f.HeadLength)))).OrderBy(f => f.ReadTo)];
            if (alike.Count == 0)
            {
                return (null, false);
            }

            if (!bytes.CanReopen)
            {
                bytes.PutAside(buffer.AsSpan(0, _end), _stream);
            }

            (CaptureFileRecord? File, PrefixDigests Digests)? found = null;
            bool shorter = false;
            var digests = new PrefixDigests();
            Stream whole = bytes.Open();
            byte[] piece = ArrayPool<byte>.Shared.Rent(FirstBuffer);
            foreach (CaptureFileRecord file in alike)
            {
                int read = 1;
                while (digests.Length < file.ReadTo && (read = ReadSome(whole, piece.AsSpan(0, (int)Math.Min(piece.Length, file.ReadTo - digests.Length)))) > 0)
                {
                    digests.Append(piece.AsSpan(0, read));
                }

                // A file that was read before digests were kept is known by its beginning alone.
                bool unknown = file.Digests.Length == 0;
                if (read == 0)
                {
                    if (found is null && (unknown || digests.MayBeginWith(file.Digests)))
                    {
                        (found, shorter) = ((file, digests), true);
                    }

                    break;
                }

                found = unknown || digests.IsWhole(file.Digests) ? (file, digests.Clone()) : found;
            }

            ArrayPool<byte>.Shared.Return(piece);
            _stream = bytes.Open();
            (_start, _end, _offset, _ended, _broken) = (0, 0, 0, false, null);
            Fill(ref buffer, CaptureForms.HeadBytes);
            _digests = found?.Digests ?? new();
            return (found?.File, shorter);
        }

        private static byte[] HashOf(ReadOnlySpan<byte> head) => SHA256.HashData(head[..Math.Min(head.Length, HeadHashed)]);

        /// <summary>Why nothing was found in what was read; null where something was, or there was nothing to find.</summary>
        private static string? NothingIn(FoldedBatch batch) => batch.Statements == 0 && batch.Rejections.MaxBy(r => r.Count) is { } most ? $"{most.Reason} So it is in line {most.FirstLine}{(most.Count == 1 ? "" : $" and in {most.Count - 1} other{(most.Count == 2 ? "" : "s")}")}." : null;

        private bool TrySkip(ref byte[] buffer, long count)
        {
            if (bytes.IsPlain && count > _offset + _end)
            {
                if (count > _stream.Length)
                {
                    return false;
                }

                _stream.Position = _offset = count;
                (_start, _end, _ended) = (0, 0, false);
                Fill(ref buffer, 1);
                return true;
            }

            while (_offset + _end < count)
            {
                if (_ended)
                {
                    return false;
                }

                _offset += _end;
                (_start, _end) = (0, 0);
                Fill(ref buffer, 1);
            }

            _start = (int)(count - _offset);
            return true;
        }

        /// <summary>An entry that is too long: its first line is left out.</summary>
        private void SkipLine(ref byte[] buffer, ICaptureForm form, CaptureFold fold)
        {
            fold.Reject(form.Line, $"An entry longer than {form.LongestEntry >> 20} MiB is left out.");
            int end;
            while ((end = buffer.AsSpan(_start, _end - _start).IndexOf((byte)'\n')) < 0 && !_ended)
            {
                Taken(buffer, _end - _start);
                Fill(ref buffer, 1);
            }

            form.Line++;
            Taken(buffer, end < 0 ? _end - _start : end + 1);
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
                int read = ReadSome(_stream, buffer.AsSpan(_end));
                _ended = read == 0;
                _end += read;
            }
        }

        private int ReadSome(Stream stream, Span<byte> target)
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
