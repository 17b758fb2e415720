using System.Globalization;
using System.Text.Json;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Alerts;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>Tells what comes to a book's front page, and goes from it, to whoever does not look at it.</summary>
internal sealed class AlertDesk(LedgerDatabase ledger, AlertStore alerts, AlertPost post, TodayDesk today, BookStore books, TrialDesk trials, RehearsalDesk rehearsals, ILogger<AlertDesk> log)
    : RestingDesk(ledger, TimeSpan.FromSeconds(2), "alerts", trials, rehearsals, log)
{
    /// <summary>What is no news is not told: what somebody did by hand, or waits for, or what is not known to do harm.</summary>
    private static readonly HashSet<TodayKind> Told = [TodayKind.LedgerAltered, TodayKind.PromiseBroken, TodayKind.Dearer, TodayKind.Unannounced, TodayKind.Held, TodayKind.OffPlan, TodayKind.CaptureStopped];

    protected override IReadOnlyList<long> Books() => [.. books.All().Select(b => b.Id)];

    protected override void Look(long book)
    {
        foreach (AlertNow begun in alerts.Take(book, [.. today.Of(book, whole: true).Lines.Where(l => Told.Contains(l.Kind) && !l.IsOpen).Select(Of)], post.Channels.Names, DateTimeOffset.UtcNow.Moment()))
        {
            log.LogInformation("Book {Book}: {Text}", book, begun.Text);
        }

        post.Wake();
    }

    private static AlertNow Of(TodayLine line)
    {
        string kind = JsonNamingPolicy.CamelCase.ConvertName(line.Kind.ToString());
        string about = line.Hash ?? line.Entry?.ToString(CultureInfo.InvariantCulture) ?? line.Deployment?.ToString(CultureInfo.InvariantCulture) ?? line.About ?? "";

        // A statement that gets dearer again with another deployment is dearer twice; one that leaves its plan is where it is, whoever deployed.
        string with = line.Kind == TodayKind.Dearer ? $" {line.Deployment?.ToString(CultureInfo.InvariantCulture)}" : "";
        return new(kind, $"{kind} {about}{with}", line.Text, line.PerDay, line.Hash, line.Entry);
    }
}

/// <summary>Sends alerts until each has arrived, with growing pauses, or is given up. What was sent when the server is killed before it wrote that down is sent again, with the same id.</summary>
internal sealed class AlertPost(AlertStore alerts, BookStore books, AlertChannels channels, ILogger<AlertPost> log) : BackgroundService
{
    private const int AtOnce = 50;

    private static readonly TimeSpan BetweenLooks = TimeSpan.FromSeconds(2);

    private readonly SemaphoreSlim _wake = new(0);

    public AlertChannels Channels => channels;

    /// <summary>There may be something to be sent.</summary>
    public void Wake()
    {
        if (_wake.CurrentCount == 0)
        {
            _wake.Release();
        }
    }

    public override void Dispose()
    {
        _wake.Dispose();
        base.Dispose();
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            while (true)
            {
                await _wake.WaitAsync(channels.FirstPause < BetweenLooks ? channels.FirstPause : BetweenLooks, stoppingToken);
                try
                {
                    await SendDueAsync(stoppingToken);
                }
                catch (SqliteException e)
                {
                    log.LogWarning("Alerts are not sent: {Message}", e.Message);
                }
            }
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
        }
    }

    private async Task SendDueAsync(CancellationToken stop)
    {
        foreach ((AlertDelivery delivery, AlertRecord alert) in alerts.Due(DateTimeOffset.UtcNow.Moment(), AtOnce))
        {
            var data = new AlertData(alert.BookId, books.Find(alert.BookId)?.Name ?? "", alert.Text, alert.PerDay, alert.Statement, (int?)alert.Entry);
            CloudEvent told = CloudEvent.Of(alert.Id, alert.Kind, delivery.IsOver, delivery.IsOver ? alert.EndedAt! : alert.BeganAt, data);
            string? problem = await channels.SendAsync(delivery.Channel, told, stop);
            TimeSpan? pause = problem is null ? null : channels.PauseAfter(delivery.Tries + 1);
            alerts.Tried(delivery.Id, problem, pause is { } rest ? (DateTimeOffset.UtcNow + rest).Moment() : null);
            if (problem is not null)
            {
                log.LogWarning("Alert {Id} was not sent by {Channel}, {Next}: {Problem}", told.Id, delivery.Channel, pause is null ? "and is given up" : $"and is tried again in {pause:m\\:ss}", problem);
            }
        }
    }
}
