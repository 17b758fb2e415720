using System.CommandLine;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Likenesses;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Wording;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli;

/// <summary><c>swift-ledger export-statistics</c>: a database without its rows, for checks where its rows may not go.</summary>
internal static class ExportStatisticsCommand
{
    private static readonly Option<string> Subject = new("--subject") { Description = $"The database: {string.Join(", or ", KnownEngines.Subjects.Select(e => e.Addresses!.Form))}. It is only read.", Required = true };
    private static readonly Option<string> To = new("--to") { Description = "The file to write, made to be kept beside the SQL: check --made-from makes a database from it.", Required = true };
    private static readonly Option<string[]> Workload = new("--workload") { Description = "Statements whose values may stand in the file as they are; may be given several times. Words that no statement and no definition names are left out.", Arity = ArgumentArity.ZeroOrMore };

    public static Command Build()
    {
        var command = new Command("export-statistics", "Write a database's schema and statistics to a file, and none of its rows.") { Subject, To, Workload };
        command.SetAction(RunAsync);
        return command;
    }

    private static async Task<int> RunAsync(ParseResult parsed, CancellationToken stop)
    {
        string subject = parsed.GetValue(Subject)!, to = parsed.GetValue(To)!;
        Engine engine = KnownEngines.OfSubject(subject);
        var named = new NamedValues();
        foreach (string path in parsed.GetValue(Workload) ?? [])
        {
            if (CommandFiles.Read(path, "workload") is not { } text)
            {
                return ExitCode.BadInput;
            }

            Parsed<Workload> workload = WorkloadFile.Parse(text, engine.Dialect);
            if (!workload.IsGood)
            {
                return CommandFiles.Refuse(string.Join('\n', workload.Problems.Select(p => p.Describe(path))));
            }

            foreach (WorkloadStatement statement in workload.Value.Statements)
            {
                named.AddLiterals(statement.Sql, engine.Dialect);
                foreach (SqlValue value in statement.Cases.SelectMany(c => c.Bindings).Select(b => b.Value))
                {
                    named.Add(value);
                }
            }
        }

        using var progress = new TerminalProgress();
        return await CommandFiles.MeasuredAsync(progress, () => Task.FromResult(Export(engine, subject, to, named, progress, stop)));
    }

    private static int Export(Engine engine, string subject, string to, NamedValues named, TerminalProgress progress, CancellationToken stop)
    {
        Likeness likeness;
        try
        {
            likeness = SubjectEngines.Of(engine).ReadLikeness(KnownEngines.IsServer(subject) ? subject : Path.GetFullPath(subject), named, progress.Show, stop);
        }
        catch (Exception e) when (e is EngineException or SubjectException)
        {
            progress.Clear();
            return CommandFiles.Refuse(e.Message);
        }

        progress.Clear();
        if (!CommandFiles.Write((to, () => LikenessFile.Write(likeness))))
        {
            return ExitCode.NotMeasured;
        }

        CommonValue[] words = [.. likeness.Tables.SelectMany(t => t.Columns).Where(c => c.Kind is ValueKind.Text or ValueKind.Other).SelectMany(c => c.Common)];
        int told = words.Count(w => w.Value is not null);
        Console.WriteLine($"{to}: {Figures.Count(likeness.Tables.Count)} {(likeness.Tables.Count == 1 ? "table" : "tables")}, {Figures.Count(likeness.Tables.Sum(t => t.Rows))} rows. Words of rows in it: {Figures.Count(told)}, which the schema or a workload names. Of {Figures.Count(words.Length - told)} more it tells how often they come.");
        foreach (string note in likeness.Notes)
        {
            Console.WriteLine($"note: {note}");
        }

        return ExitCode.Good;
    }
}
