using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <param name="Channel">file, command or post.</param>
/// <param name="IsOver">Whether it told of the end.</param>
/// <param name="Tries">So far.</param>
/// <param name="DeliveredAt">Null until it arrived.</param>
/// <param name="NextAt">When it is tried again; null where it is not.</param>
/// <param name="Problem">Of the last try; null where nothing went wrong.</param>
public sealed record AlertDeliveryView(string Channel, bool IsOver, long Tries, string? DeliveredAt, string? NextAt, string? Problem);

/// <param name="Kind">As on the front page, in camel case.</param>
/// <param name="Hash">A statement's; null where it is about none.</param>
/// <param name="Entry">Number; null likewise.</param>
/// <param name="EndedAt">Null while it lasts.</param>
public sealed record AlertView(long Id, string Kind, string Text, double? PerDay, string? Hash, long? Entry, string BeganAt, string? EndedAt, IReadOnlyList<AlertDeliveryView> Deliveries);

/// <param name="Channels">Through which alerts are sent now; none where the server was started without.</param>
/// <param name="Alerts">The latest first.</param>
public sealed record AlertsPage(IReadOnlyList<string> Channels, IReadOnlyList<AlertView> Alerts);

/// <summary>What a book told.</summary>
internal static class AlertApi
{
    private const int Most = 200;

    public static void Map(RouteGroupBuilder api) => api.MapGet("/books/{id:long}/alerts", List);

    private static Results<Ok<AlertsPage>, NotFound<ProblemReport>> List(long id, BookStore books, AlertStore alerts, AlertChannels channels)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        // In this order: what comes between the two reads is only sent further than it would be told.
        IReadOnlyList<AlertRecord> told = alerts.OfBook(id, Most);
        ILookup<long, AlertDelivery> sent = alerts.Deliveries(id, Most);
        return TypedResults.Ok(new AlertsPage(channels.Names, [.. told.Select(a => new AlertView(a.Id, a.Kind, a.Text, a.PerDay, a.Statement, a.Entry, a.BeganAt, a.EndedAt,
            [.. sent[a.Id].Select(d => new AlertDeliveryView(d.Channel, d.IsOver, d.Tries, d.DeliveredAt, d.NextAt, d.Problem))]))]));
    }
}
