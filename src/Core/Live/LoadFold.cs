using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Live;

/// <summary>Sessions active on average over a stretch of time, by what they waited for.</summary>
/// <param name="Samples">Looks in it.</param>
/// <param name="ByKind">Average sessions by kind of wait; <see cref="LoadFold.Running"/> for those that ran. They add up to <paramref name="Active"/>.</param>
/// <param name="Active">Average sessions.</param>
/// <param name="From">Its beginning.</param>
public sealed record LoadStretch(DateTimeOffset From, int Samples, double Active, IReadOnlyDictionary<string, double> ByKind)
{
    /// <summary>Which session was seen with which statement, the most seen first; where there were too many, without those seen least. Of the latest stretches alone.</summary>
    public IReadOnlyList<SeenActive> Seen { get; init; } = [];
}

/// <summary>How often a session was seen active with a statement in a stretch.</summary>
/// <param name="Session">The server's number of it, which another session may get later.</param>
/// <param name="User">Who it is connected as.</param>
/// <param name="Application">As it names itself.</param>
/// <param name="Pattern">The pattern's hash.</param>
/// <param name="Kind">What it waited for; <see cref="LoadFold.Running"/> for nothing.</param>
/// <param name="Looks">At how many looks.</param>
public sealed record SeenActive(int Session, string User, string Application, ulong Pattern, string Kind, int Looks);

/// <summary>A pattern by how often it was seen active: with one look a second, seconds of database time, short statements seen as rarely as they run.</summary>
/// <param name="ByKind">The same looks by kind of wait.</param>
/// <param name="Pattern">The pattern's hash, 16 hexadecimal digits.</param>
/// <param name="Seen">Looks at which it was active, summed over sessions.</param>
/// <param name="Sql">The pattern itself.</param>
public sealed record ActivePattern(string Pattern, string Sql, long Seen, IReadOnlyDictionary<string, long> ByKind);

/// <summary>A moment that was kept whole.</summary>
/// <param name="PiledUp">Whether sessions piled up; else some began to wait for each other.</param>
/// <param name="Sample">What was seen.</param>
public sealed record KeptMoment(ActivitySample Sample, bool PiledUp);

/// <summary>Adds up looks at a server: load over time, and the patterns that made it.</summary>
/// <param name="stretch">How much time a point of the course holds.</param>
/// <param name="pileUp">From so many active sessions on a look is kept whole.</param>
/// <param name="dialect">Of the statements that are seen.</param>
public sealed class LoadFold(TimeSpan stretch, int pileUp, SqlDialect dialect)
{
    /// <summary>Stands for no wait at all.</summary>
    public const string Running = "running";

    private const int MostKept = 50, MostPatterns = 5_000, MostSeen = 300, StretchesWithSessions = 60;

    private readonly List<LoadStretch> _course = [];
    private readonly List<KeptMoment> _moments = [];
    private readonly Dictionary<ulong, (string Sql, Dictionary<string, long> ByKind)> _patterns = [];
    private readonly Dictionary<string, long> _counts = new(StringComparer.Ordinal);
    private readonly Dictionary<(int Session, string User, string Application, ulong Pattern, string Kind), int> _seen = [];
    private DateTimeOffset? _from;
    private int _samples;
    private bool _piled, _waited;

    public IReadOnlyList<LoadStretch> Course => _course;

    /// <summary>The first look of each time that sessions piled up, or waited for each other.</summary>
    public IReadOnlyList<KeptMoment> Moments => _moments;

    public IEnumerable<ActivitySample> PileUps => _moments.Where(m => m.PiledUp).Select(m => m.Sample);

    public IReadOnlyList<ActivePattern> Patterns =>
        [.. _patterns.Select(p => new ActivePattern(SqlPattern.NameOf(p.Key), p.Value.Sql, p.Value.ByKind.Values.Sum(), p.Value.ByKind)).OrderByDescending(p => p.Seen)];

    /// <summary>Adds a look, later than the one before.</summary>
    /// <returns>The stretch that it completes; null where it goes on.</returns>
    public LoadStretch? Add(ActivitySample sample)
    {
        LoadStretch? ended = _from is { } from && sample.At - from >= stretch ? End() : null;
        _from ??= sample.At;
        _samples++;
        foreach (SessionState session in sample.Sessions.Where(s => s.IsActive))
        {
            string kind = session.WaitKind.Length == 0 ? Running : session.WaitKind;
            _counts[kind] = _counts.GetValueOrDefault(kind) + 1;
            ulong pattern = SqlPattern.HashOf(session.Sql, dialect);
            (int, string, string, ulong, string) who = (session.Id, session.User, session.Application, pattern, kind);
            _seen[who] = _seen.GetValueOrDefault(who) + 1;
            if (!_patterns.TryGetValue(pattern, out (string Sql, Dictionary<string, long> ByKind) seen))
            {
                if (_patterns.Count >= MostPatterns)
                {
                    continue;
                }

                _patterns[pattern] = seen = (session.Sql, new(StringComparer.Ordinal));
            }

            seen.ByKind[kind] = seen.ByKind.GetValueOrDefault(kind) + 1;
        }

        bool piled = sample.Active >= pileUp, waited = WaitTree.Of(sample).Count > 0;
        if (((piled && !_piled) || (waited && !_waited)) && _moments.Count < MostKept)
        {
            _moments.Add(new(sample, piled));
        }

        (_piled, _waited) = (piled, waited);
        return ended;
    }

    /// <summary>Ends the stretch that goes on; null where nothing was seen.</summary>
    public LoadStretch? End()
    {
        if (_from is not { } from || _samples == 0)
        {
            return null;
        }

        var ended = new LoadStretch(from, _samples, _counts.Values.Sum() / (double)_samples, _counts.ToDictionary(c => c.Key, c => c.Value / (double)_samples))
        {
            Seen = [.. _seen.OrderByDescending(s => s.Value).Take(MostSeen).Select(s => new SeenActive(s.Key.Session, s.Key.User, s.Key.Application, s.Key.Pattern, s.Key.Kind, s.Value))],
        };
        _course.Add(ended);

        // Whoever keeps it has it by now: a week of it would be a gigabyte.
        if (_course.Count > StretchesWithSessions && _course[^(StretchesWithSessions + 1)] is { Seen.Count: > 0 } old)
        {
            _course[^(StretchesWithSessions + 1)] = old with { Seen = [] };
        }

        _counts.Clear();
        _seen.Clear();
        (_from, _samples) = (null, 0);
        return ended;
    }

    /// <summary>The course in at most so many points: neighbours are joined, each with the weight of its looks.</summary>
    public static IReadOnlyList<LoadStretch> Thinned(IReadOnlyList<LoadStretch> course, int most)
    {
        int joined = (course.Count + most - 1) / Math.Max(1, most);
        return joined <= 1 ? course : [.. course.Chunk(joined).Select(Joined)];
    }

    private static LoadStretch Joined(LoadStretch[] some)
    {
        int samples = some.Sum(s => s.Samples);
        double Average(Func<LoadStretch, double> of) => some.Sum(s => of(s) * s.Samples) / samples;
        return new(some[0].From, samples, Average(s => s.Active),
            some.SelectMany(s => s.ByKind.Keys).Distinct().ToDictionary(k => k, k => Average(s => s.ByKind.GetValueOrDefault(k))));
    }
}
