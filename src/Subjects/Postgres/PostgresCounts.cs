using System.Globalization;
using SwiftLedger.Core.Rehearsals;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Reads what a server counts of a private database, and what its sessions' processes take of the processors.</summary>
/// <remarks>
/// PostgreSQL manual, 28.2 "The Cumulative Statistics System" (pg_stat_database, pg_stat_bgwriter, from version 17 on pg_stat_checkpointer) and 9.27.3 for the
/// position in the write-ahead log. Before version 15 a backend hands its counts over about once a second, so that those of the database are taken from one
/// stint's end to the next one's: nobody else is in it. The log and its checkpoints are the whole server's, and are taken from a stint's beginning to its end.
/// </remarks>
internal sealed class PostgresCounts(PostgresConnection questions)
{
    private readonly string _query = $"""
        SELECT pg_catalog.pg_wal_lsn_diff(pg_catalog.pg_current_wal_insert_lsn(), '0/0'), d.temp_files, d.temp_bytes, d.blks_read, c.done
        FROM pg_catalog.pg_stat_database d,
          (SELECT {(questions.Handle.PostgreSqlVersion.Major >= 17 ? "num_timed + num_requested AS done FROM pg_catalog.pg_stat_checkpointer" : "checkpoints_timed + checkpoints_req AS done FROM pg_catalog.pg_stat_bgwriter")}) c
        WHERE d.datname OPERATOR(pg_catalog.=) pg_catalog.current_database()
        """;

    private readonly Dictionary<string, ProcessorTime> _processors = [];
    private Read? _last, _begun;

    /// <summary>A stint begins.</summary>
    /// <param name="processes">Of the sessions; null for those on another machine.</param>
    public void Begin(IEnumerable<string?> processes)
    {
        _begun = Ask();
        _last ??= _begun;
        _processors.Clear();
        foreach (string schedule in processes.OfType<string>())
        {
            if (ProcessorTime.Read(schedule) is { } time)
            {
                _processors[schedule] = time;
            }
        }
    }

    /// <summary>It has ended.</summary>
    /// <param name="tasks">That ended well in it.</param>
    public EngineCounts End(long tasks)
    {
        List<double>? used = null;
        double waited = 0;
        foreach ((string schedule, ProcessorTime before) in _processors)
        {
            if (ProcessorTime.Read(schedule) is { } now)
            {
                (used ??= []).Add((now.UsedMicroseconds - before.UsedMicroseconds) / 1e6);
                waited += (now.WaitedMicroseconds - before.WaitedMicroseconds) / 1e6;
            }
        }

        used?.Sort((a, b) => b.CompareTo(a));
        var counts = new EngineCounts(tasks) { SessionCpuSeconds = used, CpuWaitSeconds = used is null ? null : waited };
        if (Ask() is not { } end || _begun is not { } begun || _last is not { } last)
        {
            return counts;
        }

        _last = end;
        return counts with
        {
            WrittenBytes = end.Log - begun.Log,
            Checkpoints = end.Checkpoints - begun.Checkpoints,
            TempFiles = Math.Max(0, end.TempFiles - last.TempFiles),
            TempBytes = Math.Max(0, end.TempBytes - last.TempBytes),
            PagesRead = Math.Max(0, end.Pages - last.Pages),
        };
    }

    private Read? Ask()
    {
        try
        {
            return questions.Rows(_query) is [var row, ..] ? new(Number(row[0]), Number(row[1]), Number(row[2]), Number(row[3]), Number(row[4])) : null;
        }
        catch (EngineException)
        {
            // The server went away, which its sessions say; or it does not tell us.
            return null;
        }
    }

    private static long Number(string? text) => long.TryParse(text, NumberStyles.Integer, CultureInfo.InvariantCulture, out long number) ? number : 0;

    private sealed record Read(long Log, long TempFiles, long TempBytes, long Pages, long Checkpoints);
}
