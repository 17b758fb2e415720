using System.Text.Json.Serialization;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Budgets;

/// <summary>Something that a check looked at, as a book keeps it.</summary>
/// <param name="Rule">The rule's id.</param>
/// <param name="Title">The rule's.</param>
/// <param name="State">What became of it.</param>
/// <param name="Place">Where it stands: file, line and column.</param>
/// <param name="Name">What it is about, for people; empty where the place says it.</param>
/// <param name="Limit">What is allowed, as its file has it.</param>
/// <param name="Sentence">What is the case, with the exception that allows it.</param>
/// <param name="Room">What of the limit is left, as a fraction; null where that has no meaning.</param>
/// <param name="House">Whether it was held against a rule of the house.</param>
/// <param name="Until">The last day of the exception that allows it; null where none does.</param>
public sealed record KeptItem(string Rule, string Title, CheckState State, string Place, string Name, string Limit, string Sentence, double? Room, bool House, DateOnly? Until)
{
    /// <summary>What stays the same from check to check, also where the limit is moved: the rule, what it is about, and of a time which percentile.</summary>
    [JsonIgnore]
    public string Key => $"{Rule}\t{Name}\t{(Rule == CheckRules.Time.Id ? Limit.Split(' ', '<')[0] : "")}";

    /// <summary>As a book keeps it.</summary>
    /// <param name="item">Of a report.</param>
    public static KeptItem Of(CheckItem item) => new(item.Rule.Id, item.Rule.Title, item.State, item.Place.ToString(), item.Name, item.Limit, item.Said, item.Room is { } room && double.IsFinite(room) ? room : null, item.House, item.Exception?.Until);
}

/// <summary>A check as a book keeps it.</summary>
/// <param name="Number">Of the book, from 1.</param>
/// <param name="At">When it ended, UTC.</param>
/// <param name="Branch">What was checked; null where nobody says.</param>
/// <param name="Commit">Its commit; null where there is no git.</param>
/// <param name="Uncommitted">Whether files were altered since that commit.</param>
/// <param name="State">Kept, broken or not judged.</param>
/// <param name="Headline">All of it in a sentence.</param>
/// <param name="Notes">What else has to be known.</param>
/// <param name="Items">All that was held against something.</param>
public sealed record KeptCheck(int Number, DateTimeOffset At, string? Branch, string? Commit, bool Uncommitted, CheckState State, string Headline, IReadOnlyList<string> Notes, IReadOnlyList<KeptItem> Items)
{
    /// <summary>A report as a book keeps it; its number is given by the book.</summary>
    /// <param name="report">Of the check.</param>
    /// <param name="at">When it ended.</param>
    /// <param name="branch">Null where nobody says.</param>
    /// <param name="commit">Null where there is no git.</param>
    /// <param name="uncommitted">Whether files were altered since.</param>
    public static KeptCheck Of(CheckReport report, DateTimeOffset at, string? branch, string? commit, bool uncommitted) =>
        new(0, at, branch, commit, uncommitted, report.Outcome switch { Outcome.Good => CheckState.Kept, Outcome.NotMeasured => CheckState.NotJudged, _ => CheckState.Broken }, report.Headline, report.Notes, [.. report.Items.Select(KeptItem.Of)]);
}
