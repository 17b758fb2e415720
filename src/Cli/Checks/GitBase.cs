using System.ComponentModel;
using System.Diagnostics;
using System.Text;
using SwiftLedger.Core.Migrations;

namespace SwiftLedger.Cli.Checks;

/// <summary>What git says is wrong; the message stands for itself.</summary>
internal sealed class GitException(string message) : Exception(message);

/// <summary>The state of a repository from which a branch began, read by the git program.</summary>
/// <param name="Reference">As the user calls it.</param>
/// <param name="Commit">Where this branch and that one part; the reference's own where that is not known.</param>
/// <param name="Tip">The reference's own.</param>
/// <param name="Note">What has to be known; null for nothing.</param>
internal sealed record GitBase(string Reference, string Commit, string Tip, string? Note)
{
    private const int NotThere = 128;

    /// <param name="folder">Inside the repository.</param>
    /// <param name="reference">A branch, a tag or a commit.</param>
    /// <exception cref="GitException">There is no git, no repository or no such reference.</exception>
    public static GitBase Find(string folder, string reference)
    {
        string tip = Asked(folder, $"The base '{reference}' cannot be found in this repository", "rev-parse", "--verify", "--quiet", "--end-of-options", reference + "^{commit}").Trim();
        (int exit, string parted, _) = Run(folder, "merge-base", tip, "HEAD");
        return exit == 0
            ? new(reference, parted.Trim(), tip, null)
            : new(reference, tip, tip, $"Where this branch and '{reference}' part is not known, as in a clone of a few commits: the base is '{reference}' as it is now.");
    }

    /// <summary>What is checked, as git knows it.</summary>
    /// <param name="folder">Perhaps inside a repository.</param>
    /// <param name="paths">That are looked at.</param>
    /// <returns>Nulls where there is no git or no repository, or nothing is committed or on a branch.</returns>
    public static (string? Branch, string? Commit, bool Uncommitted) HeadOf(string folder, IEnumerable<string> paths)
    {
        try
        {
            (int exit, string commit, _) = Run(folder, "rev-parse", "--verify", "--quiet", "HEAD");
            if (exit != 0)
            {
                return (null, null, false);
            }

            (_, string branch, _) = Run(folder, "symbolic-ref", "--quiet", "--short", "HEAD");
            (_, string altered, _) = Run(folder, ["status", "--porcelain", "--", .. paths.Select(Path.GetFullPath)]);
            return (branch.Trim() is { Length: > 0 } named ? named : null, commit.Trim(), altered.Length > 0);
        }
        catch (GitException)
        {
            return (null, null, false);
        }
    }

    /// <summary>A file of the base; null where the base has none.</summary>
    /// <param name="path">Of the file as it is now.</param>
    /// <exception cref="GitException">It cannot be read.</exception>
    public string? Read(string path)
    {
        string full = Path.GetFullPath(path);
        return Show(Path.GetDirectoryName(full)!, Commit, $"./{Path.GetFileName(full)}");
    }

    /// <summary>The SQL files of a folder in the base.</summary>
    /// <param name="folder">As it is now.</param>
    /// <param name="tip">Whether of the reference as it is now, and without their texts.</param>
    /// <exception cref="GitException">They cannot be read.</exception>
    public IReadOnlyList<SourceFile> ReadFolder(string folder, bool tip)
    {
        string commit = tip ? Tip : Commit;
        string[] paths = Asked(folder, "The base's files cannot be listed", "ls-tree", "-r", "-z", "--name-only", commit, "--", ".").Split('\0', StringSplitOptions.RemoveEmptyEntries);
        return [.. paths.Where(p => p.EndsWith(".sql", StringComparison.OrdinalIgnoreCase)).Select(p => new SourceFile(p, tip ? "" : Show(folder, commit, $"./{p}") ?? ""))];
    }

    private static string? Show(string folder, string commit, string path)
    {
        (int exit, string text, string error) = Run(folder, "show", $"{commit}:{path}");
        bool missing = exit == NotThere && (error.Contains("does not exist in", StringComparison.Ordinal) || error.Contains("exists on disk, but not in", StringComparison.Ordinal));
        return exit == 0 ? text.TrimStart('\uFEFF')
            : missing ? null
            : throw new GitException($"'{path}' of the base cannot be read: {First(error)}");
    }

    private static string Asked(string folder, string failed, params string[] arguments)
    {
        (int exit, string text, string error) = Run(folder, arguments);
        return exit == 0 ? text : throw new GitException($"{failed}{(First(error) is { Length: > 0 } said ? $": {said}" : ".")}");
    }

    private static string First(string error) => error.Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).FirstOrDefault() ?? "";

    private static (int Exit, string Text, string Error) Run(string folder, params string[] arguments)
    {
        var start = new ProcessStartInfo("git", ["--no-pager", .. arguments])
        {
            WorkingDirectory = folder,
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            StandardOutputEncoding = new UTF8Encoding(false),
        };

        // Its words are read here; it neither asks anybody nor takes a lock.
        (start.Environment["LC_ALL"], start.Environment["GIT_TERMINAL_PROMPT"], start.Environment["GIT_OPTIONAL_LOCKS"]) = ("C", "0", "0");
        try
        {
            using Process git = Process.Start(start)!;
            git.StandardInput.Close();
            Task<string> error = git.StandardError.ReadToEndAsync();
            string text = git.StandardOutput.ReadToEnd();
            git.WaitForExit();
            return (git.ExitCode, text, error.Result);
        }
        catch (Win32Exception)
        {
            throw new GitException("The base is read by the git program, which was not found.");
        }
    }
}
