namespace SwiftLedger.Core.Captures;

/// <summary>Turns parameters as a log writes them into those of a bind line: <c>hut=3, night='2026-07-18'</c>.</summary>
/// <returns>As far as the text can be read.</returns>
public delegate string BindsReader(ReadOnlySpan<char> logged);

/// <summary>One statement as a capture tells of it. Its text lives only as long as the call that hands it over.</summary>
public ref struct Observation
{
    public Observation()
    {
    }

    /// <summary>Where it stands in the capture, from 1.</summary>
    public long Line { get; init; }

    /// <summary>The engine whose statement it is, as the capture names it; empty where it does not.</summary>
    public ReadOnlySpan<char> Engine { get; init; }

    /// <summary>How many executions it stands for: more than one only where the capture does not tell them apart, and no duration.</summary>
    public long Calls { get; init; } = 1;

    /// <summary>When it began, UTC.</summary>
    public DateTime At { get; init; }

    /// <summary>How long it took; null where the capture does not tell.</summary>
    public TimeSpan? Duration { get; init; }

    public ReadOnlySpan<char> Sql { get; init; }

    public ReadOnlySpan<char> Parameters { get; init; }

    /// <summary>Reads <see cref="Parameters"/>; null where they stand as in a bind line already.</summary>
    public BindsReader? ReadBinds { get; init; }

    /// <summary>The parameters as in a bind line, cut where they are longer.</summary>
    /// <param name="most">Characters of a text that stands as it is; what a reader made is whole.</param>
    public readonly ReadOnlySpan<char> Binds(int most = int.MaxValue) => ReadBinds is { } read ? read(Parameters) : Parameters.Length > most ? Parameters[..most] : Parameters;

    /// <summary>Stands for the code of a failure of which the capture tells none.</summary>
    public const string WithoutCode = "without code";

    /// <summary>Empty where the statement succeeded; <see cref="WithoutCode"/> where it failed and the capture has no code.</summary>
    public ReadOnlySpan<char> SqlState { get; init; }

    /// <summary>The engine's message where the statement failed.</summary>
    public ReadOnlySpan<char> Message { get; init; }

    // Names are UTF-8 as they stand: they become text only for the few executions that are kept.
    public ReadOnlySpan<byte> Session { get; init; }

    /// <summary>The trace that it belongs to, or another unit of work that the capture names.</summary>
    public ReadOnlySpan<byte> Unit { get; init; }

    /// <summary>Its span's number in the trace; 0 where the capture has none.</summary>
    public ulong Span { get; init; }

    /// <summary>The number of the span around it; 0 for none.</summary>
    public ulong ParentSpan { get; init; }

    /// <summary>The transaction; a statement by itself is one too.</summary>
    public ReadOnlySpan<byte> Transaction { get; init; }

    public ReadOnlySpan<byte> Application { get; init; }

    public ReadOnlySpan<byte> Database { get; init; }

    public ReadOnlySpan<byte> User { get; init; }

    /// <summary>The server or application instance, where the capture names it itself.</summary>
    public ReadOnlySpan<char> Source { get; init; }

    /// <summary>The plan that the server wrote beside it, as it stands.</summary>
    public ReadOnlySpan<char> Plan { get; init; }

    public long? RowsReturned { get; init; }

    public long? RowsRead { get; init; }

    public long? RowsWritten { get; init; }

    public readonly bool Failed => !SqlState.IsEmpty;
}

/// <summary>A span of a trace that is of no statement.</summary>
public ref struct TracedSpan
{
    public TracedSpan()
    {
    }

    /// <summary>As <see cref="Observation.Unit"/>.</summary>
    public ReadOnlySpan<byte> Unit { get; init; }

    /// <summary>As <see cref="Observation.Source"/>.</summary>
    public string Source { get; init; } = "";

    /// <summary>Its number in the trace; 0 where the capture has none.</summary>
    public ulong Span { get; init; }

    /// <summary>The number of the span around it; 0 for none.</summary>
    public ulong ParentSpan { get; init; }

    /// <summary>What a unit of work is called that begins with it: the page, route or job that its statements are sent for. Empty where none does.</summary>
    public string Page { get; init; } = "";
}

/// <summary>Takes what a capture holds.</summary>
public interface ICaptureSink
{
    void Observe(in Observation observation);

    /// <summary>Told of a span that is of no statement: it may name a unit of work, or stand between spans that are.</summary>
    /// <param name="span">It.</param>
    void SeeSpan(in TracedSpan span)
    {
    }

    /// <summary>Told which version of a service was running.</summary>
    /// <param name="version">The service with its version.</param>
    /// <param name="at">When, UTC.</param>
    void SeeVersion(VersionKey version, DateTime at)
    {
    }

    /// <summary>Told what the capture holds besides statements.</summary>
    /// <param name="told">It.</param>
    void Tell(in LogEvent told)
    {
    }

    /// <summary>A piece of the capture that is whole and of another kind than is looked for, so that nothing is lost with it; a file of such pieces alone is no capture.</summary>
    /// <param name="line">From 1.</param>
    /// <param name="reason">As of <see cref="Reject"/>.</param>
    void SetAside(long line, string reason) => Reject(line, reason);

    /// <summary>A piece of the capture that could not be understood.</summary>
    /// <param name="line">From 1.</param>
    /// <param name="reason">What was expected and what was found: one of few texts, so that equal ones can be counted.</param>
    void Reject(long line, string reason);
}

/// <summary>A way to write captures down, read piece by piece: no I/O, and no more memory than the piece takes.</summary>
public interface ICaptureForm
{
    /// <summary>Its name on the command line: <c>pg-csv</c>.</summary>
    string Name { get; }

    /// <summary>The number of the line that the next piece begins with, from 1; set where reading is taken up again or a line is left out.</summary>
    long Line { get; set; }

    /// <summary>Entries that are of this form and tell of no statement: so a quiet log is told from one of another form.</summary>
    long Aside => 0;

    /// <summary>Bytes; a longer entry is left out, and said.</summary>
    int LongestEntry => 8 << 20;

    /// <summary>Reads as many whole entries as the bytes hold, from their start.</summary>
    /// <param name="last">Nothing follows these bytes.</param>
    /// <param name="bytes">What was read and not taken yet.</param>
    /// <param name="sink">Told each statement.</param>
    /// <returns>How many bytes are done with; the rest is handed over again, with more behind it.</returns>
    int Consume(ReadOnlySpan<byte> bytes, bool last, ICaptureSink sink);

    /// <summary>
    /// What is held back for something that may follow, in the form's own notation: stored with how far the file was read, and set where
    /// reading is taken up again, so that nothing is lost when it ends in between. Empty where nothing is.
    /// </summary>
    string Held
    {
        get => "";
        set { }
    }

    /// <summary>Hands over what was held back for something that may have followed.</summary>
    void Finish(ICaptureSink sink);
}
