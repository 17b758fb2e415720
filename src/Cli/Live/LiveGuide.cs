using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using SwiftLedger.Core.Ledger;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Demo.Live;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Cli.Live;

/// <summary>
/// The story of the live demo, told by doing it as a user would: plans are accepted, a fall-back is proven, a version makes a plan go bad, its statement is held,
/// the real fix is measured, posted, deployed and proven. Whatever somebody does by hand meanwhile counts as well.
/// </summary>
internal sealed class LiveGuide(Uri server, BookRecord book, ILiveStage stage, LiveClock clock, LiveDesk desk, IServiceProvider services, ILogger log) : IDisposable
{
    private const string Author = "The huts' developers";

    private const int MostAttempts = 5;

    private static readonly TimeSpan Between = TimeSpan.FromMilliseconds(500);

    /// <summary>By the huts' clock: how long the first version runs, before its plans are accepted and before the next one comes.</summary>
    private static readonly TimeSpan BeforeAccepting = TimeSpan.FromHours(3), BeforeVersion = TimeSpan.FromHours(12);

    /// <summary>By the huts' clock: how long what came of all promises is waited for, and then of the one that the entry was made for.</summary>
    private static readonly TimeSpan ForAll = TimeSpan.FromDays(2), ForAny = TimeSpan.FromDays(6);

    private readonly LiveStory _story = stage.Story;

    private readonly Workload _workload = WorkloadFile.Parse(stage.Workload, stage.Engine.Dialect).Value.WithoutUnits();

    private readonly HttpClient _http = new() { BaseAddress = server, DefaultRequestHeaders = { { "X-Swift-Ledger", "1" } } };

    public static IReadOnlyList<string> StepsOf(LiveStory story) =>
    [
        "The huts' application runs, version 3.1, and sends what it executes",
        "Its plans are accepted as standing",
        $"A trial proves a fall-back for {story.Statement}: the same rows by the plan that it has",
        $"Version {story.Before.Version} brings {story.Cause}, and an index that nobody announced",
        $"{story.Statement} gets another plan, takes many times as long, and is held",
        "The hold is shown to help",
        $"A trial measures the real fix: {char.ToLowerInvariant(story.FixTitle[0])}{story.FixTitle[1..]}",
        "The trial is posted as an entry of the ledger",
        "Version 3.3 brings the fix, and the hold is released",
        "What the entry promised is held against what came",
    ];

    public void Dispose() => _http.Dispose();

    /// <summary>Tells it.</summary>
    public async Task RunAsync(CancellationToken stop)
    {
        try
        {
            DateTimeOffset began = clock.GetUtcNow();
            await UntilAsync(() => desk.Now.Beat is { PerSecond: > 0 }, stop);
            desk.Done(0);
            await UntilAsync(() => clock.GetUtcNow() - began > BeforeAccepting && AcceptPlans() > 0, stop);
            desk.Done(1);
            (long trial, int line) = await TrialAsync($"A text that keeps the plan of {_story.Statement}", $"-- rewrite: {_story.Statement}\n{_story.Held};\n", stop);
            await PostAsync($"/api/books/{book.Id}/fallbacks", new { trialId = trial, line, author = Author, factor = 1.5 }, stop);
            desk.Done(2);
            await UntilAsync(() => clock.GetUtcNow() - began > BeforeVersion || WasToldTo(_story.Before.Version), stop);
            AcceptPlans();
            desk.Deploy(_story.Before.Version);
            await UntilAsync(() => IsDone(_story.Before.Version), stop);
            desk.Done(3);
            HoldStore holds = services.GetRequiredService<HoldStore>();
            await UntilAsync(() => holds.Holds(book.Id).Count > 0, stop);
            desk.Done(4);
            bool Helps() => holds.Holds(book.Id)[0].Brought?.Course == Core.Holds.TurnCourse.Cheaper;
            await UntilAsync(() => Helps() || holds.Holds(book.Id)[0].ReleasedAt is not null, stop);
            if (Helps())
            {
                desk.Done(5);
            }

            EntryStore entries = services.GetRequiredService<EntryStore>();
            for (int attempt = 1; entries.Entries(book.Id).Count == 0; attempt++)
            {
                (trial, _) = await TrialAsync(_story.FixTitle, _story.Fix, stop);
                desk.Done(6);

                // A machine that is busy meanwhile may settle it by work alone, which promises no time: then it is measured again.
                JsonElement draft = await _http.GetFromJsonAsync<JsonElement>(new Uri($"/api/books/{book.Id}/entries/preview?trial={trial}", UriKind.Relative), stop);
                if (draft.GetProperty("refusal").ValueKind != JsonValueKind.Null || !draft.GetProperty("promises").EnumerateArray().Any(p => p.GetProperty("statement").GetString() == _story.Statement))
                {
                    if (attempt == MostAttempts)
                    {
                        throw new InvalidOperationException($"{MostAttempts} trials of the fix were not timed enough to promise anything of {_story.Statement}: this machine is too busy. Its trials tell how they were decided.");
                    }

                    continue;
                }

                try
                {
                    await PostAsync($"/api/books/{book.Id}/entries", new
                    {
                        trial,
                        title = _story.FixTitle,
                        author = Author,
                        reason = _story.Reason,
                        accepted = _story.Accepted,
                    }, stop);
                }
                catch (InvalidOperationException) when (attempt < MostAttempts)
                {
                    // Nor may a busy machine make anything dearer that nobody accepts.
                }
            }

            desk.Done(6);
            desk.Done(7);
            desk.Deploy("3.3");
            await UntilAsync(() => holds.Holds(book.Id).All(h => h.ReleasedAt is not null), stop);
            desk.Done(8);
            await HeldAgainstAsync(entries, stop);
            desk.Done(9);
        }
        catch (OperationCanceledException) when (stop.IsCancellationRequested)
        {
        }
        catch (Exception e) when (e is HttpRequestException or InvalidOperationException or KeyNotFoundException or JsonException or LedgerException)
        {
            log.LogWarning("The story of the demo stops here: {Message}", e.Message);
            desk.Stops(e.Message);
        }
    }

    /// <summary>Waits until it is known what came of the entry: all of it, or, where durations scatter so much that other promises stay open, of the statement that it was made for.</summary>
    private async Task HeldAgainstAsync(EntryStore entries, CancellationToken stop)
    {
        DateTimeOffset since = clock.GetUtcNow();
        for (TimeSpan waited = TimeSpan.Zero; !entries.Entries(book.Id).Any(e => e.State == EntryState.Reconciled); waited = clock.GetUtcNow() - since)
        {
            await Task.Delay(Between, stop);
            if (waited < ForAll)
            {
                continue;
            }

            // What is told of an entry later, such as that it is live, has a number of its own, and no page.
            JsonElement page = await _http.GetFromJsonAsync<JsonElement>(new Uri($"/api/books/{book.Id}/entries/{entries.Read(book.Id).Accounts[^1].Begun.Number}", UriKind.Relative), stop);
            if (page.GetProperty("outcome") is { ValueKind: JsonValueKind.Object } outcome
                && outcome.GetProperty("outcomes").EnumerateArray().Any(o => o.GetProperty("promise").GetProperty("statement").GetString() == _story.Statement && o.GetProperty("word").GetString() != "cannotTellYet"))
            {
                return;
            }

            if (waited > ForAny)
            {
                throw new InvalidOperationException($"calls of {_story.Statement} scatter so much that after {ForAny.TotalDays:0} days of the huts nothing can be told of what came: this machine is too busy. The entry tells it once it can.");
            }
        }
    }

    private static async Task UntilAsync(Func<bool> holds, CancellationToken stop)
    {
        while (!holds())
        {
            await Task.Delay(Between, stop);
        }
    }

    private bool WasToldTo(string version) => desk.Now.Orders.Any(o => o.Version == version);

    private bool IsDone(string version) => desk.Now is var (orders, beat) && orders.FirstOrDefault(o => o.Version == version) is { } order && beat?.Order >= order.Number;

    /// <summary>Makes the latest plan of each statement that has none the standing one.</summary>
    /// <returns>How many have one.</returns>
    private int AcceptPlans()
    {
        DaybookStore daybook = services.GetRequiredService<DaybookStore>();
        PlanUseStore uses = services.GetRequiredService<PlanUseStore>();
        PlanStore plans = services.GetRequiredService<PlanStore>();
        List<long> sources = [.. daybook.Sources(book.Id).Select(s => s.Id)];
        int accepted = 0;
        foreach (WorkloadStatement statement in _workload.Statements)
        {
            ulong hash = SqlPattern.HashOf(statement.Sql, stage.Engine.Dialect);
            if (plans.Standing(book.Id, hash) is not null)
            {
                accepted++;
            }
            else if (daybook.Pattern(book.Id, hash) is { } pattern && uses.OfPattern(pattern.Id, sources) is [.., var latest])
            {
                plans.MakeStanding(book.Id, hash, latest.Shape, latest.Outline, "as it ran in version 3.1");
                accepted++;
            }
        }

        return accepted;
    }

    private async Task<(long Trial, int Line)> TrialAsync(string title, string change, CancellationToken stop)
    {
        // The statement alone, with a write that a new index would make dearer.
        JsonElement begun = await PostAsync("/api/trials", new
        {
            subject = book.Subject,
            bookName = book.Name,
            workload = stage.Workload,
            change,
            title,
            settings = new { quick = true, maxSeconds = 90, only = new[] { _story.Statement, _story.Write }, sides = stage.Engine.Addresses!.AreOfServers ? "dumped" : "copies" },
        }, stop);
        long id = begun.GetProperty("id").GetInt64();
        for (string state = ""; state is not ("finished" or "cancelled" or "interrupted" or "refused"); await Task.Delay(Between, stop))
        {
            JsonElement page = await _http.GetFromJsonAsync<JsonElement>(new Uri($"/api/trials/{id}", UriKind.Relative), stop);
            state = page.GetProperty("trial").GetProperty("state").GetString()!;
            if (state == "finished")
            {
                return (id, page.GetProperty("lines").EnumerateArray().Select(l => l.GetProperty("result")).First(r => r.GetProperty("statement").GetString() == _story.Statement).GetProperty("number").GetInt32());
            }
        }

        throw new InvalidOperationException($"Trial {id} did not finish.");
    }

    private async Task<JsonElement> PostAsync(string path, object body, CancellationToken stop)
    {
        using HttpResponseMessage answer = await _http.PostAsJsonAsync(new Uri(path, UriKind.Relative), body, stop);
        string text = await answer.Content.ReadAsStringAsync(stop);
        return answer.IsSuccessStatusCode ? text.Length == 0 ? default : JsonSerializer.Deserialize<JsonElement>(text) : throw new InvalidOperationException($"{path}: {text}");
    }
}
