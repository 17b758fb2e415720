using Microsoft.Data.Sqlite;
using SwiftLedger.Bench;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli;

/// <summary>Failures that reach the end of the program: one line each, and an exit code that is no verdict's.</summary>
internal static class Failure
{
    private const int NoSpace = 28;

    /// <summary>Whether the whole stack is wanted, to report a mistake of the program.</summary>
    private static bool Traced => Environment.GetEnvironmentVariable("SWIFT_LEDGER_TRACE") == "1";

    public static (int Code, string Message) Of(Exception e)
    {
        Exception inner = e is AggregateException { InnerExceptions: [var only] } ? only : e;
        (int code, string message) = inner switch
        {
            OperationCanceledException => (ExitCode.NotMeasured, "Cancelled."),
            LedgerException or LedgerHeldException => (ExitCode.BadInput, inner.Message),
            SubjectException s => (s.BadInput ? ExitCode.BadInput : ExitCode.NotMeasured, s.Problem.Message),
            EngineException x => (ExitCode.NotMeasured, $"The database failed: {x.Message}"),
            BenchProcessException b => (ExitCode.NotMeasured, b.Message),
            SqliteException s => (LedgerException.Of(s).DiskFull ? ExitCode.NotMeasured : ExitCode.BadInput, LedgerException.Of(s).Message),
            IOException io when (io.HResult & 0xFFFF) == NoSpace => (ExitCode.NotMeasured, $"The disk is full: {io.Message}"),
            IOException or UnauthorizedAccessException => (ExitCode.BadInput, $"A file or folder cannot be used: {inner.Message} Everything is kept in SWIFT_LEDGER_HOME."),
            _ => (ExitCode.NotMeasured, $"Swift Ledger failed, which is a mistake of its own ({inner.GetType().Name}: {inner.Message}). SWIFT_LEDGER_TRACE=1 shows where."),
        };
        return (code, Traced ? inner.ToString() : message.ReplaceLineEndings(" "));
    }
}
