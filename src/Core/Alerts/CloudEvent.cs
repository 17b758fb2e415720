using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace SwiftLedger.Core.Alerts;

/// <summary>What a book has to tell whoever does not look.</summary>
/// <param name="Book">Its number.</param>
/// <param name="Name">The book's name.</param>
/// <param name="Text">In a sentence.</param>
/// <param name="PerDay">What it costs more or less, database-seconds a day; null where that is not the matter.</param>
/// <param name="Statement">Hash of the statement in the daybook; null where it is about none.</param>
/// <param name="Entry">Number of the ledger's entry; null likewise.</param>
public sealed record AlertData(long Book, string Name, string Text, double? PerDay, string? Statement, int? Entry);

/// <summary>An alert in the form of CloudEvents 1.0 (CNCF), JSON event format, structured mode.</summary>
/// <param name="SpecVersion">Of the form.</param>
/// <param name="Id">With the source it names one event, however often it is sent.</param>
/// <param name="Source">The book, relative to where this server is.</param>
/// <param name="Type">What happened.</param>
/// <param name="Subject">The statement, or the entry; null where it is about neither.</param>
/// <param name="Time">As RFC 3339.</param>
/// <param name="DataContentType">Of the data.</param>
/// <param name="Data">What there is to tell.</param>
public sealed record CloudEvent(
    [property: JsonPropertyName("specversion")] string SpecVersion, string Id, string Source, string Type, string? Subject, string Time, [property: JsonPropertyName("datacontenttype")] string DataContentType, AlertData Data)
{
    /// <summary>Media type of an event that is sent by itself.</summary>
    public const string MediaType = "application/cloudevents+json";

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull };

    /// <summary>Makes one.</summary>
    /// <param name="alert">Number of the alert.</param>
    /// <param name="kind">What it is about, in camel case.</param>
    /// <param name="isOver">Whether it has ended, and did not begin.</param>
    /// <param name="time">When, as RFC 3339.</param>
    /// <param name="data">What there is to tell.</param>
    public static CloudEvent Of(long alert, string kind, bool isOver, string time, AlertData data) => new(
        "1.0", string.Create(CultureInfo.InvariantCulture, $"alert-{alert}-{(isOver ? "ended" : "began")}"), string.Create(CultureInfo.InvariantCulture, $"/books/{data.Book}"), $"swift-ledger.{kind}.{(isOver ? "ended" : "began")}",
        data.Statement is { } hash ? $"statements/{hash}" : data.Entry is { } entry ? string.Create(CultureInfo.InvariantCulture, $"entries/{entry}") : null, time, "application/json", data);

    /// <summary>On one line, without an end of line.</summary>
    public string ToJson() => JsonSerializer.Serialize(this, Json);
}
