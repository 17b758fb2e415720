using System.CommandLine;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Wording;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger look</c>: what can be tested on a server, and what an administrator would have to grant.</summary>
internal static class LookCommand
{
    private static readonly Option<string> Subject = new("--subject") { Description = $"{KnownEngines.FormsOfServers}; nothing is written.", Required = true };

    public static Command Build()
    {
        var command = new Command("look", "Look at a database on a server: which trials work with these rights, and what is missing for the others.") { Subject };
        command.SetAction(Run);
        return command;
    }

    private static int Run(ParseResult parsed)
    {
        string subject = parsed.GetValue(Subject)!;
        ISubjectEngine engine = SubjectEngines.OfSubject(subject);
        if (engine.Server is not { } server)
        {
            Console.Error.WriteLine($"This is no connection string. Write {KnownEngines.FormsOfServers}.");
            return ExitCode.BadInput;
        }

        try
        {
            ServerLook look = server.LookAt(subject);
            Console.WriteLine($"{engine.Engine.Name} {look.Version}, {Figures.Three(look.Bytes / (double)(1 << 20))} MiB, as {look.User}; {look.OtherSessions} other sessions; extensions: {string.Join(", ", look.Extensions)}");
            foreach (SidesOffered way in look.Sides)
            {
                Console.WriteLine($"\n{(way.Works ? "works" : way.Elsewhere ? "works with the copies on another server (--copies-on)" : "does not")}  --sides {SidesNames.Of(way.Sides)}\n    {way.Shows}");
                foreach (string line in new[] { way.Lacks, way.Grant }.Where(l => l.Length > 0))
                {
                    Console.WriteLine($"    {line}");
                }
            }

            foreach (string note in look.Notes)
            {
                Console.WriteLine($"\n{note}");
            }

            return ExitCode.Good;
        }
        catch (SubjectException e)
        {
            Console.Error.WriteLine(e.Problem.Message);
            return ExitCode.BadInput;
        }
    }
}
