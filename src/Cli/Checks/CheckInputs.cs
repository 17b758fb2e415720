using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Migrations;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Cli.Checks;

/// <summary>What is wrong with what a check was handed in; each line of its message stands for itself.</summary>
internal sealed class CheckInputException(params IReadOnlyList<string> lines) : Exception(string.Join('\n', lines));

/// <summary>Reads what a check looks at, from files and from git.</summary>
internal static class CheckInputs
{
    /// <summary>Reads all of it.</summary>
    /// <param name="asked">By the command line.</param>
    /// <param name="engine">Of the subject.</param>
    /// <exception cref="CheckInputException">Something cannot be read.</exception>
    /// <exception cref="InputTextException">A file cannot be read.</exception>
    /// <exception cref="GitException">The base cannot be read.</exception>
    public static CheckAsked Read(CheckPaths asked, Engine engine)
    {
        SqlDialect dialect = engine.Dialect;
        var file = new SourceFile(asked.Workload, CommandFiles.TextOf(asked.Workload, "workload"));
        Parsed<Workload> workload = WorkloadFile.Parse(file.Text, dialect);
        (HouseRules rules, IReadOnlyList<(SourcePlace Place, string Message)> wrong) = asked.Rules is null ? (HouseRules.None, []) : HouseRules.Read(CommandFiles.TextOf(asked.Rules, "rules"), asked.Rules);
        (IReadOnlyList<CheckException> exceptions, IReadOnlyList<InputProblem> unknown) = CheckException.Of(file.Path, workload.Value);
        string[] lines = [.. workload.Problems.Concat(unknown).Select(p => p.Describe(file.Path)), .. wrong.Select(w => $"{w.Place.Path}, {w.Place.Place}: {w.Message}")];
        if (lines.Length > 0)
        {
            throw new CheckInputException(lines);
        }

        GitBase? git = asked.Base is null ? null : GitBase.Find(Path.GetDirectoryName(Path.GetFullPath(asked.Workload))!, asked.Base);
        var notes = new List<string>(git?.Note is { } note ? [note] : []);
        var items = new List<CheckItem>();
        ComposedText change = ReadChange(asked, git, dialect, items, notes);
        if (git is null)
        {
            return new(file, workload.Value, new ComposedText().Add(file, new(0, file.Text.Length)), change, [], rules, [.. exceptions, .. rules.Exceptions], items, notes);
        }

        string? older = git.Read(asked.Workload);
        Parsed<Workload> then = older is null ? new(Workload.Empty, []) : WorkloadFile.Parse(older, dialect);
        if (older is null || !then.IsGood)
        {
            notes.Add(older is null ? $"The base has no {file.Path}: all of its statements are new." : $"{file.Path} of the base cannot be read ({then.Problems[0].Describe("the base's file")}): all statements are taken as new.");
            then = new(Workload.Empty, []);
        }

        WorkloadSince since = WorkloadSince.Of(file, workload.Value, then.Value, dialect);
        return new(file, workload.Value, since.Before, change.Add(since.Rewrites), since.New, rules, [.. exceptions, .. rules.Exceptions], items, [.. notes, .. since.Notes]);
    }

    private static ComposedText ReadChange(CheckPaths asked, GitBase? git, SqlDialect dialect, List<CheckItem> items, List<string> notes)
    {
        if (asked.Change is null)
        {
            return new();
        }

        if (!Directory.Exists(asked.Change))
        {
            var one = new SourceFile(asked.Change, CommandFiles.TextOf(asked.Change, "change"));
            return new ComposedText().Add(one, new(0, one.Text.Length)).Add(one, "\n;\n", one.Text.Length);
        }

        CheckItem About(MigrationNote n, CheckState state) => new(CheckRules.Migrations, state, new(n.Path, state == CheckState.Broken ? new TextPlace(1, 1) : null), "", "", n.Message);
        MigrationFolder now = Folder(FilesBelow(asked.Change), asked.Change), then = new([], []);
        items.AddRange(now.Notes.Select(n => About(n, CheckState.Noted)));
        if (git is not null)
        {
            then = Folder(git.ReadFolder(asked.Change, tip: false), asked.Change);
        }
        else if (asked.BaseFolder is not null)
        {
            then = Folder(FilesBelow(asked.BaseFolder), asked.Change);
        }

        NewMigrations added = NewMigrations.Between(now, then, dialect);
        items.AddRange(added.Problems.Select(n => About(n, CheckState.Broken)).Concat(added.Notes.Select(n => About(n, CheckState.Noted))));
        if (git is not null)
        {
            // What the base got since this branch began may have taken a number.
            MigrationFolder tip = MigrationFolder.Read(git.ReadFolder(asked.Change, tip: true), asked.Change).Folder;
            items.AddRange(added.New.SelectMany(m => tip.Migrations.Where(t => t.Shown == m.Shown && t.File.Path != m.File.Path).Select(t => About(new(m.File.Path, $"'{git.Reference}' has {t.File.Path} under the number {m.Shown} since this branch began: after a merge two have it."), CheckState.Broken))));
        }

        if (added.New.Count == 0)
        {
            notes.Add($"{asked.Change} holds no migration that the base does not have.");
        }

        ComposedText text = added.Compose();
        if (added.New.Count > 0 && SqlScript.Split(text.Text, dialect).Statements.Count == 0)
        {
            notes.Add("The new migrations hold no statement.");
            return new();
        }

        return text;
    }

    private static MigrationFolder Folder(IEnumerable<SourceFile> files, string folder)
    {
        (MigrationFolder read, IReadOnlyList<MigrationNote> problems) = MigrationFolder.Read(files, folder);
        return problems.Count == 0 ? read : throw new CheckInputException([.. problems.Select(p => $"{p.Path}: {p.Message}")]);
    }

    private static IEnumerable<SourceFile> FilesBelow(string folder)
    {
        try
        {
            return [.. Directory.EnumerateFiles(folder, "*", SearchOption.AllDirectories).Where(f => f.EndsWith(".sql", StringComparison.OrdinalIgnoreCase))
                .Select(f => new SourceFile(Path.GetRelativePath(folder, f).Replace(Path.DirectorySeparatorChar, '/'), CommandFiles.TextOf(f, "migration")))];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CheckInputException($"The folder '{folder}' cannot be read: {e.Message}");
        }
    }
}

/// <summary>What the command line names.</summary>
/// <param name="Workload">A file.</param>
/// <param name="Change">A file, or a folder of numbered migrations; null for none.</param>
/// <param name="Base">A reference of git; null for none.</param>
/// <param name="BaseFolder">The migrations that are there already; null where git tells, or where none are.</param>
/// <param name="Rules">A file of house rules; null for none.</param>
internal sealed record CheckPaths(string Workload, string? Change, string? Base, string? BaseFolder, string? Rules);
