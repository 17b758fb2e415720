namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>One message of a PostgreSQL server, whatever form its log has.</summary>
internal ref struct LogEntry
{
    public LogEntry()
    {
    }

    public long Line { get; set; }

    /// <summary>When it was written, UTC: where it tells of a statement, when that ended.</summary>
    public DateTime At { get; set; }

    /// <summary>LOG, ERROR, FATAL and so on.</summary>
    public ReadOnlySpan<byte> Severity { get; set; }

    public ReadOnlySpan<byte> SqlState { get; set; }

    public ReadOnlySpan<char> Message { get; set; }

    public ReadOnlySpan<char> Detail { get; set; }

    /// <summary>The statement that an error belongs to.</summary>
    public ReadOnlySpan<char> Statement { get; set; }

    public ReadOnlySpan<byte> Session { get; set; }

    public ReadOnlySpan<byte> Transaction { get; set; }

    public ReadOnlySpan<byte> Application { get; set; }

    public ReadOnlySpan<byte> Database { get; set; }

    public ReadOnlySpan<byte> User { get; set; }
}
