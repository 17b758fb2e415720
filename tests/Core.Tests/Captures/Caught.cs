using System.Text;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Tests.Captures;

/// <summary>What a form handed over, copied so that it can be looked at later.</summary>
internal sealed record Seen(
    DateTime At, double? Ms, string Sql, string Binds, string Error, string Message, string Session, string Unit, string Transaction, string Application, string Database, string User,
    long? Rows, long? RowsRead, string Plan, long Line);

/// <summary>Reads texts with a form, in pieces of any size.</summary>
internal sealed class Caught : ICaptureSink
{
    public List<Seen> Statements { get; } = [];

    public List<(long Line, string Reason)> Rejected { get; } = [];

    /// <param name="piece">Bytes handed over at a time: an answer may not depend on it.</param>
    public static Caught By(ICaptureForm form, string text, int piece = int.MaxValue) => By(form, Encoding.UTF8.GetBytes(text), piece);

    public static Caught By(ICaptureForm form, byte[] bytes, int piece = int.MaxValue)
    {
        var caught = new Caught();
        int start = 0, end = 0;
        while (end < bytes.Length)
        {
            end = (int)Math.Min(bytes.Length, (long)end + piece);
            start += form.Consume(bytes.AsSpan(start, end - start), end == bytes.Length, caught);
        }

        form.Finish(caught);
        return caught;
    }

    public void Observe(in Observation o) => Statements.Add(new(
        o.At, o.Duration?.TotalMilliseconds, o.Sql.ToString(),
        o.Binds().ToString(), o.SqlState.ToString(), o.Message.ToString(),
        Encoding.UTF8.GetString(o.Session), Encoding.UTF8.GetString(o.Unit), Encoding.UTF8.GetString(o.Transaction), Encoding.UTF8.GetString(o.Application), Encoding.UTF8.GetString(o.Database),
        Encoding.UTF8.GetString(o.User), o.RowsReturned, o.RowsRead, o.Plan.ToString(), o.Line));

    public void Reject(long line, string reason) => Rejected.Add((line, reason));
}
