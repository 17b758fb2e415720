using System.Globalization;
using System.Text;
using SwiftLedger.Core.Measuring;

namespace SwiftLedger.Benchmarks;

/// <summary>
/// Statements like those of a real service, for reading logs: 400 patterns of 60 to 1,400 characters, called as often as 1/rank; values are
/// drawn anew for each call, a tenth has a list of 1 to 40; three of five come prepared, in steps with their parameters, the others with
/// the values written into them; one in eight stands on several lines, one in ten has tags, one in 300 fails. Fifty sessions of three
/// applications, over two days with a quiet night.
/// </summary>
internal sealed class MadeLog
{
    public const int Patterns = 400, Sessions = 50;

    /// <summary>In a sentence, for the report.</summary>
    public const string MakeUp = "400 patterns by 1/rank, values drawn anew, 3 of 5 prepared, lists, tags, several lines, errors, 50 sessions, 2 days";

    private static readonly TimeSpan Span = TimeSpan.FromDays(2);
    private static readonly DateTime From = new(2026, 7, 6, 0, 0, 0, DateTimeKind.Utc);
    private static readonly string[] Tables = ["booking", "member", "hut", "room", "bunk", "booking_night", "payment", "weather_reading", "note", "warden", "range_section", "season"];
    private static readonly string[] Columns = ["id", "hut_id", "member_id", "first_night", "state", "party", "created_at", "amount", "label", "altitude_m"];

    private readonly string[][] _texts = new string[Patterns][];
    private readonly double[] _upTo = new double[Patterns];
    private readonly int _statements;
    private SplitMix _random = new(17);

    public MadeLog(int statements)
    {
        _statements = statements;
        double sum = 0;
        for (int i = 0; i < Patterns; i++)
        {
            _texts[i] = Text(i);
            sum += 1.0 / (i + 1);
            _upTo[i] = sum;
        }
    }

    /// <summary>A call.</summary>
    /// <param name="Pieces">The text around its values.</param>
    /// <param name="Values">As literals; one fewer than pieces.</param>
    public readonly record struct Call(DateTime At, int Session, double Milliseconds, string[] Pieces, string[] Values, bool Prepared, bool Fails, string Tags);

    public IEnumerable<Call> Calls()
    {
        for (int i = 0; i < _statements; i++)
        {
            // Of each day, a third of the time has a tenth of the calls.
            double day = (i + _random.Unit()) / _statements * 2, whole = Math.Floor(day), part = day - whole;
            double hour = part < 0.1 ? part * 10 / 3 : (1.0 / 3) + ((part - 0.1) / 0.9 * 2 / 3);
            int pattern = Array.BinarySearch(_upTo, _random.Unit() * _upTo[^1]);
            string[] pieces = _texts[pattern < 0 ? ~pattern : pattern];
            string[] values = new string[pieces.Length - 1];
            for (int v = 0; v < values.Length; v++)
            {
                values[v] = Value(v);
            }

            ulong kind = _random.Next();
            yield return new(
                From + (Span * ((whole + hour) / 2)), (int)(kind % Sessions), 0.05 + (-Math.Log(1 - _random.Unit()) * (1 + (pattern & 15))), pieces, values, kind / 64 % 5 < 3, kind / 1024 % 300 == 0,
                kind / 4096 % 10 == 0 ? $" /*app='huts',page='board {kind % 40}',traceparent='00-{kind:x32}-{kind:x16}-01'*/" : "");
        }
    }

    /// <summary>PostgreSQL's plain log; a call that is prepared takes three messages, two of them with their parameters.</summary>
    public void WriteStderr(StreamWriter writer) => Write(writer, (at, session, kind, text) => writer.Write(string.Create(CultureInfo.InvariantCulture,
        $"{at:yyyy-MM-dd HH:mm:ss.fff} UTC [{4000 + session}] walker@huts/{Application(session)} {kind}:  {text.Replace("\n", "\n\t", StringComparison.Ordinal)}\n")));

    /// <summary>Its csvlog.</summary>
    public void WriteCsv(StreamWriter writer)
    {
        long line = 0;
        string? message = null, severity = null;
        (DateTime At, int Session) of = default;
        void Flush(string detail, string statement)
        {
            if (message is not null)
            {
                writer.Write(string.Create(CultureInfo.InvariantCulture,
                    $"{of.At:yyyy-MM-dd HH:mm:ss.fff} UTC,\"walker\",\"huts\",{4000 + of.Session},\"10.0.0.{of.Session}:5{of.Session:000}\",6a4f0e{of.Session:x2}.3e8,{line++},\"SELECT\",2026-07-06 00:00:00 UTC,3/0,0,{severity},{(severity == "ERROR" ? "40001" : "00000")},{Quoted(message)},{Quoted(detail)},,,,,{Quoted(statement)},,,\"{Application(of.Session)}\",\"client backend\",,0\n"));
            }

            message = null;
        }

        Write(writer, (at, session, kind, text) =>
        {
            if (kind is "DETAIL" or "STATEMENT")
            {
                Flush(kind == "DETAIL" ? text : "", kind == "STATEMENT" ? text : "");
                return;
            }

            Flush("", "");
            (message, severity, of) = (text, kind, (at, session));
        });
        Flush("", "");
    }

    /// <summary>OTLP as JSON: one export request a line, with the spans of 12 calls.</summary>
    public void WriteOtlp(StreamWriter writer)
    {
        int i = 0;
        foreach (Call call in Calls())
        {
            long start = (call.At - DateTime.UnixEpoch).Ticks * 100, end = start + (long)(call.Milliseconds * 1e6);
            writer.Write(i % 12 == 0 ? $"{(i > 0 ? "]}]}]}\n" : "")}{{\"resourceSpans\":[{{\"resource\":{{\"attributes\":[{{\"key\":\"service.name\",\"value\":{{\"stringValue\":\"{Application(call.Session)}\"}}}}]}},\"scopeSpans\":[{{\"scope\":{{\"name\":\"db\"}},\"spans\":[" : ",");
            string sql = JsonEncoded(call.Prepared ? Numbered(call) : Written(call));
            string parameters = call.Prepared ? string.Concat(call.Values.Select((v, n) => $",{{\"key\":\"db.query.parameter.{n}\",\"value\":{{\"stringValue\":\"{JsonEncoded(v.Trim('\''))}\"}}}}")) : "";
            writer.Write(string.Create(CultureInfo.InvariantCulture,
                $"{{\"traceId\":\"{i / 12:x32}\",\"spanId\":\"{i:x16}\",\"name\":\"SELECT booking\",\"kind\":3,\"startTimeUnixNano\":\"{start}\",\"endTimeUnixNano\":\"{end}\",\"attributes\":[{{\"key\":\"db.system.name\",\"value\":{{\"stringValue\":\"postgresql\"}}}},{{\"key\":\"db.namespace\",\"value\":{{\"stringValue\":\"huts\"}}}},{{\"key\":\"db.query.text\",\"value\":{{\"stringValue\":\"{sql}\"}}}}{parameters}]}}"));
            i++;
        }

        writer.Write(i > 0 ? "]}]}]}\n" : "");
    }

    private void Write(StreamWriter writer, Action<DateTime, int, string, string> message)
    {
        foreach (Call call in Calls())
        {
            string sql = call.Prepared ? Numbered(call) : Written(call);
            if (call.Fails)
            {
                message(call.At, call.Session, "ERROR", "could not serialize access due to concurrent update");
                message(call.At, call.Session, "STATEMENT", sql);
                continue;
            }

            if (!call.Prepared)
            {
                message(call.At, call.Session, "LOG", string.Create(CultureInfo.InvariantCulture, $"duration: {call.Milliseconds:0.000} ms  statement: {sql}"));
                continue;
            }

            string parameters = "parameters: " + string.Join(", ", call.Values.Select((v, n) => $"${n + 1} = '{v.Trim('\'').Replace("'", "''", StringComparison.Ordinal)}'"));
            message(call.At, call.Session, "LOG", string.Create(CultureInfo.InvariantCulture, $"duration: {call.Milliseconds * 0.2:0.000} ms  parse <unnamed>: {sql}"));
            foreach (string step in new[] { "bind", "execute" })
            {
                message(call.At, call.Session, "LOG", string.Create(CultureInfo.InvariantCulture, $"duration: {call.Milliseconds * (step == "bind" ? 0.1 : 0.7):0.000} ms  {step} <unnamed>: {sql}"));
                message(call.At, call.Session, "DETAIL", parameters);
            }
        }
    }

    private static string Application(int session) => (session % 3) switch { 0 => "huts-web", 1 => "PostgreSQL JDBC Driver", _ => "night job" };

    private static string Numbered(in Call call)
    {
        var sql = new StringBuilder(call.Pieces[0]);
        for (int i = 0; i < call.Values.Length; i++)
        {
            sql.Append(CultureInfo.InvariantCulture, $"${i + 1}").Append(call.Pieces[i + 1]);
        }

        return sql.Append(call.Tags).ToString();
    }

    private static string Written(in Call call)
    {
        var sql = new StringBuilder(call.Pieces[0]);
        for (int i = 0; i < call.Values.Length; i++)
        {
            sql.Append(call.Values[i]).Append(call.Pieces[i + 1]);
        }

        return sql.Append(call.Tags).ToString();
    }

    private static string Quoted(string text) => text.Length == 0 ? "" : $"\"{text.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    private static string JsonEncoded(string text) => System.Text.Json.JsonEncodedText.Encode(text, System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping).ToString();

    private string Value(int place) => (_random.Next() % 4) switch
    {
        0 => (_random.Next() % 100_000).ToString(CultureInfo.InvariantCulture),
        1 => $"'2026-07-{1 + (_random.Next() % 30):00}'",
        2 => string.Create(CultureInfo.InvariantCulture, $"{_random.Unit() * 1000:0.00}"),
        _ => $"'walker {_random.Next() % 5_000} o''{(char)('a' + place)}'",
    };

    /// <summary>The pieces of a pattern's text: joins, conditions and lists whose number goes with its rank.</summary>
    private static string[] Text(int pattern)
    {
        var made = new SplitMix((ulong)pattern + 100);
        string Column(string alias) => $"{alias}.{Columns[made.Next() % (ulong)Columns.Length]}";
        string gap = pattern % 8 == 3 ? "\n  " : " ";
        int joins = (int)(made.Next() % 6), conditions = 1 + (int)(made.Next() % 5);
        var text = new StringBuilder();
        if (pattern % 7 == 5)
        {
            text.Append(CultureInfo.InvariantCulture, $"UPDATE {Tables[pattern % Tables.Length]} SET {Columns[pattern % Columns.Length]} = \0, touched_{pattern} = now()");
        }
        else
        {
            text.Append("SELECT ").AppendJoin(", ", Enumerable.Range(0, 3 + (int)(made.Next() % 12)).Select(_ => Column("b"))).Append(CultureInfo.InvariantCulture, $", count(*) AS n{pattern}{gap}FROM {Tables[pattern % Tables.Length]} b");
            for (int j = 0; j < joins; j++)
            {
                text.Append(CultureInfo.InvariantCulture, $"{gap}LEFT JOIN {Tables[made.Next() % (ulong)Tables.Length]} j{j} ON j{j}.id = {Column("b")} AND j{j}.state <> 'gone'");
            }
        }

        for (int c = 0; c < conditions; c++)
        {
            text.Append(c == 0 ? $"{gap}WHERE " : $"{gap}AND ").Append(Column("b")).Append((made.Next() % 4) switch { 0 => " >= \0", 1 => " BETWEEN \0 AND \0", _ => " = \0" });
        }

        if (pattern % 10 == 4)
        {
            text.Append(CultureInfo.InvariantCulture, $"{gap}AND b.id IN (").AppendJoin(", ", Enumerable.Repeat("\0", 1 + (int)(made.Next() % 40))).Append(')');
        }

        return (pattern % 7 == 5 ? text : text.Append(CultureInfo.InvariantCulture, $"{gap}ORDER BY {Column("b")}{gap}LIMIT \0")).ToString().Split('\0');
    }
}
