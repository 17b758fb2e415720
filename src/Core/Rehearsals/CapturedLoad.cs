using System.Globalization;
using System.Text;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>Writes what a capture holds as a load file that plays it again: each execution at its own time, by its own session, with its own values.</summary>
/// <param name="dialect">Of statements whose engine the capture does not name.</param>
/// <param name="dialectOf">Of an engine that it names; null where that is not known.</param>
/// <param name="housekeeping">What of the engine's load keeps it in order, and is left out.</param>
public sealed class CapturedLoad(SqlDialect dialect, Func<string, SqlDialect?> dialectOf, Housekeeping housekeeping) : ICaptureSink
{
    /// <summary>What comes behind so many is left out, and said.</summary>
    public const int MostArrivals = 50_000, MostStatements = 500;

    private const int LongestSql = 20_000;

    private static readonly string[] Executed = ["select", "insert", "update", "delete", "with", "values", "merge", "replace"];

    private readonly Dictionary<string, int> _statements = new(StringComparer.Ordinal);
    private readonly List<Arrival> _arrivals = [];
    private readonly Dictionary<string, Open> _sessions = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, long> _leftOut = new(StringComparer.Ordinal);
    private readonly Callers _callers = new(housekeeping);
    private int _transactions;

    /// <summary>Executions that the file will play.</summary>
    public int Count => _arrivals.Count;

    /// <summary>Whether no more are taken.</summary>
    public bool IsFull => _arrivals.Count >= MostArrivals;

    /// <summary>What was left out and why, with how many.</summary>
    public IReadOnlyDictionary<string, long> LeftOut => _leftOut;

    /// <inheritdoc/>
    public void Observe(in Observation observation)
    {
        SqlDialect spoken = observation.Engine.IsEmpty ? dialect : dialectOf(observation.Engine.ToString()) ?? dialect;
        // Where no sessions are named, each execution is one: how many were open at once tells how many are played.
        string session = observation.Session.IsEmpty ? string.Create(CultureInfo.InvariantCulture, $"execution {_arrivals.Count}") : Encoding.UTF8.GetString(observation.Session);
        Open state = _sessions.TryGetValue(session, out Open? known) ? known : _sessions[session] = new();
        ReadOnlySpan<char> sql = observation.Sql.Trim();
        if (Transactions.IsControl(sql))
        {
            bool opens = sql.StartsWith("begin", StringComparison.OrdinalIgnoreCase) || sql.StartsWith("start", StringComparison.OrdinalIgnoreCase);
            bool ends = sql.StartsWith("commit", StringComparison.OrdinalIgnoreCase) || sql.StartsWith("end", StringComparison.OrdinalIgnoreCase) || sql.StartsWith("abort", StringComparison.OrdinalIgnoreCase)
                || (sql.StartsWith("rollback", StringComparison.OrdinalIgnoreCase) && !sql.Contains("to", StringComparison.OrdinalIgnoreCase));
            state.Transaction = opens ? ++_transactions : ends ? 0 : state.Transaction;
            if (ends && !sql.StartsWith("commit", StringComparison.OrdinalIgnoreCase) && !sql.StartsWith("end", StringComparison.OrdinalIgnoreCase))
            {
                Leave("rollbacks: their transactions are committed here");
            }
        }
        else if (WhyNot(observation, sql, spoken) is { } why)
        {
            Leave(why);
        }
        else if (CapturedWorkload.Bare(new(sql.ToString(), observation.Binds().ToString(), null), spoken) is var bare && CapturedWorkload.WithParameters(bare, spoken) is var one && one.Binds.AsSpan().ContainsAny('\n', '\r'))
        {
            Leave("values with line breaks");
        }
        else if (!_statements.TryGetValue(one.Sql, out int statement) && (statement = _statements.Count) >= MostStatements)
        {
            Leave($"of statements beyond {MostStatements}, or with lists of other lengths");
        }
        else
        {
            _statements[one.Sql] = statement;
            _arrivals.Add(new(observation.At, observation.At + (observation.Duration ?? default), session, TransactionOf(observation, state), statement, one.Binds));
            state.Latest = _arrivals.Count - 1;
        }
    }

    /// <inheritdoc/>
    public void Reject(long line, string reason) => Leave("pieces that could not be read");

    /// <summary>The load file; null where nothing can be played.</summary>
    /// <param name="name">Of the capture, for its head.</param>
    /// <param name="pace">How many times faster it is played.</param>
    /// <param name="from">Earlier executions are left out; null for none.</param>
    /// <param name="to">Later ones are left out; null for none.</param>
    public string? Text(string name, double pace = 1, DateTime? from = null, DateTime? to = null)
    {
        Arrival[] played = [.. _arrivals.Where(a => (from is null || a.At >= from) && (to is null || a.At < to)).OrderBy(a => a.At)];
        if (played.Length == 0)
        {
            return null;
        }

        DateTime start = played[0].At;
        Dictionary<string, int> seats = SeatsOf(played);
        ILookup<int, Arrival> byStatement = played.ToLookup(a => a.Statement);
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"-- Played again, {name.ReplaceLineEndings(" ")}: {played.Length} executions from {start:yyyy-MM-dd'T'HH:mm:ss.fff'Z'} on, {(played[^1].At - start).TotalSeconds:0.###} s, of {seats.Count} sessions.\n");
        foreach ((string why, long count) in _leftOut)
        {
            text.Append(CultureInfo.InvariantCulture, $"-- Left out: {count} {why}.\n");
        }

        text.Append(CultureInfo.InvariantCulture, $"\n-- part: recorded\n-- pace: {pace:0.######}\n");
        var names = new HashSet<string>(StringComparer.Ordinal);
        foreach ((string sql, int number) in _statements)
        {
            if (!byStatement[number].Any())
            {
                continue;
            }

            var of = StatementTables.Of(sql, dialect);
            string free = CapturedWorkload.NameFor(of.Kind, of.Names, names);
            names.Add(free);
            text.Append(CultureInfo.InvariantCulture, $"-- name: {free}\n");
            foreach (Arrival a in byStatement[number])
            {
                text.Append(ArrivedLine.TextOf((a.At - start).TotalSeconds, seats[a.Session] + 1, a.Transaction, a.Binds)).Append('\n');
            }

            text.Append(sql.Trim().TrimEnd(';')).Append(";\n\n");
        }

        return text.ToString();
    }

    private string? WhyNot(in Observation o, ReadOnlySpan<char> sql, SqlDialect spoken)
    {
        if (IsFull)
        {
            return string.Create(CultureInfo.InvariantCulture, $"behind the first {MostArrivals}");
        }

        int word = 0;
        while (word < sql.Length && char.IsAsciiLetter(sql[word]))
        {
            word++;
        }

        return o.Calls > 1 ? "that stand for several executions"
            : o.Failed ? "that failed"
            : _callers.Of(o, spoken, out _).Kind != LoadKind.Application ? "of the engine's housekeeping, or of this program"
            : sql.Length > LongestSql ? "that are too long"
            : sql.IsEmpty || !(sql[0] is '/' or '-' or '(' || Executed.Contains(sql[..word].ToString(), StringComparer.OrdinalIgnoreCase)) ? "that neither read nor write rows"
            : null;
    }

    /// <summary>By what opened and closed it, or by the name that the capture gives it.</summary>
    private int TransactionOf(in Observation o, Open state)
    {
        if (state.Transaction > 0)
        {
            return state.Transaction;
        }

        string named = Transactions.IsOne(o.Transaction) ? Encoding.UTF8.GetString(o.Transaction) : "";
        bool same = named.Length > 0 && named == state.Named;
        state.Named = named;
        if (!same)
        {
            return 0;
        }

        if (_arrivals[state.Latest].Transaction == 0)
        {
            _arrivals[state.Latest] = _arrivals[state.Latest] with { Transaction = ++_transactions };
        }

        return _arrivals[state.Latest].Transaction;
    }

    private void Leave(string why) => _leftOut[why] = _leftOut.GetValueOrDefault(why) + 1;

    /// <summary>Sessions that were never open at once share a seat: as many are played as there were at the same time.</summary>
    private static Dictionary<string, int> SeatsOf(Arrival[] played)
    {
        var spans = new Dictionary<string, (DateTime From, DateTime To)>(StringComparer.Ordinal);
        foreach (Arrival a in played)
        {
            spans[a.Session] = spans.TryGetValue(a.Session, out (DateTime From, DateTime To) span) ? (span.From, a.End > span.To ? a.End : span.To) : (a.At, a.End);
        }

        var seats = new Dictionary<string, int>(StringComparer.Ordinal);
        var taken = new PriorityQueue<int, DateTime>();
        int made = 0;
        foreach ((string session, (DateTime from, DateTime to)) in spans.OrderBy(s => s.Value.From))
        {
            int seat = (taken.TryPeek(out int free, out DateTime until) && until < from) || made >= LoadFile.MostSessions ? taken.Dequeue() : made++;
            seats[session] = seat;
            taken.Enqueue(seat, to);
        }

        return seats;
    }

    private sealed record Arrival(DateTime At, DateTime End, string Session, int Transaction, int Statement, string Binds);

    private sealed class Open
    {
        public int Transaction { get; set; }

        public string Named { get; set; } = "";

        public int Latest { get; set; } = -1;
    }
}
