using System.Globalization;
using System.Numerics;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Migrations;

/// <summary>A migration of a folder.</summary>
/// <param name="Number">What orders it: the number that its name begins with, in its parts.</param>
/// <param name="File">Its SQL.</param>
public sealed record Migration(IReadOnlyList<BigInteger> Number, SourceFile File)
{
    /// <summary>The number as people write it.</summary>
    public string Shown => string.Join('.', Number);
}

/// <summary>Something about a migration that has to be known.</summary>
/// <param name="Path">Of the file, or of the folder.</param>
/// <param name="Message">What is the case, in a sentence or two.</param>
public sealed record MigrationNote(string Path, string Message);

/// <summary>Numbered migrations in their order: <c>0001_rooms.sql</c>, <c>0002_index.sql</c>, or a folder for each.</summary>
/// <param name="Migrations">By their numbers.</param>
/// <param name="Notes">Gaps, and files that are left aside.</param>
public sealed partial record MigrationFolder(IReadOnlyList<Migration> Migrations, IReadOnlyList<MigrationNote> Notes)
{
    /// <summary>A larger number is a point in time: nothing is missing between two of those.</summary>
    private const int MostCounted = 100_000;

    /// <summary>What several programs put behind the name of what takes a migration back, or call it in the migration's own folder.</summary>
    private static readonly string[] Reverse = ["down.sql", "undo.sql", "rollback.sql", "revert.sql"];

    /// <summary>Reads a folder.</summary>
    /// <param name="files">By their paths below the folder, parted by '/'; those that are no SQL are left aside.</param>
    /// <param name="folder">As its reader calls it: stands before the paths in messages.</param>
    /// <returns>The migrations; or of two with one number, which cannot be ordered, what to do.</returns>
    public static (MigrationFolder Folder, IReadOnlyList<MigrationNote> Problems) Read(IEnumerable<SourceFile> files, string folder)
    {
        var notes = new List<MigrationNote>();
        var all = new List<Migration>();
        foreach (SourceFile file in files.Where(f => f.Path.EndsWith(".sql", StringComparison.OrdinalIgnoreCase)).OrderBy(f => f.Path, StringComparer.Ordinal))
        {
            SourceFile named = file with { Path = $"{folder.TrimEnd('/')}/{file.Path}" };
            if (Reverse.Any(r => file.Path.EndsWith('.' + r, StringComparison.OrdinalIgnoreCase) || file.Path.EndsWith('/' + r, StringComparison.OrdinalIgnoreCase)))
            {
                continue;
            }

            if (NumberOf(file.Path) is { } number)
            {
                all.Add(new(number, named));
            }
            else
            {
                notes.Add(new(named.Path, "Its name begins with no number: it is left aside."));
            }
        }

        all.Sort((a, b) => Compare(a.Number, b.Number));
        MigrationNote[] problems = [.. all.Zip(all.Skip(1)).Where(p => Compare(p.First.Number, p.Second.Number) == 0)
            .Select(p => new MigrationNote(p.Second.File.Path, $"It has the number {p.Second.Shown}, as {p.First.File.Path} has: which of them runs first cannot be told. Give one of them another number."))];
        if (all.All(m => m.Number.Count == 1 && m.Number[0] < MostCounted))
        {
            notes.AddRange(all.Zip(all.Skip(1)).Where(p => p.Second.Number[0] - p.First.Number[0] > 1).Select(p => new MigrationNote(p.Second.File.Path,
                p.Second.Number[0] - p.First.Number[0] == 2 ? $"Number {p.First.Number[0] + 1} is missing before it." : $"Numbers {p.First.Number[0] + 1} to {p.Second.Number[0] - 1} are missing before it.")));
        }

        return (new(all, notes), problems);
    }

    /// <summary>The order of two numbers: part by part, and what has fewer parts first.</summary>
    internal static int Compare(IReadOnlyList<BigInteger> a, IReadOnlyList<BigInteger> b)
    {
        int parted = a.Zip(b).Select(p => p.First.CompareTo(p.Second)).FirstOrDefault(c => c != 0);
        return parted != 0 ? parted : a.Count.CompareTo(b.Count);
    }

    private static BigInteger[]? NumberOf(string path)
    {
        Match match = NumberForm().Match(path);
        return match.Success ? [.. match.Groups["number"].Value.Split('.', '_').Select(n => BigInteger.Parse(n, NumberStyles.None, CultureInfo.InvariantCulture))] : null;
    }

    /// <summary>Up to two letters, digits, and further parts behind points or, where no word begins with them, underscores.</summary>
    [GeneratedRegex(@"^[A-Za-z]{0,2}(?<number>[0-9]+(\.[0-9]+)*(_[0-9]+(?![0-9A-Za-z]))*)", RegexOptions.CultureInvariant)]
    private static partial Regex NumberForm();
}

/// <summary>What a folder of migrations holds that a base does not: the change.</summary>
/// <param name="New">In their order.</param>
/// <param name="Problems">What must not be: a migration that the base has is another one here, or is gone.</param>
/// <param name="Notes">What has to be known besides.</param>
public sealed record NewMigrations(IReadOnlyList<Migration> New, IReadOnlyList<MigrationNote> Problems, IReadOnlyList<MigrationNote> Notes)
{
    /// <summary>Holds a folder against its base.</summary>
    /// <param name="now">The folder.</param>
    /// <param name="then">The same folder in the base, with the same path before its files.</param>
    /// <param name="dialect">Of the migrations: comments and layout may differ.</param>
    public static NewMigrations Between(MigrationFolder now, MigrationFolder then, SqlDialect dialect)
    {
        var added = new List<Migration>();
        var problems = new List<MigrationNote>();
        var notes = new List<MigrationNote>();
        Migration? Find(MigrationFolder folder, Migration asked) => folder.Migrations.FirstOrDefault(m => MigrationFolder.Compare(m.Number, asked.Number) == 0);
        foreach (Migration migration in now.Migrations)
        {
            if (Find(then, migration) is not { } same)
            {
                added.Add(migration);
                if (then.Migrations is [.., var last] && MigrationFolder.Compare(migration.Number, last.Number) < 0)
                {
                    notes.Add(new(migration.File.Path, $"It comes before {last.File.Path}, which the base has: where that ran already, this one runs behind it, and so it does here."));
                }
            }
            else if (!SameStatements.Are(migration.File.Text, same.File.Text, dialect))
            {
                problems.Add(new(migration.File.Path, $"The base has this migration ({same.File.Path}) with other statements: where it ran already, this text never will. Write a new one behind it."));
            }
        }

        problems.AddRange(then.Migrations.Where(m => Find(now, m) is null).Select(m => new MigrationNote(m.File.Path, "The base has this migration, and it is gone here: what it did stays done.")));
        return new(added, problems, notes);
    }

    /// <summary>The new migrations one behind the other.</summary>
    public ComposedText Compose()
    {
        var text = new ComposedText();
        foreach (Migration migration in New)
        {
            // A last statement may lack its semicolon; a second one ends nothing.
            text.Add(migration.File, new TextSpan(0, migration.File.Text.Length)).Add(migration.File, "\n;\n", migration.File.Text.Length);
        }

        return text;
    }
}
