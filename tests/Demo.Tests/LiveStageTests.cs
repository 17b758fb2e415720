using System.Data.Common;
using System.Globalization;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Demo.Live;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Demo.Tests;

/// <summary>What goes wrong in the live demo really does, by each engine's own planner, and what is kept and mended is.</summary>
public sealed class LiveStageTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private PostgresServer? _server;

    public static TheoryData<string> Engines => [.. LiveStages.All.Select(s => s.Engine.Id)];

    public void Dispose()
    {
        _server?.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    [Theory]
    [MemberData(nameof(Engines))]
    public void A_version_turns_the_plan_a_text_keeps_it_and_a_fix_mends_it(string engine)
    {
        ILiveStage stage = LiveStages.Of(engine);
        LiveStory story = stage.Story;
        Workload workload = WorkloadFile.Parse(stage.Workload, stage.Engine.Dialect).Value;
        WorkloadStatement statement = workload.Statements.First(s => s.Name == story.Statement);
        using DbConnection connection = stage.Open(stage.Prepare(DemoOf(stage), DateTime.UtcNow).Connection);
        var random = new Random(4_711);
        var draw = new HutsValues(connection, random);
        List<List<(string, object)>> cases = [.. Enumerable.Range(0, 40).Select(_ => statement.Parameters.Select(k => (k, draw.Of(k))).ToList())];
        List<string> Plans(string sql) => [.. cases.Select(c => Plan(stage, connection, sql, c))];

        List<string> begun = Plans(statement.Sql);
        foreach (List<(string, object)> values in cases)
        {
            Rows(stage, connection, story.Held, values).ShouldBe(Rows(stage, connection, statement.Sql, values));
        }

        Apply(stage, workload, connection, story.Before.Script);
        List<string> turned = Plans(statement.Sql);
        turned.Zip(begun).Count(p => p.First != p.Second).ShouldBe(cases.Count, "Every call has another plan.");
        Plans(story.Held).Intersect(turned).ShouldBeEmpty("The held text does not go that way.");

        Apply(stage, workload, connection, story.Fix);
        Plans(statement.Sql).Zip(turned).ShouldAllBe(p => p.First != p.Second, "None is left as it went bad.");
    }

    [Theory]
    [MemberData(nameof(Engines))]
    public void A_start_removes_what_earlier_ones_made_and_leaves_what_somebody_is_connected_to(string engine)
    {
        ILiveStage stage = LiveStages.Of(engine);
        LivePlace demo = DemoOf(stage);
        DateTime now = new(2026, 7, 18, 6, 0, 0, DateTimeKind.Utc);
        LivePlace first = stage.Prepare(demo, now), second;
        using (stage.Open(first.Connection))
        {
            second = stage.Prepare(demo, now.AddSeconds(1));
            stage.Open(second.Connection).Dispose();
        }

        LivePlace third = stage.Prepare(demo, now.AddSeconds(2));
        Exists(stage, first).ShouldBeFalse();
        Exists(stage, second).ShouldBeFalse();
        Exists(stage, third).ShouldBeTrue();
        new[] { first, second, third }.ShouldAllBe(p => stage.IsMade(p.Address, demo));
        stage.IsMade(demo.Address, demo).ShouldBeFalse();
        KnownEngines.OfSubject(third.Address).ShouldBe(stage.Engine);
    }

    private LivePlace DemoOf(ILiveStage stage)
    {
        DemoScenario huts = DemoScenario.MakeIn(_folder, 0.25);
        if (DemoServers.All.FirstOrDefault(s => s.Engine == stage.Engine) is not { } kind)
        {
            return new(huts.DatabasePath, huts.DatabasePath);
        }

        _server = new PostgresServer("fsync = off");
        _server.Sql("postgres", "CREATE DATABASE huts");
        string connection = _server.Connection("huts");
        kind.Fill(huts, connection).ShouldBeNull();
        return new(string.Create(CultureInfo.InvariantCulture, $"postgresql://postgres@127.0.0.1:{_server.Port}/huts"), connection);
    }

    private static bool Exists(ILiveStage stage, LivePlace place)
    {
        if (!stage.Engine.Addresses!.AreOfServers)
        {
            return File.Exists(place.Connection);
        }

        try
        {
            stage.Open(place.Connection).Dispose();
            return true;
        }
        catch (DbException)
        {
            return false;
        }
    }

    private static void Apply(ILiveStage stage, Workload workload, DbConnection connection, string script)
    {
        foreach (ChangeStep step in ChangeFile.Parse(script, workload, stage.Engine.Dialect).Value.Steps)
        {
            using DbCommand command = connection.CreateCommand();
            command.CommandText = step.Sql;
            command.ExecuteNonQuery();
        }
    }

    private static string Plan(ILiveStage stage, DbConnection connection, string sql, List<(string, object)> values)
    {
        using DbCommand command = stage.Command(connection, stage.Explaining(sql), values);
        using DbDataReader reader = command.ExecuteReader();
        (Core.Plans.Plan? plan, string? problem) = stage.Engine.Plans!.Read(stage.PlanOf(reader));
        problem.ShouldBeNull();
        return plan!.Shape;
    }

    private static List<string> Rows(ILiveStage stage, DbConnection connection, string sql, List<(string, object)> values)
    {
        using DbCommand command = stage.Command(connection, sql, values);
        using DbDataReader reader = command.ExecuteReader();
        var rows = new List<string>();
        while (reader.Read())
        {
            rows.Add(string.Join('|', Enumerable.Range(0, reader.FieldCount).Select(reader.GetValue)));
        }

        return [.. rows.Order(StringComparer.Ordinal)];
    }
}
