using System.Globalization;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>Reads load files: workload files whose comments also say who sends the statements, how often, and with which values. A workload file is one.</summary>
/// <remarks>The format is described for users in docs/formats.md.</remarks>
public static partial class LoadFile
{
    /// <summary>More sessions than this are a slip of the pen.</summary>
    public const int MostSessions = 2_000;

    private const InputPart Part = InputPart.Workload;

    private const int MostPace = 10_000;

    private const double MostRate = 1_000_000, LongestMilliseconds = 3_600_000;

    private static readonly string[] PartKeys = ["part", "sessions after", "commit after", "sessions", "think", "rate", "from", "until", "executions", "commit", "pace"], StatementKeys = ["share", "unit", "draw", ArrivedLine.Key];

    private static readonly string[] Keys = [.. PartKeys, .. StatementKeys];

    /// <summary>Reads a file as far as it can be understood; the problems say what could not.</summary>
    /// <param name="text">The file.</param>
    /// <param name="dialect">Of the statements.</param>
    /// <param name="usual">What the only part does where the file names none.</param>
    public static Parsed<Load> Parse(string text, SqlDialect dialect, LoadDefaults? usual = null)
    {
        Parsed<Workload> workload = WorkloadFile.Parse(text, dialect, complete: false);
        var reader = new Reader(text, usual ?? new());
        SqlScript script = SqlScript.Split(text, dialect);
        for (int i = 0; i < script.Statements.Count && i < workload.Value.Statements.Count; i++)
        {
            ScriptStatement item = script.Statements[i];
            reader.Read(workload.Value.Statements[i], i, Directive.ReadFrom(text, TextSpan.Between(item.Whole.Start, item.Body.Start), dialect, Keys));
        }

        foreach (Directive stray in Directive.ReadFrom(text, script.Rest, dialect, Keys))
        {
            reader.Problems.Add(InputProblem.At(Part, text, stray.Span, $"No statement follows this '{stray.Key}'."));
        }

        IReadOnlyList<LoadPart> parts = reader.Finish();
        return new(new(workload.Value, parts), [.. workload.Problems, .. reader.Problems]);
    }

    [GeneratedRegex(@"^(?<n>\d+(\.\d+)?)\s*(?<unit>us|ms|s|min)?$", RegexOptions.CultureInvariant)]
    private static partial Regex Time();

    [GeneratedRegex(@"^(?<key>[\p{L}_][\p{L}\p{N}_]*|\d+)\s*=\s*(?<what>uniform|zipf|sequence|query|one of)\b\s*(?<rest>.*)$", RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex Draw();

    [GeneratedRegex(@"^(?<low>-?\d+(\.\d+)?)\s*(\.\.|to)\s*(?<high>-?\d+(\.\d+)?)(\s+by\s+(?<by>\d+(\.\d+)?))?$", RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex Range();

    [GeneratedRegex(@"^(?<rates>[\d.,\s]+|[\d.\s]+(\s+to\s+[\d.]+)+)\s*/\s*(?<unit>second|minute|hour)(\s+(?<how>even|poisson))?$", RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex Rate();

    [GeneratedRegex(@"\s+to\s+", RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex To();

    /// <returns>Milliseconds; null where it is no time.</returns>
    internal static double? Milliseconds(string text, string usualUnit = "ms") =>
        Time().Match(text.Trim()) is { Success: true } m && double.Parse(m.Groups["n"].Value, CultureInfo.InvariantCulture) * UnitOf(m, usualUnit) is var ms and <= LongestMilliseconds ? ms : null;

    private static double UnitOf(Match m, string usual) => (m.Groups["unit"].Success ? m.Groups["unit"].Value : usual) switch { "us" => 0.001, "s" => 1_000, "min" => 60_000, _ => 1 };

    /// <summary>Reads a think time: <c>none</c>, <c>50 ms</c>, <c>uniform 20 ms to 80 ms</c>, <c>exponential 50 ms</c>; null where it is none.</summary>
    public static ThinkTime? ReadThink(string text)
    {
        string[] words = text.Trim().Split(' ', 2, StringSplitOptions.TrimEntries);
        switch (words[0].ToLowerInvariant())
        {
            case "none" when words.Length == 1:
                return ThinkTime.None;
            case "exponential" when words.Length == 2 && Milliseconds(words[1]) is { } mean:
                return new(ThinkKind.Exponential, mean);
            case "uniform" when words.Length == 2:
                string[] ends = To().Split(words[1]);
                return ends.Length == 2 && Milliseconds(ends[0]) is { } low && Milliseconds(ends[1]) is { } high && low <= high ? new(ThinkKind.Uniform, low, high) : null;
            default:
                return Milliseconds(text) is { } fixedTime ? new(ThinkKind.Fixed, fixedTime) : null;
        }
    }

    /// <summary>Reads when to commit: <c>each</c>, <c>every 100</c>; null where it is none.</summary>
    public static int? ReadCommit(string text) =>
        text.Equals("each", StringComparison.OrdinalIgnoreCase) ? 1
        : text.StartsWith("every ", StringComparison.OrdinalIgnoreCase) && int.TryParse(text.AsSpan(6), NumberStyles.None, CultureInfo.InvariantCulture, out int every) && every > 0 ? every
        : null;

    /// <summary>Reads a rate: <c>50/second poisson</c>, <c>10 to 100/second</c>, <c>10, 40, 10/second even</c>; null where it is none.</summary>
    public static RateCourse? ReadRate(string text)
    {
        Match m = Rate().Match(text.Trim());
        if (!m.Success)
        {
            return null;
        }

        string rates = m.Groups["rates"].Value.Trim();
        bool ramps = To().IsMatch(rates);
        double unit = m.Groups["unit"].Value.ToLowerInvariant() switch { "minute" => 1 / 60.0, "hour" => 1 / 3_600.0, _ => 1 };
        var course = new List<double>();
        foreach (string rate in ramps ? To().Split(rates) : rates.Split(','))
        {
            if (!double.TryParse(rate, NumberStyles.AllowDecimalPoint | NumberStyles.AllowLeadingWhite | NumberStyles.AllowTrailingWhite, CultureInfo.InvariantCulture, out double one) || one * unit > MostRate)
            {
                return null;
            }

            course.Add(one * unit);
        }

        return course.Any(r => r > 0) ? new(course, ramps, !m.Groups["how"].Value.Equals("even", StringComparison.OrdinalIgnoreCase)) : null;
    }

    /// <summary>Collects parts while the statements go by.</summary>
    private sealed class Reader(string text, LoadDefaults usual)
    {
        private readonly List<(int Task, ArrivedLine Line)> _arrived = [];
        private readonly List<LoadPart> _parts = [];
        private readonly List<(string? Unit, double Weight, List<LoadStep> Steps, List<Directive> Draws)> _tasks = [];
        private readonly HashSet<string> _names = new(StringComparer.Ordinal);
        private LoadPart? _open;
        private TextSpan _openSpan;
        private double? _pace;
        private int _sequences, _queries;

        public List<InputProblem> Problems { get; } = [];

        public void Read(WorkloadStatement statement, int index, List<Directive> directives)
        {
            if (directives.FirstOrDefault(d => d.Key == "part") is { } named)
            {
                Close();
                if (named.Value.Length == 0 || !_names.Add(named.Value))
                {
                    Say(named, named.Value.Length == 0 ? "The name is missing behind 'part:'." : $"There is a part '{named.Value}' already.");
                }

                (_open, _openSpan) = (new(named.Value, 1, ThinkTime.None, null, 0, null, null, 1, []), named.Span);
            }
            else if (_open is null)
            {
                (_open, _openSpan) = (new("all", usual.Sessions, usual.Think, usual.Rate, 0, null, usual.Executions, usual.CommitEvery, []), statement.Body);
            }
            else if (directives.FirstOrDefault(d => PartKeys.Contains(d.Key)) is { } late)
            {
                Say(late, $"'{late.Key}' says something about a part, and stands above its first statement.");
            }

            if (_tasks.Count == 0)
            {
                _open = directives.Where(d => PartKeys.Contains(d.Key) && d.Key != "part").Aggregate(_open, Apply);
            }

            string? unit = directives.FirstOrDefault(d => d.Key == "unit")?.Value;
            List<Directive> draws = [.. directives.Where(d => d.Key == "draw")];
            double? share = directives.FirstOrDefault(d => d.Key == "share") is { } given ? ReadShare(given) : null;
            if (unit is not null && _tasks.Count > 0 && _tasks[^1].Unit == unit)
            {
                _tasks[^1].Steps.Add(new(statement, index));
                _tasks[^1].Draws.AddRange(draws);
                return;
            }

            foreach (Directive arrived in directives.Where(d => d.Key == ArrivedLine.Key))
            {
                if (unit is not null)
                {
                    Say(arrived, "What arrived is a statement, and this one belongs to a unit: transactions of a record stand behind its sessions.");
                }
                else if (ArrivedLine.Read(text, arrived, Part, Problems) is { } line)
                {
                    _arrived.Add((_tasks.Count, line));
                }
            }

            _tasks.Add((unit, share ?? statement.CallsPerDay ?? 1, [new(statement, index)], draws));
        }

        public List<LoadPart> Finish()
        {
            Close();
            if (_parts.Sum(p => p.Sessions) > MostSessions)
            {
                Problems.Add(new(Part, TextPlace.At(text, 0), $"The parts have {_parts.Sum(p => p.Sessions)} sessions together; {MostSessions} are the most."));
            }

            return _parts;
        }

        private void Close()
        {
            if (_open is null)
            {
                return;
            }

            if (_open.Rate is not null && Math.Max(_open.CommitEvery, _open.CommitEveryAfter ?? 1) > 1)
            {
                Problems.Add(InputProblem.At(Part, text, _openSpan, $"Part '{_open.Name}' commits several executions together and has a rate: what arrives would be held in an open transaction until others arrive. Leave one of the two out."));
            }

            if (_tasks.All(t => t.Weight == 0))
            {
                Problems.Add(InputProblem.At(Part, text, _openSpan, $"Part '{_open.Name}' has nothing to do: all of its shares are 0."));
            }

            if (_open.UntilSeconds <= _open.FromSeconds)
            {
                Problems.Add(InputProblem.At(Part, text, _openSpan, $"Part '{_open.Name}' ends before it begins."));
            }

            LoadPart part = _open with { Tasks = [.. _tasks.Select((t, i) => TaskOf(t, [.. _arrived.Where(a => a.Task == i).Select(a => a.Line)]))] };
            _parts.Add(_arrived.Count > 0 ? WithRecord(part) : part);
            if (_pace is not null && _arrived.Count == 0)
            {
                Problems.Add(InputProblem.At(Part, text, _openSpan, $"Part '{_open.Name}' has a pace, and nothing that arrived: only a record has one."));
            }

            _tasks.Clear();
            _arrived.Clear();
            (_open, _pace) = (null, null);
        }

        /// <summary>A part whose statements say when they came: nothing of it is drawn.</summary>
        private LoadPart WithRecord(LoadPart part)
        {
            if (part is not { Rate: null, Think.Kind: ThinkKind.None, Executions: null, CommitEvery: 1, CommitEveryAfter: null, SessionsAfter: null, FromSeconds: 0, UntilSeconds: null } && _names.Contains(part.Name))
            {
                Problems.Add(InputProblem.At(Part, text, _openSpan, $"Part '{part.Name}' is a record, with its own times, sessions and transactions: rate, think, executions, commit, from, until and a number of sessions after have no place in it."));
            }

            if (part.Tasks.Index().FirstOrDefault(t => !_arrived.Exists(a => a.Task == t.Index)) is { Item: { } without })
            {
                Problems.Add(InputProblem.At(Part, text, without.Steps[0].Statement.Body, $"Others of part '{part.Name}' say when they arrived, and '{without.Steps[0].Statement.Name}' does not: it belongs to another part."));
            }

            RecordedArrival[] arrivals = [.. _arrived.OrderBy(a => a.Line.Seconds).Select(a => new RecordedArrival(
                a.Line.Seconds, a.Line.Session - 1, a.Line.Transaction, a.Task, [.. part.Tasks[a.Task].Keys.Select(k => a.Line.Bindings.FirstOrDefault(b => b.Key == k)?.Value)]))];
            var record = new RecordedCourse(arrivals, _pace ?? 1);
            return part with { Recorded = record, Sessions = record.Sessions, Rate = null, Think = ThinkTime.None, CommitEvery = 1, Executions = null };
        }

        private LoadTask TaskOf((string? Unit, double Weight, List<LoadStep> Steps, List<Directive> Draws) read, IReadOnlyList<ArrivedLine> arrived)
        {
            string[] keys = [.. read.Steps.SelectMany(s => s.Statement.Parameters).Distinct()];
            var draws = new ValueDraw?[keys.Length];
            foreach (Directive directive in read.Draws)
            {
                if (ReadDraw(directive) is not var (key, draw))
                {
                    continue;
                }

                int at = Array.IndexOf(keys, key);
                if (at < 0)
                {
                    Say(directive, $"'{read.Steps[0].Statement.Name}' has no parameter {key}.");
                }
                else if (draws[at] is not null)
                {
                    Say(directive, $"{key} is drawn already.");
                }
                else
                {
                    draws[at] = draw;
                }
            }

            TaskValues values = ValuesOf(read.Steps, keys, draws);
            for (int i = 0; i < keys.Length; i++)
            {
                bool missing = draws[i] is null && !values.Cases.Any(lines => lines.Count > 0 && lines.All(l => l.Values[i] is not null));
                if (missing && arrived.FirstOrDefault(a => a.Bindings.All(b => b.Key != keys[i])) is { } first)
                {
                    Problems.Add(InputProblem.At(Part, text, first.Span, $"It has no value for {keys[i]}."));
                }
                else if (missing && arrived.Count == 0)
                {
                    Problems.Add(InputProblem.At(Part, text, read.Steps[0].Statement.Body,
                        $"'{read.Steps[0].Statement.Name}' has no value for {keys[i]}: a bind line gives one, or a draw, as in '-- draw: {keys[i]} = uniform 1 to 100'.", read.Steps[0].Statement.Number));
                }
            }

            return new(read.Weight, read.Unit, read.Steps, keys, values);
        }

        private LoadPart Apply(LoadPart part, Directive d)
        {
            switch (d.Key)
            {
                case "sessions" when int.TryParse(d.Value, NumberStyles.None, CultureInfo.InvariantCulture, out int sessions) && sessions is > 0 and <= MostSessions:
                    return part with { Sessions = sessions };
                case "sessions after" when int.TryParse(d.Value, NumberStyles.None, CultureInfo.InvariantCulture, out int after) && after is > 0 and <= MostSessions:
                    return part with { SessionsAfter = after };
                case "commit after" when ReadCommit(d.Value) is { } everyAfter:
                    return part with { CommitEveryAfter = everyAfter };
                case "think" when ReadThink(d.Value) is { } think:
                    return part with { Think = think };
                case "rate" when ReadRate(d.Value) is { } rate:
                    return part with { Rate = rate };
                case "from" when Milliseconds(d.Value, "s") is { } from:
                    return part with { FromSeconds = from / 1_000 };
                case "until" when Milliseconds(d.Value, "s") is { } until:
                    return part with { UntilSeconds = until / 1_000 };
                case "executions" when int.TryParse(d.Value, NumberStyles.None, CultureInfo.InvariantCulture, out int most) && most > 0:
                    return part with { Executions = most };
                case "pace" when double.TryParse(d.Value, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out double pace) && pace is > 0 and <= MostPace:
                    _pace = pace;
                    return part;
                case "commit" when ReadCommit(d.Value) is { } every:
                    return part with { CommitEvery = every };
                default:
                    Say(d, d.Key switch
                    {
                        "sessions" or "sessions after" => $"'{d.Value}' is not a number of sessions from 1 to {MostSessions}.",
                        "think" => $"'{d.Value}' is not a think time: write none, 50 ms, uniform 20 ms to 80 ms, or exponential 50 ms.",
                        "rate" => $"'{d.Value}' is not a rate: write 50/second, 10 to 100/second for a ramp, or 10, 50, 10/second for steps, with poisson (the usual) or even behind it.",
                        "executions" => $"'{d.Value}' is not a number of executions above 0.",
                        "pace" => $"'{d.Value}' is not how many times faster a record is played: write a number above 0, up to {MostPace}.",
                        "commit" or "commit after" => $"'{d.Value}' does not say when to commit: write each, or every 100.",
                        _ => $"'{d.Value}' is not a time from the start of a stint: write 2 s.",
                    });
                    return part;
            }
        }

        private double? ReadShare(Directive d)
        {
            if (double.TryParse(d.Value, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out double share) && double.IsFinite(share))
            {
                return share;
            }

            Say(d, $"'{d.Value}' is not a share: write a number, against those of the other statements of its part.");
            return null;
        }

        private (string Key, ValueDraw Draw)? ReadDraw(Directive d)
        {
            Match m = Draw().Match(d.Value);
            string rest = m.Groups["rest"].Value.Trim();
            string key = m.Groups["key"].Value;
            switch (m.Groups["what"].Value.ToLowerInvariant())
            {
                case "uniform" or "zipf" when Range().Match(rest) is { Success: true } range && DrawOf(m, range) is { } draw:
                    return (key, draw);
                case "sequence" when rest.StartsWith("from ", StringComparison.OrdinalIgnoreCase) && long.TryParse(rest[5..], CultureInfo.InvariantCulture, out long from):
                    return (key, new SequenceDraw(from, _sequences++));
                case "one of" when BindLine.Pairs(string.Join(", ", ListOf(rest).Select((v, i) => $"{i + 1}={v}"))) is { Count: > 0 } values && values.Count == ListOf(rest).Count:
                    return (key, new ListDraw([.. values.Select(v => v.Value)]));
                case "query" when rest.Length > 0:
                    return (key, new QueryDraw(rest.TrimEnd(';', ' '), _queries++));
                default:
                    Say(d, $"A draw reads 'name = uniform 1 to 212', 'name = zipf 1 to 212 by 1.1' (at most {ZipfDraw.MostValues.ToString("N0", CultureInfo.InvariantCulture)} values), 'name = sequence from 1', 'name = one of 'a', 'b'', or 'name = query SELECT id FROM hut'.");
                    return null;
            }
        }

        private static ValueDraw? DrawOf(Match draw, Match range)
        {
            string lowText = range.Groups["low"].Value, highText = range.Groups["high"].Value;
            bool zipf = draw.Groups["what"].Value.Equals("zipf", StringComparison.OrdinalIgnoreCase), by = range.Groups["by"].Success;
            if (zipf != by)
            {
                return null;
            }

            if (long.TryParse(lowText, CultureInfo.InvariantCulture, out long low) && long.TryParse(highText, CultureInfo.InvariantCulture, out long high))
            {
                return low > high || high - low < 0 || (zipf && high - low >= ZipfDraw.MostValues) ? null
                    : zipf ? new ZipfDraw(low, high, double.Parse(range.Groups["by"].Value, CultureInfo.InvariantCulture)) : new UniformDraw(low, high);
            }

            double realLow = double.Parse(lowText, CultureInfo.InvariantCulture), realHigh = double.Parse(highText, CultureInfo.InvariantCulture);
            return zipf || realLow > realHigh || !double.IsFinite(realLow) || !double.IsFinite(realHigh) ? null : new UniformRealDraw(realLow, realHigh);
        }

        /// <summary>A list's values as they stand, parted at commas outside of quotes.</summary>
        private static List<string> ListOf(string rest)
        {
            var values = new List<string>();
            int from = 0;
            bool quoted = false;
            for (int i = 0; i <= rest.Length; i++)
            {
                if (i == rest.Length || (rest[i] == ',' && !quoted))
                {
                    values.Add(rest[from..i].Trim());
                    from = i + 1;
                }
                else if (rest[i] == '\'')
                {
                    quoted = !quoted;
                }
            }

            return values;
        }

        private void Say(Directive d, string message) => Problems.Add(InputProblem.At(Part, text, d.Span, message));
    }

    /// <summary>The values that bind lines give, by a task's keys.</summary>
    internal static TaskValues ValuesOf(IReadOnlyList<LoadStep> steps, IReadOnlyList<string> keys, IReadOnlyList<ValueDraw?> draws)
    {
        var cases = new List<IReadOnlyList<(double, SqlValue?[])>>();
        foreach (LoadStep step in steps)
        {
            double sum = 0;
            cases.Add([.. step.Statement.Cases.Where(c => c.Bindings.Count > 0)
                .Select(c => (sum += c.Share, keys.Select(k => c.Bindings.FirstOrDefault(b => b.Key == k)?.Value).ToArray()))]);
        }

        return new(cases, draws);
    }
}

/// <summary>What the sessions of a file without parts do.</summary>
/// <param name="Sessions">How many.</param>
/// <param name="Think">Between two executions.</param>
/// <param name="Rate">Of open load; null for closed load.</param>
/// <param name="CommitEvery">So many executions are committed together.</param>
/// <param name="Executions">So many in a stint at the most; null for no bound.</param>
public sealed record LoadDefaults(int Sessions = 8, ThinkTime? Think = null, RateCourse? Rate = null, int CommitEvery = 1, int? Executions = null)
{
    public ThinkTime Think { get; init; } = Think ?? ThinkTime.None;
}
