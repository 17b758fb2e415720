using System.Diagnostics;
using System.Globalization;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Demo.Live;
using SwiftLedger.Web;

namespace SwiftLedger.Cli.Live;

/// <summary>A version that the stand-in can be deployed with.</summary>
/// <param name="Title">What is in it.</param>
/// <param name="Deployed">Whether it is or was.</param>
/// <param name="Refusal">Why it cannot be deployed now; null where it can.</param>
public sealed record LiveVersion(string Version, string Title, bool Deployed, string? Refusal);

/// <summary>A step of the story that the demo tells by itself.</summary>
/// <param name="At">By the huts' clock, when it was done; null while it is not.</param>
public sealed record LiveStep(string Text, string? At);

/// <param name="On">Whether this server has a stand-in at all; without it everything else is empty.</param>
/// <param name="Book">Its book.</param>
/// <param name="Clock">The huts' time.</param>
/// <param name="Pace">How many times as fast it runs.</param>
/// <param name="Answers">Whether the application gave a sign of life in the last seconds.</param>
/// <param name="PerSecond">Executions, of the machine's seconds.</param>
/// <param name="Held">Statements that it runs as they are held.</param>
/// <param name="Problem">What failed last; null where nothing did.</param>
public sealed record LiveView(
    bool On, long? Book, string Clock, double Pace, string Version, bool Answers, double PerSecond, IReadOnlyList<string> Held, string? Problem, IReadOnlyList<LiveVersion> Versions, IReadOnlyList<LiveStep> Steps);

public sealed record LiveDeployRequest(string Version);

/// <summary>What is known of the stand-in for the huts' application, and what it is told to do.</summary>
internal sealed class LiveDesk
{
    private static readonly TimeSpan Silent = TimeSpan.FromSeconds(5);

    private const string Proposed = "3.3";

    private readonly Lock _gate = new();
    private readonly List<LiveOrder> _orders = [];
    private readonly List<LiveStep> _steps = [];
    private List<LiveRelease> _known = [];
    private Func<string> _changes = () => "";
    private TimeProvider _clock = TimeProvider.System;
    private LiveBeat? _beat;
    private string? _stopped;
    private long _beatAt;
    private long? _book;
    private double _pace = 1;

    /// <summary>The deployments that were told, and which of them are done.</summary>
    public (IReadOnlyList<LiveOrder> Orders, LiveBeat? Beat) Now
    {
        get
        {
            lock (_gate)
            {
                return ([.. _orders], _beat);
            }
        }
    }

    public static void Map(WebApplication app, LiveDesk desk)
    {
        app.MapGet("/api/live", () => desk.View()).ExcludeFromDescription();
        app.MapPost("/api/live/deploy", Results<Ok<LiveView>, UnprocessableEntity<ProblemReport>> (LiveDeployRequest request) =>
            desk.Deploy(request.Version) is { } refusal ? TypedResults.UnprocessableEntity(ProblemReport.Because("version", refusal)) : TypedResults.Ok(desk.View())).ExcludeFromDescription();
        app.MapPost("/api/live/beat", Results<Ok<IReadOnlyList<LiveOrder>>, NotFound> (LiveBeat beat) => desk._book is null ? TypedResults.NotFound() : TypedResults.Ok(desk.Beat(beat))).ExcludeFromDescription();
    }

    /// <param name="book">The stand-in's.</param>
    /// <param name="clock">The huts'.</param>
    /// <param name="pace">How fast it runs.</param>
    /// <param name="changes">The changes of the entries that are proposed, together.</param>
    /// <param name="before">The version that makes a plan go bad.</param>
    /// <param name="steps">Of the story, none done.</param>
    public void Begin(long book, TimeProvider clock, double pace, Func<string> changes, LiveRelease before, IReadOnlyList<string> steps)
    {
        lock (_gate)
        {
            (_book, _clock, _pace, _changes) = (book, clock, pace, changes);
            _known = [before, new(Proposed, "What is proposed in the ledger", ""), new("3.4", "Tidy up indexes", "DROP INDEX IF EXISTS trail_report_section_written;\nDROP INDEX IF EXISTS booking_member;\n")];
            _steps.AddRange(steps.Select(s => new LiveStep(s, null)));
        }
    }

    /// <summary>Marks a step as done.</summary>
    public void Done(int step)
    {
        lock (_gate)
        {
            _steps[step] = _steps[step] with { At = _steps[step].At ?? Moment() };
        }
    }

    /// <returns>Why it is not deployed; null where it is.</returns>
    public string? Deploy(string version)
    {
        lock (_gate)
        {
            if (_book is null || _known.Find(v => v.Version == version) is not { } known)
            {
                return "There is no such version.";
            }

            string script = version == Proposed ? _changes() : known.Script;
            if (Refusal(version, script) is { } refusal)
            {
                return refusal;
            }

            int again = _orders.Count(o => o.Version == version || o.Version.StartsWith(version + ".", StringComparison.Ordinal));
            _orders.Add(new(_orders.Count + 1, again == 0 ? version : string.Create(CultureInfo.InvariantCulture, $"{version}.{again}"), script));
            return null;
        }
    }

    /// <summary>The story goes no further by itself; whoever looks at it is told why.</summary>
    public void Stops(string because)
    {
        lock (_gate)
        {
            _stopped = $"The story stops here: {because}";
        }
    }

    private string? Refusal(string version, string script) =>
        version == Proposed ? (script.Trim().Length == 0 ? "No entry is proposed: post a trial first." : null)
        : _orders.Exists(o => o.Version == version) ? "It is deployed."
        : null;

    private IReadOnlyList<LiveOrder> Beat(LiveBeat beat)
    {
        lock (_gate)
        {
            (_beat, _beatAt) = (beat, Stopwatch.GetTimestamp());
            return [.. _orders.Where(o => o.Number > beat.Order)];
        }
    }

    private LiveView View()
    {
        lock (_gate)
        {
            if (_book is null)
            {
                return new(false, null, "", 1, "", false, 0, [], null, [], []);
            }

            string changes = _changes();
            return new(true, _book, Moment(), _pace, _beat?.Version ?? "", _beat is not null && Stopwatch.GetElapsedTime(_beatAt) < Silent, _beat?.PerSecond ?? 0, _beat?.Held ?? [], _stopped ?? (_beat?.Problem is { Length: > 0 } p ? p : null),
                [.. _known.Select(v => new LiveVersion(v.Version, v.Title, _orders.Exists(o => o.Version == v.Version), Refusal(v.Version, v.Version == Proposed ? changes : v.Script)))], [.. _steps]);
        }
    }

    private string Moment() => _clock.GetUtcNow().ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture);
}
