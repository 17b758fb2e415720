using System.Data.Common;
using System.Diagnostics;
using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text.Json;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Demo.Live;

/// <summary>
/// A stand-in for the huts' application: sessions that execute its statements with values drawn as the data is skewed, send each as a span, ask the server for holds
/// and obey them, and are deployed anew when they are told to. Durations are real; only when they began is told by a clock that runs faster.
/// </summary>
public sealed class HutsApplication : IDisposable
{
    private const int Sessions = 3, PlanOneIn = 4, MostWaiting = 20_000;

    private const double MeanPauseMs = 40;

    private static readonly TimeSpan BetweenSends = TimeSpan.FromMilliseconds(200), BetweenQuestions = TimeSpan.FromMilliseconds(400);

    /// <summary>How often each statement is executed against the others.</summary>
    private static readonly (string Name, double Weight)[] Mix =
    [
        ("day_sheet", 24), ("hut_card", 14), ("member_by_number", 12), ("booking_details", 10), ("nights_of_booking", 8), ("price_on_day", 10), ("latest_weather", 8), ("latest_reports", 6), ("open_bookings_of_hut", 3),
        ("member_history", 4), ("confirm_booking", 1),
    ];

    private readonly LiveSettings _settings;
    private readonly ILiveStage _stage;
    private readonly LiveClock _clock;
    private readonly HttpClient _http;
    private readonly Workload _workload;
    private readonly Lock _gate = new();
    private readonly Random _random = new(20_260_718);
    private List<LiveSpan> _spans = [];
    private Dictionary<string, string> _texts;
    private Dictionary<string, string> _held = [];
    private string _version, _problem = "";
    private int _order, _generation;
    private long _executed;
    private EntityTagHeaderValue? _tag;

    /// <param name="settings">How it is started.</param>
    /// <param name="way">Its way to the server; the network where none is given.</param>
    public HutsApplication(LiveSettings settings, HttpMessageHandler? way = null)
    {
        (_settings, _version) = (settings, settings.Version);
        _http = new(way ?? new SocketsHttpHandler()) { Timeout = TimeSpan.FromSeconds(20) };
        _clock = new(settings.Began, settings.Pace);
        _stage = LiveStages.Of(settings.Engine);
        _workload = WorkloadFile.Parse(_stage.Workload, _stage.Engine.Dialect).Value.WithoutUnits();
        _texts = _workload.Statements.ToDictionary(s => s.Name, s => s.Sql, StringComparer.Ordinal);
        foreach (LiveOrder done in settings.Done)
        {
            Become(done, ChangeOf(done));
        }

        _http.DefaultRequestHeaders.Add("X-Swift-Ledger", "1");
    }

    public void Dispose() => _http.Dispose();

    /// <summary>Runs until it is stopped.</summary>
    /// <param name="stop">Ends it.</param>
    public async Task RunAsync(CancellationToken stop)
    {
        Thread[] sessions = [.. Enumerable.Range(0, Sessions).Select(i => new Thread(() => Session(i, stop)) { IsBackground = true, Name = $"session {i}" })];
        Array.ForEach(sessions, s => s.Start());
        Task[] tasks = [RepeatAsync(SendAsync, BetweenSends, stop), RepeatAsync(AskAsync, BetweenQuestions, stop)];
        // A fault of its own ends it, for whoever started it to start it anew: half of an application would go on unseen.
        await await Task.WhenAny(tasks);
        await Task.WhenAll(tasks);
        Array.ForEach(sessions, s => s.Join());
    }

    /// <summary>A server that does not answer is asked again: the application goes on without it.</summary>
    private async Task RepeatAsync(Func<CancellationToken, Task> what, TimeSpan pause, CancellationToken stop)
    {
        while (!stop.IsCancellationRequested)
        {
            try
            {
                await what(stop);
                await Task.Delay(pause, stop);
            }
            catch (OperationCanceledException) when (stop.IsCancellationRequested)
            {
                return;
            }
            catch (Exception e) when (e is HttpRequestException or OperationCanceledException or JsonException or DbException)
            {
                _problem = e.Message;
                await Task.Delay(pause, CancellationToken.None);
            }
        }
    }

    private void Session(int number, CancellationToken stop)
    {
        var random = new Random((7_919 * number) + Environment.ProcessId);
        while (!stop.IsCancellationRequested)
        {
            // Connected anew after each deployment, as an application that is started anew.
            int generation = Volatile.Read(ref _generation);
            try
            {
                using DbConnection connection = _stage.Open(_settings.Database);
                var draw = new HutsValues(connection, random);
                while (!stop.IsCancellationRequested && generation == Volatile.Read(ref _generation))
                {
                    Execute(connection, draw, random);
                    stop.WaitHandle.WaitOne(TimeSpan.FromMilliseconds(-MeanPauseMs * Math.Log(1 - random.NextDouble())));
                }
            }
            catch (DbException e)
            {
                _problem = e.Message;
                stop.WaitHandle.WaitOne(TimeSpan.FromMilliseconds(200));
            }
        }
    }

    private void Execute(DbConnection connection, HutsValues draw, Random random)
    {
        string name = Pick(random.NextDouble()), sql;
        lock (_gate)
        {
            sql = _held.GetValueOrDefault(name) ?? _texts[name];
        }

        List<(string Key, object Value)> values = [.. _workload.Statements.First(s => s.Name == name).Parameters.Select(key => (key, draw.Of(key)))];

        // What it costs to ask for the plan stands outside of what is timed.
        string plan = random.Next(PlanOneIn) == 0 ? Plan(connection, sql, values) : "";
        using DbCommand command = _stage.Command(connection, sql, values);
        DateTimeOffset at = _clock.GetUtcNow();
        long start = Stopwatch.GetTimestamp();
        int rows = 0;
        string error = "";
        try
        {
            using DbDataReader reader = command.ExecuteReader();
            while (reader.Read())
            {
                rows++;
            }
        }
        catch (DbException e) when (connection.State == System.Data.ConnectionState.Open)
        {
            (error, _problem) = (_stage.CodeOf(e), e.Message);
        }

        Keep(new(at, Stopwatch.GetElapsedTime(start), sql, values, rows, plan, error));
        Interlocked.Increment(ref _executed);
    }

    private string Plan(DbConnection connection, string sql, List<(string Key, object Value)> values)
    {
        using DbCommand command = _stage.Command(connection, _stage.Explaining(sql), values);
        using DbDataReader reader = command.ExecuteReader();
        return _stage.PlanOf(reader);
    }

    private static string Pick(double unit)
    {
        double at = unit * Mix.Sum(m => m.Weight);
        foreach ((string name, double weight) in Mix)
        {
            at -= weight;
            if (at < 0)
            {
                return name;
            }
        }

        return Mix[0].Name;
    }

    private void Keep(LiveSpan span)
    {
        lock (_gate)
        {
            // While nobody takes them, the latest are kept.
            if (_spans.Count >= MostWaiting)
            {
                _spans.RemoveRange(0, MostWaiting / 2);
            }

            _spans.Add(span);
        }
    }

    private async Task SendAsync(CancellationToken stop)
    {
        List<LiveSpan> spans;
        lock (_gate)
        {
            (spans, _spans) = (_spans, []);
        }

        if (spans.Count == 0)
        {
            return;
        }

        using var content = new ByteArrayContent(LiveSpan.Request(spans, _stage.Engine.SystemNames is [var known, ..] ? known : _stage.Engine.Id, _version, _random));
        content.Headers.ContentType = new("application/json");
        try
        {
            using HttpResponseMessage answer = await _http.PostAsync(new Uri(_settings.Server, $"/otlp/{Uri.EscapeDataString(_settings.BookName)}/v1/traces"), content, stop);
            answer.EnsureSuccessStatusCode();
        }
        catch (Exception e) when (e is HttpRequestException or OperationCanceledException)
        {
            // An answer that takes too long is none either: what was executed is sent again rather than lost.
            spans.ForEach(Keep);
            throw;
        }
    }

    private long _toldExecuted;
    private long _toldAt = Stopwatch.GetTimestamp();

    /// <summary>Holds, deployments, and a sign of life.</summary>
    private async Task AskAsync(CancellationToken stop)
    {
        using var ask = new HttpRequestMessage(HttpMethod.Get, new Uri(_settings.Server, $"/api/books/{_settings.Book}/holds"));
        if (_tag is not null)
        {
            ask.Headers.IfNoneMatch.Add(_tag);
        }

        using HttpResponseMessage answer = await _http.SendAsync(ask, stop);
        if (answer.StatusCode == HttpStatusCode.OK)
        {
            using JsonDocument body = JsonDocument.Parse(await answer.Content.ReadAsByteArrayAsync(stop));
            TakeHolds([.. body.RootElement.GetProperty("holds").EnumerateArray().Select(h => (h.GetProperty("pattern").GetString()!, h.GetProperty("sql").GetString()!))]);
            _tag = answer.Headers.ETag;
        }

        long executed = Interlocked.Read(ref _executed);
        double seconds = Math.Max(1e-3, Stopwatch.GetElapsedTime(_toldAt).TotalSeconds);
        var beat = new LiveBeat(_version, (executed - _toldExecuted) / seconds, HeldNames(), _order, _problem);
        (_toldExecuted, _toldAt) = (executed, Stopwatch.GetTimestamp());
        using HttpResponseMessage told = await _http.PostAsJsonAsync(new Uri(_settings.Server, "/api/live/beat"), beat, stop);
        if (told.IsSuccessStatusCode && await told.Content.ReadFromJsonAsync<List<LiveOrder>>(stop) is { } orders)
        {
            foreach (LiveOrder order in orders.Where(o => o.Number > _order).OrderBy(o => o.Number))
            {
                Deploy(order, stop);
            }
        }
    }

    private void TakeHolds(List<(string Pattern, string Sql)> holds)
    {
        lock (_gate)
        {
            _held = _texts.Select(t => (t.Key, Hash: SqlPattern.NameOf(SqlPattern.HashOf(t.Value, _stage.Engine.Dialect))))
                .Join(holds, t => t.Hash, h => h.Pattern, (t, h) => (t.Key, h.Sql)).ToDictionary(h => h.Key, h => h.Sql, StringComparer.Ordinal);
        }
    }

    private List<string> HeldNames()
    {
        lock (_gate)
        {
            return [.. _held.Keys.Order(StringComparer.Ordinal)];
        }
    }

    /// <summary>Runs the statements of a deployment, each as a span of its own, and starts every session anew.</summary>
    private void Deploy(LiveOrder order, CancellationToken stop)
    {
        Change change = ChangeOf(order);
        using (DbConnection connection = _stage.Open(_settings.Database))
        {
            foreach (ChangeStep step in change.Steps)
            {
                // A step that another session's lock kept out for so long is tried again; one that fails otherwise would fail again.
                while (Step(connection, step.Sql) is { } failed && _stage.IsLockedOut(failed) && !stop.IsCancellationRequested)
                {
                }
            }
        }

        Become(order, change);
        Interlocked.Increment(ref _generation);
    }

    /// <returns>What the engine refused it with; null where it ran.</returns>
    private DbException? Step(DbConnection connection, string sql)
    {
        DateTimeOffset at = _clock.GetUtcNow();
        long start = Stopwatch.GetTimestamp();
        DbException? failed = null;
        try
        {
            using DbCommand command = _stage.Command(connection, sql, []);
            command.ExecuteNonQuery();
        }
        catch (DbException e)
        {
            (failed, _problem) = (e, e.Message);
        }

        Keep(new(at, Stopwatch.GetElapsedTime(start), sql, [], 0, "", failed is null ? "" : _stage.CodeOf(failed)));
        return failed;
    }

    private Change ChangeOf(LiveOrder order) => ChangeFile.Parse(order.Script, _workload, _stage.Engine.Dialect).Value;

    private void Become(LiveOrder order, Change change)
    {
        lock (_gate)
        {
            _texts = _texts.ToDictionary(t => t.Key, t => change.RewriteOf(t.Key)?.Sql ?? t.Value, StringComparer.Ordinal);
            (_version, _order, _tag) = (order.Version, order.Number, null);
        }
    }
}
