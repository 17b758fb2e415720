using System.Globalization;
using System.Text.RegularExpressions;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Demo;

/// <summary>One of the demo's changes.</summary>
/// <param name="Title">The first comment line of its file.</param>
/// <param name="Note">The comment lines after that: what it teaches.</param>
public sealed record DemoChange(string FileName, string Title, string Note, string Text);

/// <summary>One of the demo's loads.</summary>
/// <param name="FileName">Of the load.</param>
/// <param name="Title">The first comment line of its file.</param>
/// <param name="Note">The comment line after that: what it teaches.</param>
/// <param name="Text">The load.</param>
/// <param name="Change">What is rehearsed; empty where the load itself differs between the sides.</param>
/// <param name="Journal">The journal mode that it is sent in, of a file; null on a server.</param>
public sealed record DemoLoad(string FileName, string Title, string Note, string Text, string Change, string? Journal);

/// <summary>Morrow Range Huts: an invented walkers' association with its database, its day's statements and a dozen changes.</summary>
/// <param name="Loads">What is sent to it with many sessions at once.</param>
/// <param name="Captures">Files of two weeks of captured work, one for each instance of the application.</param>
public sealed partial record DemoScenario(string DatabasePath, string Workload, IReadOnlyList<DemoChange> Changes, IReadOnlyList<DemoLoad> Loads, IReadOnlyList<string> Captures)
{
    public const string BookName = "Morrow Range Huts";

    // With fewer calls even the tidy-up of the two weeks could not be told from chance.
    private const double LeastCaptureScale = 0.25;

    /// <summary>Makes the scenario in a folder, or takes it from there when it was made before.</summary>
    /// <param name="scale">1 for the demo, 0.05 for tests.</param>
    public static DemoScenario MakeIn(string folder, double scale = 1)
    {
        Directory.CreateDirectory(folder);
        string database = Path.Combine(folder, "huts.db"), captures = Path.Combine(folder, "captures");
        string workload = Resource("workload.sql");
        List<string> files = HutsCaptures.Instances.Select(i => Path.Combine(captures, i + ".jsonl")).ToList();
        Parallel.Invoke(
            () =>
            {
                if (!File.Exists(database))
                {
                    string partial = database + ".partial";
                    File.Delete(partial);
                    new HutsGenerator(scale).Write(partial);
                    File.Move(partial, database);
                }
            },
            () =>
            {
                if (!files.All(File.Exists))
                {
                    new HutsCaptures(Math.Max(scale, LeastCaptureScale)).Write(captures, WorkloadFile.Parse(workload, SqliteEngine.Engine.Dialect).Value.WithoutUnits());
                }
            });
        List<DemoChange> changes = ReadChanges(database);
        Directory.CreateDirectory(Path.Combine(folder, "changes"));
        File.WriteAllText(Path.Combine(folder, "workload.sql"), workload);
        foreach (DemoChange change in changes)
        {
            File.WriteAllText(Path.Combine(folder, "changes", change.FileName), change.Text);
        }

        List<DemoLoad> loads = [.. ReadLoads(changes)];
        Directory.CreateDirectory(Path.Combine(folder, "loads"));
        loads.ForEach(l => File.WriteAllText(Path.Combine(folder, "loads", l.FileName), l.Text));
        WriteGate(Path.Combine(folder, "gate"));
        return new(database, workload, changes, loads, files);
    }

    /// <summary>What a repository of the application holds: numbered migrations, its statements with their budgets, rules of the house, what two branches add, and what tests of a page sent before and after it was rewritten.</summary>
    private static void WriteGate(string folder)
    {
        (string Path, string Resource)[] files =
        [
            ("migrations/0001_huts.sql", "schema.sql"), ("migrations/0002_indexes.sql", "indexes.sql"),
            .. typeof(DemoScenario).Assembly.GetManifestResourceNames().Where(n => n.StartsWith("gate/", StringComparison.Ordinal)).Select(n => (n["gate/".Length..], n)),
        ];
        foreach ((string path, string resource) in files)
        {
            string target = Path.Combine(folder, path);
            Directory.CreateDirectory(Path.GetDirectoryName(target)!);
            File.WriteAllText(target, Resource(resource));
        }
    }

    internal static string Resource(string name)
    {
        using Stream stream = typeof(DemoScenario).Assembly.GetManifestResourceStream(name)
            ?? throw new InvalidOperationException($"The demo's {name} is missing from the build.");
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }

    private static List<DemoChange> ReadChanges(string database)
    {
        using var connection = new SqliteConnection($"Data Source={database};Mode=ReadOnly;Pooling=False");
        connection.Open();
        return typeof(DemoScenario).Assembly.GetManifestResourceNames()
            .Where(n => n.StartsWith("changes/", StringComparison.Ordinal)).Order(StringComparer.Ordinal)
            .Select(n => ReadChange(Path.GetFileName(n), KeyMark().Replace(Resource(n), m => KeyAt(connection, m.Groups[1].Value))))
            .ToList();
    }

    private static IEnumerable<DemoLoad> ReadLoads(List<DemoChange> changes)
    {
        foreach (string name in typeof(DemoScenario).Assembly.GetManifestResourceNames().Where(n => n.StartsWith("loads/", StringComparison.Ordinal)).Order(StringComparer.Ordinal))
        {
            string text = Resource(name);
            string[] comments = [.. text.Split('\n').TakeWhile(l => l.StartsWith("-- ", StringComparison.Ordinal)).Select(l => l[3..].Trim())];
            bool rush = name.Contains("evening-rush", StringComparison.Ordinal);
            yield return new(Path.GetFileName(name), comments[0], string.Join(' ', comments.Skip(1)), text, rush ? changes.First(c => c.FileName.Contains("stored-counter", StringComparison.Ordinal)).Text : "", "wal");
        }
    }

    private static DemoChange ReadChange(string fileName, string text)
    {
        string[] comments = text.Split('\n').TakeWhile(l => l.StartsWith("-- ", StringComparison.Ordinal) && !l.StartsWith("-- rewrite:", StringComparison.Ordinal))
            .Select(l => l[3..].Trim()).ToArray();
        return new(fileName, comments[0], string.Join(' ', comments.Skip(1)), text);
    }

    /// <summary>The key of the row that a page behind so many rows follows.</summary>
    private static string KeyAt(SqliteConnection connection, string skip)
    {
        using SqliteCommand command = connection.CreateCommand();
        command.CommandText = "SELECT created_at, id FROM booking ORDER BY created_at DESC, id DESC LIMIT 1 OFFSET $skip";
        command.Parameters.AddWithValue("$skip", int.Parse(skip, CultureInfo.InvariantCulture) - 1);
        using SqliteDataReader reader = command.ExecuteReader();
        return reader.Read() ? $"created='{reader.GetString(0)}', last={reader.GetInt64(1)}" : "created='', last=0";
    }

    [GeneratedRegex(@"\{\{key (\d+)\}\}")]
    private static partial Regex KeyMark();
}
