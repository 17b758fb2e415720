using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>What the daybook shows, as CSV and JSON: the same answers, in full.</summary>
internal static class DaybookExports
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/books/{id:long}/course.{format}", Course).ExcludeFromDescription();
        api.MapGet("/books/{id:long}/patterns.{format}", Patterns).ExcludeFromDescription();
        api.MapGet("/books/{id:long}/deployments/{deployment:long}/effects.{format}", Effects).ExcludeFromDescription();
        api.MapGet("/books/{id:long}/statements/{hash}/samples.{format}", Samples).ExcludeFromDescription();
    }

    private static IResult Course(
        long id, string format, string? from, string? to, [AsParameters] Whose whose, string? text, string? kind, string? table, string? tag,
        BookStore books, DaybookStore daybook, DeploymentStore deployments, CaptureStore captures, SampleStore samples) =>
        DaybookApi.Daybook(id, from, to, whose, text, kind, table, tag, true, false, books, daybook, deployments, captures, samples).Result is Ok<DaybookPage> { Value: { } page }
            ? Csv.File("course", format, page.Course, Csv.Course)
            : DaybookApi.Nothing("book");

    private static IResult Patterns(
        long id, string format, string? from, string? to, [AsParameters] Whose whose, string? text, string? kind, string? table, string? tag, string? rank, double? slow,
        BookStore books, DaybookStore daybook, SampleStore samples)
    {
        if (DaybookApi.Patterns(id, from, to, whose, text, kind, table, tag, rank, DaybookApi.MostRows, slow, books, daybook, samples).Result is not Ok<PatternsPage> { Value: { } page })
        {
            return DaybookApi.Nothing("book");
        }

        return format == "json" ? TypedResults.Ok(page) : Csv.File("patterns", format, page.Patterns, Csv.Patterns);
    }

    private static IResult Effects(
        long id, string format, long deployment, double? days, [AsParameters] Whose whose, BookStore books, DaybookStore daybook, ValueStore values, PageStore pages, DeploymentStore deployments) =>
        DaybookApi.Effects(id, deployment, days, whose, DaybookApi.MostRows, books, daybook, values, pages, deployments).Result is Ok<EffectPage> { Value: { } page }
            ? Csv.File("effects", format, page.Effects, Csv.Effects)
            : DaybookApi.Nothing("deployment with captures around it");

    private static IResult Samples(long id, string format, string hash, BookStore books, DaybookStore daybook, SampleStore samples) =>
        books.Find(id) is not null && DaybookApi.PatternOf(daybook, id, hash) is { } pattern
            ? Csv.File("executions", format, samples.Samples(pattern.Id).Select(SampleView.Of).ToList(), Csv.Samples)
            : DaybookApi.Nothing("statement");
}
