using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Store;

namespace SwiftLedger.Web;

/// <param name="InForce">Whether it is the book's workload now.</param>
/// <param name="Why">What brought it, in a few words.</param>
public sealed record WorkloadVersionView(long Id, string KeptAt, string Why, int Statements, bool InForce, string Text);

/// <summary>What a book keeps of itself, and how it, or a trial, goes.</summary>
internal static class BookApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/contents", Contents);
        api.MapDelete("/books/{id:long}", DeleteBook);
        api.MapDelete("/trials/{id:long}", DeleteTrial);
        api.MapGet("/books/{id:long}/workloads", Versions);
        api.MapPost("/books/{id:long}/workloads/{version:long}", TakeBack);
    }

    private static Results<Ok<BookContents>, NotFound<ProblemReport>> Contents(long id, BookStore books) =>
        books.Contents(id) is { } contents ? TypedResults.Ok(contents) : DaybookApi.Nothing("book");

    private static Results<NoContent, NotFound<ProblemReport>, Conflict<ProblemReport>> DeleteBook(long id, BookStore books, TrialStore trials, ScriptStore scripts, RehearsalStore rehearsals, ProposalStore proposals, EntryStore entries, HoldStore holds, WatchDesk watches)
    {
        if (books.Find(id) is null)
        {
            return DaybookApi.Nothing("book");
        }

        if (entries.Lines(id).Count > 0)
        {
            return TypedResults.Conflict(ProblemReport.Because("request", "This book has entries, and entries are never deleted."));
        }

        if (trials.UnderWay(id).Count > 0)
        {
            return TypedResults.Conflict(ProblemReport.Because("request", "A trial of this book waits or is being measured: cancel it first."));
        }

        if (scripts.OfBook(id).Any(s => s.State is TrialState.Waiting or TrialState.Running))
        {
            return TypedResults.Conflict(ProblemReport.Because("request", "A script of this book waits or runs: cancel it first."));
        }

        if (rehearsals.UnderWay(id).Count > 0)
        {
            return TypedResults.Conflict(ProblemReport.Because("request", "A rehearsal of this book waits or runs: cancel it first."));
        }

        if (proposals.OfBook(id).Any(s => s.State is TrialState.Waiting or TrialState.Running))
        {
            return TypedResults.Conflict(ProblemReport.Because("request", "A search for proposals of this book waits or runs: cancel it first."));
        }

        if (watches.Of(id) is not null)
        {
            return TypedResults.Conflict(ProblemReport.Because("request", "A watch of this book is running: end it first."));
        }

        books.Delete(id);
        holds.BookDeleted();
        return TypedResults.NoContent();
    }

    private static Results<NoContent, NotFound<ProblemReport>, Conflict<ProblemReport>> DeleteTrial(long id, TrialStore trials)
    {
        if (trials.Find(id) is not { } trial)
        {
            return DaybookApi.Nothing("trial");
        }

        if (IsUnderWay(trial))
        {
            return TypedResults.Conflict(ProblemReport.Because("request", "This trial waits or is being measured: cancel it first."));
        }

        trials.Delete(id);
        return TypedResults.NoContent();
    }

    private static bool IsUnderWay(TrialGlance trial) => trial.State is TrialState.Waiting or TrialState.Running;

    private static Results<Ok<IReadOnlyList<WorkloadVersionView>>, NotFound<ProblemReport>> Versions(long id, BookStore books) => books.Find(id) is { } book
        ? TypedResults.Ok<IReadOnlyList<WorkloadVersionView>>([.. books.WorkloadVersions(id).Select((v, i) => new WorkloadVersionView(v.Id, v.KeptAt, v.Why,
            WorkloadFile.Parse(v.Text, KnownEngines.OfSubject(book.Subject).Dialect).Value.Statements.Count, i == 0, v.Text))])
        : DaybookApi.Nothing("book");

    /// <summary>Puts a version in force again; what was in force until then stays among them.</summary>
    private static Results<Ok<IReadOnlyList<WorkloadVersionView>>, NotFound<ProblemReport>> TakeBack(long id, long version, BookStore books)
    {
        if (books.WorkloadVersions(id).FirstOrDefault(v => v.Id == version) is not { } wanted)
        {
            return DaybookApi.Nothing("version");
        }

        books.KeepWorkload(id, wanted.Text, $"as it was on {wanted.KeptAt[..10]}");
        return Versions(id, books);
    }
}
