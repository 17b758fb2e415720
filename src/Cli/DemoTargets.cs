using System.CommandLine;
using SwiftLedger.Demo;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli;

/// <summary>A database on a server that the demo was filled into.</summary>
internal sealed record FilledDemo(IDemoServer Server, string Address, string Connection, DemoScenario Scenario);

/// <summary>The options by which databases on servers are filled with the demo, one for each kind of server.</summary>
internal static class DemoTargets
{
    private static readonly IReadOnlyList<(IDemoServer Server, Option<string?> Option)> Known =
        [.. DemoServers.All.Select(s => (s, new Option<string?>("--" + s.Option) { Description = $"Fill this empty {s.Engine.Name} database with the demo as well: {s.Engine.Addresses!.Form}." }))];

    public static IEnumerable<Option> Options => Known.Select(k => k.Option);

    /// <returns>What was filled, null where none was asked for; or false where one could not be filled, which is told.</returns>
    public static (bool Good, FilledDemo? Filled) Fill(ParseResult parsed, Func<DemoScenario> scenario)
    {
        foreach ((IDemoServer server, Option<string?> option) in Known)
        {
            if (parsed.GetValue(option) is not { } address)
            {
                continue;
            }

            string? problem;
            string connection = "";
            try
            {
                connection = SubjectEngines.Of(server.Engine).Server!.ConnectionStringOf(address);
                problem = server.Fill(scenario(), connection);
            }
            catch (SubjectException e)
            {
                problem = e.Problem.Message;
            }

            if (problem is not null)
            {
                Console.Error.WriteLine(problem);
                return (false, null);
            }

            return (true, new(server, address, connection, server.Scenario(scenario())));
        }

        return (true, null);
    }
}
