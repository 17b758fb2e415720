using SwiftLedger.Bench;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Subjects;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Subjects.Sqlite;

namespace SwiftLedger.Web;

/// <summary>Everything that can be found wrong with a trial before it is queued.</summary>
internal static class TrialChecks
{
    /// <summary>Longest workload or change, in UTF-16 code units.</summary>
    public const int LongestText = 4 << 20;

    /// <param name="checker">Shows statements to the engine's parser.</param>
    public static (TrialBrief Brief, IReadOnlyList<InputProblem> Problems) Check(string workload, string change, TrialOptions options, string? subject, CheckProcess checker)
    {
        var problems = new List<InputProblem>();
        foreach ((InputPart part, string text) in new[] { (InputPart.Workload, workload), (InputPart.Change, change) })
        {
            if (text.Length > LongestText)
            {
                problems.Add(new(part, null, $"This text is longer than {LongestText >> 20} MiB. Split it into several trials."));
            }
        }

        if (problems.Count > 0)
        {
            return (new(Workload.Empty, Change.Nothing, options, []), problems);
        }

        Parsed<TrialBrief> read = TrialBrief.Read(workload, change, options);
        problems.AddRange(read.Problems);
        if (options.Dialect == SqlDialect.Sqlite)
        {
            // A server's own parser is asked when the trial runs: nothing here connects to it.
            AddSyntax(workload, change, read.Value, problems, checker);
        }

        AddOptions(options, problems);
        if (subject is not null && SubjectProblem(subject) is { } problem)
        {
            problems.Add(problem);
        }
        else if (subject is not null && options.Dialect == SqlDialect.PostgreSql && PostgresSubject.NotExpendable(subject, options.Sides, options.Expendable) is { } protest)
        {
            problems.Add(new(InputPart.Subject, null, protest.Replace(" (--expendable)", "", StringComparison.Ordinal)));
        }

        if (options is { Dialect: SqlDialect.PostgreSql, OtherAddress: { } other }
            && (SubjectAddress.IsPostgres(other) ? SubjectProblem(other) : new(InputPart.Subject, null, "The second database is named as postgresql://user@host/database.")) is { } wrong)
        {
            problems.Add(wrong);
        }

        return (read.Value, problems);
    }

    public static InputProblem? SubjectProblem(string path)
    {
        try
        {
            if (SubjectAddress.IsPostgres(path))
            {
                PostgresSubject.CheckAddress(path);
                return null;
            }

            SqliteSubject.Look(path);
            return null;
        }
        catch (SubjectException e)
        {
            return e.Problem;
        }
    }

    private static void AddSyntax(string workload, string change, TrialBrief brief, List<InputProblem> problems, CheckProcess checker)
    {
        if (problems.Any(p => p.Part is InputPart.Workload && p.Message.StartsWith("Statement", StringComparison.Ordinal)))
        {
            return;
        }

        (InputPart Part, string Text, int Number, string Sql, TextSpan Body)[] texts =
        [
            .. brief.Workload.Statements.Select(s => (InputPart.Workload, workload, s.Number, s.Sql, s.Body)),
            .. brief.Change.Rewrites.Select(r => (InputPart.Change, change, r.Number, r.Sql, r.Body)),
        ];
        foreach (ParserComplaint found in checker.Check([.. texts.Select(t => t.Sql)]))
        {
            (InputPart part, string text, int number, _, TextSpan body) = texts[found.Statement];
            problems.Add(InputProblem.At(part, text, new(body.Start + Math.Min(found.Offset ?? 0, body.Length), 1), $"Statement {number}: {found.Message}."));
        }
    }

    private static void AddOptions(TrialOptions o, List<InputProblem> problems)
    {
        string? wrong = o.Tolerance is not (> 0 and <= 10) ? "The tolerance is a percentage above 0."
            : o.StatementSeconds is not (> 0 and <= 86_400) ? "The time limit of one execution is a number of seconds above 0."
            : o.ChangeSeconds is not (null or (> 0 and <= 604_800)) ? "The change's time limit is a number of seconds above 0, at most a week."
            : o.ChangeGigabytes is not (null or (> 0 and <= 1e6)) ? "The change's limit of disk is a number of gigabytes above 0."
            : o.MostGigabytes is not (> 0 and <= 1e6) ? "The size of a database that is copied is a number of gigabytes above 0."
            : o.MostMegabytes is not (>= MemoryShares.Least and <= 1 << 20) ? $"A trial's memory is at least {MemoryShares.Least} megabytes."
            : DumpContents.ProblemOf(o.Dump, o.Sides, o.Dialect) is { } dump ? dump
            : o.MaxSeconds is not (null or (> 0 and <= 1e9)) ? "The measuring time is a number of seconds above 0, or empty for no bound."
            : null;
        if (wrong is not null)
        {
            problems.Add(new(InputPart.Options, null, wrong));
        }
    }
}
