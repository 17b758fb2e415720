using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
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
internal sealed class LiveGuide(Uri server, long book, string database, string workloadText, LiveClock clock, LiveDesk desk, IServiceProvider services, ILogger log) : IDisposable
{
    public const string Statement = "day_sheet", Fix = "CREATE INDEX booking_hut_night ON booking(hut_id, first_night);\n";

    private const string Author = "The huts' developers";

    private const int MostAttempts = 5;

    private static readonly TimeSpan Between = TimeSpan.FromMilliseconds(500);

    /// <summary>By the huts' clock: how long the first version runs, before its plans are accepted and before the next one comes.</summary>
    private static readonly TimeSpan BeforeAccepting = TimeSpan.FromHours(3), BeforeVersion = TimeSpan.FromHours(12);

    private readonly Workload _workload = WorkloadFile.Parse(workloadText, Core.Engines.KnownEngines.Default.Dialect).Value;

    private readonly HttpClient _http = new() { BaseAddress = server, DefaultRequestHeaders = { { "X-Swift-Ledger", "1" } } };

    public static IReadOnlyList<string> Steps { get; } =
    [
        "The huts' application runs, version 3.1, and sends what it executes",
        "Its plans are accepted as standing",
        "A trial proves a fall-back for day_sheet: the same rows by the plan that it has",
        "Version 3.2 brings fresh statistics, and an index that nobody announced",
        "day_sheet gets another plan, takes many times as long, and is held",
        "The hold is shown to help",
        "A trial measures the real fix, an index on hut and night",
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
            WorkloadStatement statement = _workload.Statements.First(s => s.Name == Statement);
            string held = statement.Sql.Replace("FROM booking", "FROM booking INDEXED BY booking_first_night", StringComparison.Ordinal);
            (long trial, int line) = await TrialAsync("A text that keeps day_sheet's plan", $"-- rewrite: {Statement}\n{held};\n", stop);
            await PostAsync($"/api/books/{book}/fallbacks", new { trialId = trial, line, author = Author, factor = 1.5 }, stop);
            desk.Done(2);
            await UntilAsync(() => clock.GetUtcNow() - began > BeforeVersion || WasToldTo("3.2"), stop);
            AcceptPlans();
            desk.Deploy("3.2");
            await UntilAsync(() => IsDone("3.2"), stop);
            desk.Done(3);
            HoldStore holds = services.GetRequiredService<HoldStore>();
            await UntilAsync(() => holds.Holds(book).Count > 0, stop);
            desk.Done(4);
            bool Helps() => holds.Holds(book)[0].Brought?.Course == Core.Holds.TurnCourse.Cheaper;
            await UntilAsync(() => Helps() || holds.Holds(book)[0].ReleasedAt is not null, stop);
            if (Helps())
            {
                desk.Done(5);
            }

            EntryStore entries = services.GetRequiredService<EntryStore>();
            for (int attempt = 1; entries.Entries(book).Count == 0; attempt++)
            {
                (trial, _) = await TrialAsync("An index on hut and night", Fix, stop);
                desk.Done(6);
                try
                {
                    await PostAsync($"/api/books/{book}/entries", new
                    {
                        trial,
                        title = "An index on hut and night",
                        author = Author,
                        reason = "The board of a hut's day reads all of the hut's bookings since the statistics are fresh.",
                        accepted = new Dictionary<string, string> { ["add_booking"] = "Day sheets are read far more often than bookings are made." },
                    }, stop);
                }
                catch (InvalidOperationException) when (attempt < MostAttempts)
                {
                    // A machine that is busy meanwhile may settle it by work alone, which promises no time: then it is measured again.
                }
            }

            desk.Done(6);
            desk.Done(7);
            desk.Deploy("3.3");
            await UntilAsync(() => holds.Holds(book).All(h => h.ReleasedAt is not null), stop);
            desk.Done(8);
            await UntilAsync(() => entries.Entries(book).Any(e => e.State == Core.Ledger.EntryState.Reconciled), stop);
            desk.Done(9);
        }
        catch (OperationCanceledException) when (stop.IsCancellationRequested)
        {
        }
        catch (Exception e) when (e is HttpRequestException or InvalidOperationException or KeyNotFoundException or JsonException or LedgerException)
        {
            log.LogWarning("The story of the demo stops here: {Message}", e.Message);
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
        List<long> sources = [.. daybook.Sources(book).Select(s => s.Id)];
        int accepted = 0;
        foreach (WorkloadStatement statement in _workload.Statements)
        {
            ulong hash = SqlPattern.HashOf(statement.Sql, Core.Engines.KnownEngines.Default.Dialect);
            if (plans.Standing(book, hash) is not null)
            {
                accepted++;
            }
            else if (daybook.Pattern(book, hash) is { } pattern && uses.OfPattern(pattern.Id, sources) is [.., var latest])
            {
                plans.MakeStanding(book, hash, latest.Shape, latest.Outline, "as it ran in version 3.1");
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
            subject = database,
            bookName = services.GetRequiredService<BookStore>().Find(book)!.Name,
            workload = workloadText,
            change,
            title,
            settings = new { quick = true, maxSeconds = 60, only = new[] { Statement, "add_booking" } },
        }, stop);
        long id = begun.GetProperty("id").GetInt64();
        for (string state = ""; state is not ("finished" or "cancelled" or "interrupted" or "refused"); await Task.Delay(Between, stop))
        {
            JsonElement page = await _http.GetFromJsonAsync<JsonElement>(new Uri($"/api/trials/{id}", UriKind.Relative), stop);
            state = page.GetProperty("trial").GetProperty("state").GetString()!;
            if (state == "finished")
            {
                return (id, page.GetProperty("lines").EnumerateArray().Select(l => l.GetProperty("result")).First(r => r.GetProperty("statement").GetString() == Statement).GetProperty("number").GetInt32());
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
