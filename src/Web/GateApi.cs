using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Engines;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <summary>A check as a list shows it.</summary>
/// <param name="Number">Of the book.</param>
/// <param name="At">When it ended.</param>
/// <param name="Branch">Null where nobody says.</param>
/// <param name="Commit">Null where there was no git.</param>
/// <param name="Uncommitted">Whether files were altered since that commit.</param>
/// <param name="State">Kept, broken or not judged.</param>
/// <param name="Headline">All of it in a sentence.</param>
public sealed record CheckListItem(int Number, string At, string? Branch, string? Commit, bool Uncommitted, CheckState State, string Headline);

/// <summary>The checks of a book, and each limit of the chosen one through those before it.</summary>
/// <param name="Checks">The last first.</param>
/// <param name="Chosen">Its number; null where there is none.</param>
/// <param name="Notes">Of the chosen one.</param>
/// <param name="Limits">Of the chosen one, the worst first, then those with the least room.</param>
public sealed record GatePage(IReadOnlyList<CheckListItem> Checks, int? Chosen, IReadOnlyList<string> Notes, IReadOnlyList<GateCourse> Limits);

/// <summary>Other limits for a book.</summary>
/// <param name="Was">What was edited: where the book has others by now, they are not written over.</param>
/// <param name="Now">What is to be kept.</param>
public sealed record LimitsEdit(LimitsText Was, LimitsText Now);

/// <summary>What checks of changes found, by commit.</summary>
internal static class GateApi
{
    /// <summary>So many checks back courses reach.</summary>
    internal const int MostChecks = 60;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/gate", Gate);
        api.MapGet("/books/{id:long}/limits", Limits);
        api.MapPut("/books/{id:long}/limits", Keep);
        api.MapGet("/rules", () => CheckRules.All);
    }

    private static Results<Ok<LimitsText>, NotFound<ProblemReport>> Limits(long id, BookStore books) =>
        books.Find(id) is { } book ? TypedResults.Ok(new LimitsText(book.Workload, book.HouseRules)) : DaybookApi.Nothing("book");

    private static Results<NoContent, NotFound<ProblemReport>, UnprocessableEntity<ProblemReport>, Conflict<ProblemReport>> Keep(long id, LimitsEdit edit, BookStore books)
    {
        if (books.Find(id) is not { } book)
        {
            return DaybookApi.Nothing("book");
        }

        if (edit.Now.Problems(KnownEngines.OfSubject(book.Subject).Dialect) is { Count: > 0 } problems)
        {
            return TypedResults.UnprocessableEntity(new ProblemReport([.. problems.Select(ProblemView.Of)]));
        }

        return books.KeepLimits(id, edit.Was, edit.Now, "limits edited") ? TypedResults.NoContent()
            : TypedResults.Conflict(ProblemReport.Because("request", "The book has other limits by now: another page, or a trial with another workload, changed them. Nothing was kept."));
    }

    private static Results<Ok<GatePage>, NotFound<ProblemReport>> Gate(long id, BookStore books, CheckStore checks, int? check)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        IReadOnlyList<KeptCheck> all = checks.Heads(id, MostChecks), seen = checks.Latest(id, MostChecks, check);
        return check is not null && (seen.Count == 0 || seen[^1].Number != check)
            ? DaybookApi.Nothing("check")
            : TypedResults.Ok(new GatePage([.. all.Reverse().Select(c => new CheckListItem(c.Number, Iso.Of(c.At.UtcDateTime), c.Branch, c.Commit, c.Uncommitted, c.State, c.Headline))], seen.Count == 0 ? null : seen[^1].Number, seen.Count == 0 ? [] : seen[^1].Notes, GateCourse.Of(seen)));
    }
}
