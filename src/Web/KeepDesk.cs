using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.Data.Sqlite;
using SwiftLedger.Bench;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Does the rounds of all books when they are due, one at a time, and begins none beside a measurement. What a killed server had begun is done anew: of a capture nothing is read twice.</summary>
internal sealed class KeepDesk(
    RoundStore rounds, BookStore books, CaptureStore captures, DeploymentStore deployments, SubjectPasswords passwords, CheckProcess checker, WatchDesk watches, TrialDesk trials, RehearsalDesk rehearsals, TimeProvider clock,
    ILogger<KeepDesk> log) : BackgroundService
{
    private const int LongestTold = 500;

    private static readonly TimeSpan BetweenLooks = TimeSpan.FromSeconds(1);

    private long _running;

    /// <summary>The round that is being done; 0 for none.</summary>
    public long Running => Volatile.Read(ref _running);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        await Task.Yield();
        using var timer = new PeriodicTimer(BetweenLooks);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
            {
                try
                {
                    if (trials.Current is null && !rehearsals.IsRunning && rounds.Due(DateTimeOffset.UtcNow) is [var due, ..])
                    {
                        await DoAsync(due, stoppingToken);
                    }
                }
                catch (SqliteException e)
                {
                    log.LogWarning("Rounds are not done: {Message}", e.Message);
                }
            }
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
        }
    }

    private async Task DoAsync(RoundRecord round, CancellationToken stop)
    {
        Volatile.Write(ref _running, round.Id);
        try
        {
            (string told, string? problem) = await TryAsync(round, stop);
            rounds.Done(round, Short(told), problem is null ? null : Short(problem), DateTimeOffset.UtcNow);
            log.LogInformation("Round {Name} of book {Book}: {Told}", round.Name, round.BookId, problem ?? told);
        }
        finally
        {
            Volatile.Write(ref _running, 0);
        }
    }

    private async Task<(string Told, string? Problem)> TryAsync(RoundRecord round, CancellationToken stop)
    {
        try
        {
            return books.Find(round.BookId) is not { } book ? ("", "There is no such book.")
                : round.Kind == RoundRecord.OfWatch ? await WatchAsync(book, round.Watch)
                : round.Kind == RoundRecord.OfCatalogue ? await Task.Run(() => Look(book), stop)
                : await Task.Run(() => Read(book.Id, round.Capture, stop), stop);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or InvalidDataException or LedgerException or SubjectException or EngineException)
        {
            return ("", e.Message);
        }
    }

    private (string Told, string? Problem) Read(long book, RoundCapture what, CancellationToken stop)
    {
        var notes = new List<string>();
        (IReadOnlyList<string> files, string? wrong) = CaptureFiles.Of(what.Paths, notes.Add);
        if (wrong is not null)
        {
            return ("", wrong);
        }

        var request = new CaptureRequest(what.Source, what.Form, what.Prefix) { Engine = what.Engine is { } named ? KnownEngines.Named(named) : null };
        CaptureReport[] reports = [.. CaptureFiles.Read(new(captures), book, files, request, stop)];
        stop.ThrowIfCancellationRequested();
        string problem = string.Join(" ", reports.Where(r => r.Problem is not null).Select(r => $"{r.Name}: {r.Problem}").Concat(notes));
        long read = reports.Sum(r => r.Statements);
        return ($"{Figures.Count(read)} new {(read == 1 ? "statement" : "statements")} from {(files.Count == 1 ? "a file" : $"{Figures.Count(files.Count)} files")}.", problem.Length > 0 ? problem : null);
    }

    /// <summary>What the subject's tables and indexes are now, held against what they were at the look before.</summary>
    private (string Told, string? Problem) Look(BookRecord book)
    {
        if (book.Subject is not { } subject)
        {
            return ("", "The book has no database.");
        }

        Engine engine = KnownEngines.OfSubject(subject);
        IReadOnlyList<SchemaObject> holds = checker.SchemaOf(engine, passwords.ForConnecting(subject));
        string? what = deployments.Look(book.Id, holds, engine.Dialect, clock.GetUtcNow().UtcDateTime);
        return (what is null ? $"As before: {Figures.Count(holds.Count)} {(holds.Count == 1 ? "table, index or view" : "tables, indexes and views")}." : $"Not as before: {what}.", null);
    }

    /// <summary>Begins one, and leaves it to itself: a long one is not to keep other rounds waiting.</summary>
    private async Task<(string Told, string? Problem)> WatchAsync(BookRecord book, RoundWatch what)
    {
        (long? watch, string? problem) = await watches.BeginAsync(book, TimeSpan.FromSeconds(what.Seconds), what.PileUp);
        if (watch is null)
        {
            return ("", problem);
        }

        return ($"Watch {watch} began, for {Figures.Three(what.Seconds)} s.", null);
    }

    private static string Short(string text) => text.Length <= LongestTold ? text : text[..LongestTold] + "...";
}

/// <param name="What">In words: which files, or for how long.</param>
/// <param name="NextAt">When it is due.</param>
/// <param name="Runs">How often it was done.</param>
/// <param name="Told">What came of the last one; null before the first.</param>
/// <param name="Problem">What went wrong in it.</param>
/// <param name="Running">Whether it is being done.</param>
public sealed record RoundView(long Id, string Name, string Kind, string What, double EverySeconds, string NextAt, long Runs, string? LastAt, string? Told, string? Problem, bool Running);

/// <summary>What is done for a book again and again. It is kept by a command alone: who reaches the address of a server is not to say which of its files are read.</summary>
internal static class KeepApi
{
    public static void Map(RouteGroupBuilder api) => api.MapGet("/books/{id:long}/rounds", List);

    /// <summary>What a round does, in words.</summary>
    internal static string Words(RoundRecord round) => round.Kind switch
    {
        RoundRecord.OfWatch => $"watch the server for {Figures.Three(round.Watch.Seconds)} s",
        RoundRecord.OfCatalogue => "look at the database's tables and indexes",
        _ => $"read {string.Join(", ", round.Capture.Paths)} of {round.Capture.Source}",
    };

    private static Results<Ok<List<RoundView>>, NotFound<ProblemReport>> List(long id, BookStore books, RoundStore rounds, KeepDesk desk) => books.Find(id) is null ? DaybookApi.Nothing("book")
        : TypedResults.Ok(rounds.OfBook(id).Select(r => new RoundView(r.Id, r.Name, r.Kind, Words(r), r.EverySeconds, r.NextAt, r.Runs, r.LastAt, r.Told, r.Problem, desk.Running == r.Id)).ToList());
}
