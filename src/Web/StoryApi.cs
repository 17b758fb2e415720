using Microsoft.AspNetCore.Http.HttpResults;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Trials;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>A deployment that moved a statement.</summary>
/// <param name="Regressed">Whether it got dearer; else cheaper.</param>
/// <param name="Ratio">Since / before.</param>
/// <param name="MsBefore">What a call took on average.</param>
/// <param name="MsAfter">Likewise since.</param>
/// <param name="Entry">Of the ledger, which it brought; null for none.</param>
public sealed record StoryRow(DeploymentView Deployment, bool Regressed, double Ratio, double MsBefore, double MsAfter, int? Entry, string Message);

/// <param name="Rows">In order of time; none where fewer than two deployments moved it.</param>
/// <param name="Balance">What remains of all of them; null likewise, and where it cannot be told yet.</param>
/// <param name="Sentence">All of it in words; null likewise.</param>
public sealed record StoryPage(IReadOnlyList<StoryRow> Rows, Movement? Balance, string? Sentence);

/// <summary>A statement through several deployments, as one account with its balance.</summary>
internal static class StoryApi
{
    private const int MostDeployments = 20;

    public static void Map(RouteGroupBuilder api) => api.MapGet("/books/{id:long}/statements/{hash}/story", Story);

    private static Results<Ok<StoryPage>, NotFound<ProblemReport>> Story(long id, string hash, DaybookStore daybook, DeploymentStore deployments, Store.EntryStore entries)
    {
        if (DaybookApi.PatternOf(daybook, id, hash) is not { } pattern || daybook.Extent(id) is not { } extent)
        {
            return DaybookApi.Nothing("statement");
        }

        IReadOnlyList<DeploymentRecord> all = deployments.OfBook(id);
        DeploymentRecord[] looked = [.. all.Where(d => d.Minute > extent.From && d.Minute < extent.To).TakeLast(MostDeployments)];
        List<long> sources = [.. daybook.Sources(id).Select(s => s.Id)];
        StoryStep[] steps = [.. looked.Select(d => new StoryStep(d.Name, DeploymentAccount.Held(daybook, sources, d.Minute, DeploymentAccount.Beside(d, all), extent, [(pattern.Id, pattern.Id)]).Sides.Values.Single()))];
        if (PatternStory.Of(steps, Band.OfTolerance(new TrialOptions().Tolerance), pattern.Id) is not { } story)
        {
            return TypedResults.Ok(new StoryPage([], null, null));
        }

        Dictionary<string, int> brought = entries.Read(id).Accounts.Where(a => a.Deployment is not null).GroupBy(a => a.Deployment!.At).ToDictionary(g => g.Key, g => g.First().Begun.Number);
        return TypedResults.Ok(new StoryPage(
            [.. story.Moves.Select(m => new StoryRow(DeploymentView.Of(looked[m.Step]), m.Effect.Movement == Movement.Regressed, m.Ratio, Milliseconds(m.Effect.BeforePerDay, m.Effect.CallsBeforePerDay),
                Milliseconds(m.Effect.AfterPerDay, m.Effect.CallsAfterPerDay), brought.TryGetValue(Iso.Of(looked[m.Step].Time), out int entry) ? entry : null, m.Effect.Message))],
            story.Balance.Movement == Movement.Unsettled ? null : story.Balance.Movement, story.Sentence));
    }

    private static double Milliseconds(double secondsPerDay, double callsPerDay) => callsPerDay > 0 ? 1_000 * secondsPerDay / callsPerDay : 0;
}
