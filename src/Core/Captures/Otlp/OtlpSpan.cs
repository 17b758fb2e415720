using System.Buffers.Binary;
using System.Globalization;
using System.IO.Hashing;
using System.Text;

namespace SwiftLedger.Core.Captures.Otlp;

/// <summary>A value of an attribute: text or a literal that stands for itself.</summary>
internal readonly record struct OtlpValue(string Text, bool Quoted)
{
    public string Literal => Quoted ? $"'{Text.Replace("'", "''", StringComparison.Ordinal)}'" : Text;
}

/// <summary>A span as far as it tells of a database statement.</summary>
internal sealed class OtlpSpan
{
    public string TraceId { get; set; } = "";

    public string Name { get; set; } = "";

    /// <summary>Its number in the trace; 0 for none.</summary>
    public ulong Id { get; set; }

    /// <summary>The number of the span around it; 0 for the root of its trace.</summary>
    public ulong Parent { get; set; }

    /// <summary>Of SpanKind: 2 for what a server does for a request, 5 for what a consumer does for a message.</summary>
    public int Kind { get; set; }

    public ulong StartNanoseconds { get; set; }

    public ulong EndNanoseconds { get; set; }

    public bool Failed { get; set; }

    public string StatusMessage { get; set; } = "";

    public Dictionary<string, OtlpValue> Attributes { get; } = new(StringComparer.Ordinal);

    private string Statement => First(Attributes, "db.query.text", "db.statement");

    /// <summary>The number of a span as its bytes tell it.</summary>
    /// <param name="id">Eight bytes by the specification; what else there is has a number too. All zeros, and none, are 0.</param>
    internal static ulong Number(ReadOnlySpan<byte> id) => !id.ContainsAnyExcept((byte)0) ? 0 : id.Length == sizeof(ulong) ? BinaryPrimitives.ReadUInt64BigEndian(id) : XxHash3.HashToUInt64(id);

    /// <summary>
    /// Hands over what spans of one sender tell: first those of no statement, so that what stands in which is known, then statements as
    /// they ended, which is in front of what is around them.
    /// </summary>
    /// <param name="spans">Of one request.</param>
    /// <param name="resource">Their sender.</param>
    /// <param name="line">From 1; 0 for none.</param>
    /// <param name="sink">Told them.</param>
    /// <returns>How many have a statement but no usable times.</returns>
    internal static int Observe(IReadOnlyList<OtlpSpan> spans, OtlpResource resource, long line, ICaptureSink sink)
    {
        ILookup<bool, OtlpSpan> sent = spans.ToLookup(s => s.Statement.Length > 0);
        return sent[false].Concat(sent[true].OrderBy(s => s.EndNanoseconds).ThenByDescending(s => s.StartNanoseconds)).Count(s => !s.Observe(resource, line, sink));
    }

    /// <summary>
    /// Hands the statement over, if the span holds one. Names by OpenTelemetry's semantic conventions for database client spans: the
    /// stable ones (<c>db.query.text</c>, <c>db.namespace</c>, <c>db.response.status_code</c>) and those before them (<c>db.statement</c>,
    /// <c>db.name</c>).
    /// </summary>
    /// <returns>False where it has a statement but no usable times.</returns>
    private bool Observe(OtlpResource resource, long line, ICaptureSink sink)
    {
        string sql = Statement;
        bool timed = StartNanoseconds > 0 && EndNanoseconds >= StartNanoseconds && EndNanoseconds <= (ulong)long.MaxValue;
        DateTime began = timed ? DateTime.UnixEpoch.AddTicks((long)(StartNanoseconds / 100)) : default;
        if (timed)
        {
            resource.Did(began);
        }

        if (sql.Length == 0)
        {
            if (TraceId.Length > 0)
            {
                sink.SeeSpan(new() { Unit = Encoding.UTF8.GetBytes(TraceId), Source = resource.Source, Span = Id, ParentSpan = Parent, Page = Parent == 0 || Kind is 2 or 5 ? Page : "" });
            }

            return true;
        }

        if (!timed)
        {
            return false;
        }

        string code = First(Attributes, "db.response.status_code", "error.type");
        sink.Observe(new Observation
        {
            Line = line,
            At = began,
            Duration = TimeSpan.FromTicks((long)((EndNanoseconds - StartNanoseconds) / 100)),
            Sql = sql,
            Engine = First(Attributes, "db.system.name", "db.system"),
            Parameters = Binds(),
            SqlState = Failed ? (code.Length > 0 ? code : Observation.WithoutCode) : "",
            Message = StatusMessage,
            Unit = Encoding.UTF8.GetBytes(TraceId),
            Span = Id,
            ParentSpan = Parent,
            Application = Encoding.UTF8.GetBytes(resource.Service),
            Database = Encoding.UTF8.GetBytes(First(Attributes, "db.namespace", "db.name")),
            User = Encoding.UTF8.GetBytes(First(Attributes, "db.user")),
            Source = resource.Source,
            Plan = First(Attributes, "swift_ledger.plan"),
            RowsReturned = long.TryParse(First(Attributes, "db.response.returned_rows"), CultureInfo.InvariantCulture, out long rows) ? rows : null,
        });
        return true;
    }

    /// <summary>The route of a request, with its method, or else what the span is called.</summary>
    private string Page => First(Attributes, "http.route") is { Length: > 0 } route
        ? $"{First(Attributes, "http.request.method", "http.method")} {route}".TrimStart() : Name;

    /// <summary>The first of some attributes that is there; empty where none is.</summary>
    internal static string First(IReadOnlyDictionary<string, OtlpValue> attributes, params ReadOnlySpan<string> names)
    {
        foreach (string name in names)
        {
            if (attributes.TryGetValue(name, out OtlpValue value))
            {
                return value.Text;
            }
        }

        return "";
    }

    /// <summary>Parameters by number count from 0 in the conventions and from 1 in SQL.</summary>
    private string Binds()
    {
        const string prefix = "db.query.parameter.";
        return string.Join(", ", Attributes.Where(a => a.Key.StartsWith(prefix, StringComparison.Ordinal)).Select(a =>
        {
            string key = a.Key[prefix.Length..];
            return $"{(int.TryParse(key, CultureInfo.InvariantCulture, out int n) ? (n + 1).ToString(CultureInfo.InvariantCulture) : key)}={a.Value.Literal}";
        }));
    }
}
