using SwiftLedger.Bench;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Everything that can be found wrong with a trial before it is queued.</summary>
internal static class TrialChecks
{
    /// <param name="checker">Shows statements to the engine's parser.</param>
    public static (TrialBrief Brief, IReadOnlyList<InputProblem> Problems) Check(string workload, string change, TrialOptions options, string? subject, CheckProcess checker)
    {
        var problems = new List<InputProblem>();
        foreach ((InputPart part, string text) in new[] { (InputPart.Workload, workload), (InputPart.Change, change) })
        {
            if (text.Length > TrialLimits.LongestText)
            {
                problems.Add(new(part, null, $"This text is longer than {TrialLimits.LongestText >> 20} MiB. Split it into several trials."));
            }
        }

        if (problems.Count > 0)
        {
            return (new(Workload.Empty, Change.Nothing, options, []), problems);
        }

        Parsed<TrialBrief> read = TrialBrief.Read(workload, change, options);
        problems.AddRange(read.Problems);
        ISubjectEngine engine = SubjectEngines.Of(options.Engine);
        if (engine.Checks is not null)
        {
            // A server's own parser is asked when the trial runs: nothing here connects to it.
            AddSyntax(workload, change, read.Value, problems, checker);
        }

        problems.AddRange(TrialLimits.ProblemsOf(options).Select(p => new InputProblem(InputPart.Options, null, p.Sentence)));
        if (DumpContents.ProblemOf(options.Dump, options.Sides, options.Engine) is { } dump)
        {
            problems.Add(new(InputPart.Options, null, dump));
        }

        if (subject is not null && SubjectEngines.ProblemOf(subject) is { } problem)
        {
            problems.Add(problem);
        }
        else if (subject is not null && engine.ProtestOf(SubjectAccess.Of(subject, options)) is { } protest)
        {
            problems.Add(new(InputPart.Subject, null, protest.Replace(" (--expendable)", "", StringComparison.Ordinal)));
        }

        if (engine.Server is not null && options.OtherAddress is { } other
            && (options.Engine.Addresses!.Owns(other) ? SubjectEngines.ProblemOf(other) : new(InputPart.Subject, null, $"The second database is named as {options.Engine.Addresses.Form}.")) is { } wrong)
        {
            problems.Add(wrong);
        }

        return (read.Value, problems);
    }

    /// <summary>What the workload names that the subject does not have: such lines will fail, and the trial may go on without them.</summary>
    /// <param name="brief">With a workload that is well-formed.</param>
    /// <param name="workload">Its text.</param>
    /// <param name="subject">Its address; a server is not asked before the trial.</param>
    /// <param name="checker">Looks into the subject.</param>
    public static IReadOnlyList<InputProblem> Missing(TrialBrief brief, string workload, string? subject, CheckProcess checker)
    {
        if (string.IsNullOrWhiteSpace(subject) || SubjectEngines.Of(brief.Options.Engine).Checks is null)
        {
            return [];
        }

        List<SentStatement> statements = [.. brief.Workload.Statements.SelectMany(s => s.Sent)];
        return [.. checker.Missing(brief.Options.Engine, subject, [.. statements.Select(s => s.Sql)]).Select(m => (Found: m, Statement: statements[m.Statement]))
            .Select(m => InputProblem.At(InputPart.Workload, workload, Within(m.Statement.Body, m.Found.Offset), $"Statement {m.Statement.Number} will fail: {m.Found.Message}.", m.Statement.Number))];
    }

    private static TextSpan Within(TextSpan body, int? offset) => new(body.Start + Math.Min(offset ?? 0, body.Length), 1);

    private static void AddSyntax(string workload, string change, TrialBrief brief, List<InputProblem> problems, CheckProcess checker)
    {
        if (problems.Any(p => p is { Part: InputPart.Workload, Statement: not null }))
        {
            return;
        }

        IReadOnlyList<(InputPart Part, SentStatement Statement)> sent = brief.Sent;
        foreach (ParserComplaint found in checker.Check(brief.Options.Engine, [.. sent.Select(s => s.Statement.Sql)]))
        {
            (InputPart part, SentStatement statement) = sent[found.Statement];
            problems.Add(InputProblem.At(part, part == InputPart.Workload ? workload : change, Within(statement.Body, found.Offset), $"Statement {statement.Number}: {found.Message}."));
        }
    }
}
