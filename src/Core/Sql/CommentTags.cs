namespace SwiftLedger.Core.Sql;

/// <summary>
/// Key and value pairs that a client writes into a comment of its statement, at either end:
/// <c>/*controller='board',route='%2Farrivals'*/</c>. Values are URL-encoded, single quotes in them escaped by a backslash.
/// </summary>
/// <remarks>The open comment-tag specification that OpenTelemetry's instrumentations follow; its section "Parsing" is the rule here.</remarks>
public static class CommentTags
{
    /// <summary>Whether a look at the comments is worth while.</summary>
    public static bool MayHold(ReadOnlySpan<char> sql) => sql.Contains('*') && (sql.TrimEnd(" ;\n\r\t").EndsWith("*/") || sql.TrimStart().StartsWith("/*"));

    /// <summary>Tags that name one single execution: no use in counting them.</summary>
    public static bool IsTrace(string key) => key is "traceparent" or "tracestate" or "trace_id" or "span_id" or "request_id";

    /// <summary>The request or trace that tags name as the one that a statement was sent for; null where they name none.</summary>
    /// <remarks>W3C Trace Context, 3.2: the trace's id is the second field of <c>traceparent</c>.</remarks>
    /// <param name="tags">Of a statement.</param>
    public static string? RequestOf(IReadOnlyDictionary<string, string> tags) =>
        tags.TryGetValue("traceparent", out string? parent) && parent.Split('-') is [_, { Length: > 0 } trace, ..] ? trace
        : tags.GetValueOrDefault("trace_id") ?? tags.GetValueOrDefault("request_id");

    /// <summary>The page, route or job that tags name; null where they name none.</summary>
    /// <param name="tags">Of a statement.</param>
    public static string? PageOf(IReadOnlyDictionary<string, string> tags) =>
        tags.GetValueOrDefault("route") ?? tags.GetValueOrDefault("http_route")
        ?? (tags.TryGetValue("controller", out string? controller) ? tags.TryGetValue("action", out string? action) ? $"{controller}/{action}" : controller : null)
        ?? tags.GetValueOrDefault("page") ?? tags.GetValueOrDefault("view") ?? tags.GetValueOrDefault("job");

    /// <summary>The pairs of the last comment, or else of the first; none where no comment there reads like tags.</summary>
    public static Dictionary<string, string> Read(ReadOnlySpan<char> sql)
    {
        ReadOnlySpan<char> text = sql.Trim().TrimEnd(';').TrimEnd();
        if (text.EndsWith("*/") && text[..^2].LastIndexOf("/*") is int start and >= 0 && ReadPairs(text[(start + 2)..^2]) is { Count: > 0 } atEnd)
        {
            return atEnd;
        }

        if (text.StartsWith("/*") && text[2..].IndexOf("*/") is int length and >= 0)
        {
            return ReadPairs(text.Slice(2, length)) ?? [];
        }

        return [];
    }

    private static Dictionary<string, string>? ReadPairs(ReadOnlySpan<char> inside)
    {
        var pairs = new Dictionary<string, string>(StringComparer.Ordinal);
        ReadOnlySpan<char> rest = inside.Trim();
        while (!rest.IsEmpty)
        {
            int equals = rest.IndexOf('=');
            if (equals < 1 || equals + 1 >= rest.Length || rest[equals + 1] != '\'')
            {
                return null;
            }

            int close = equals + 2;
            while (close < rest.Length && rest[close] != '\'')
            {
                close += rest[close] == '\\' ? 2 : 1;
            }

            if (close >= rest.Length)
            {
                return null;
            }

            pairs[Decoded(rest[..equals].Trim())] = Decoded(rest[(equals + 2)..close]);
            // Commas between pairs are often misplaced by hand-made writers: none is asked for.
            rest = rest[(close + 1)..].TrimStart(", \n\r\t");
        }

        return pairs;
    }

    private static string Decoded(ReadOnlySpan<char> text) =>
        Uri.UnescapeDataString(text.ToString().Replace("\\'", "'", StringComparison.Ordinal));
}
