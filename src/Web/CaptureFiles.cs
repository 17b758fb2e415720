using SwiftLedger.Core.Engines;
using SwiftLedger.Store.Captures;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Reads files and folders into a daybook: several of one log in the order of what each form tells, the same statement once.</summary>
public static class CaptureFiles
{
    /// <summary>Standard input, where a path is asked for.</summary>
    public const string StandardInput = "-";

    /// <summary>The files behind paths.</summary>
    /// <param name="paths">Files, folders, or <see cref="StandardInput"/>.</param>
    /// <param name="leftOut">Told what a folder holds that is no file.</param>
    /// <returns>Them in order, or what is wrong.</returns>
    public static (IReadOnlyList<string> Files, string? Problem) Of(IEnumerable<string> paths, Action<string> leftOut)
    {
        var files = new List<string>();
        foreach (string path in paths)
        {
            if (path == StandardInput || File.Exists(path))
            {
                // What a shell puts in place of a command's output is a pipe, and has an end.
                if (path != StandardInput && RegularFile.NotOne(path) is { } special and not RegularFile.Pipe)
                {
                    return ([], $"'{path}' is {special}, and no file.");
                }

                files.Add(path);
            }
            else if (Directory.Exists(path))
            {
                // What has no end, or never answers, is no log that is there already.
                foreach (string file in Directory.EnumerateFiles(path).Order(StringComparer.Ordinal))
                {
                    if (RegularFile.NotOne(file) is { } other)
                    {
                        leftOut($"'{file}' is {other}, and is left out.");
                        continue;
                    }

                    files.Add(file);
                }
            }
            else
            {
                return ([], $"There is no file or folder '{path}'.");
            }
        }

        return (files, null);
    }

    /// <summary>Reads files one after the other.</summary>
    /// <param name="import">Where to.</param>
    /// <param name="book">Whose daybook.</param>
    /// <param name="files">As <see cref="Of"/> gives them.</param>
    /// <param name="request">How.</param>
    /// <param name="stop">Ends reading; what was read stays.</param>
    public static IEnumerable<CaptureReport> Read(CaptureImport import, long book, IReadOnlyList<string> files, CaptureRequest request, CancellationToken stop)
    {
        var read = new List<CaptureReport>();
        foreach ((string file, string form) in files.Select(f => (f, Form: files.Count > 1 ? FormOf(f, request) : "")).OrderBy(f => CaptureForms.RankInOneLog(f.Form)))
        {
            CaptureReport report = ReadOne(import, book, file, request with { ToldAlready = OtherFormsOf(form, read) }, stop);
            read.Add(report);
            yield return report;
        }
    }

    /// <summary>What was read of the same log in other forms.</summary>
    private static IReadOnlyList<(DateTime From, DateTime To)> OtherFormsOf(string form, List<CaptureReport> read) =>
        [.. read.Where(r => r.Span is not null && r.Form != form && CaptureForms.AreOneLog(r.Form, form)).Select(r => r.Span!.Value)];

    /// <summary>The form of a file by its beginning; empty where it has none that is known, or cannot be looked at beforehand.</summary>
    private static string FormOf(string file, CaptureRequest request)
    {
        try
        {
            return file == StandardInput || RegularFile.NotOne(file) is not null ? "" : CaptureImport.FormOf(file, request);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or InvalidDataException)
        {
            return "";
        }
    }

    private static CaptureReport ReadOne(CaptureImport import, long book, string file, CaptureRequest request, CancellationToken stop)
    {
        if (file == StandardInput)
        {
            using Stream input = Console.OpenStandardInput();
            return import.Read(book, input, "standard input", request, stop: stop);
        }

        try
        {
            using var stream = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete, 1, FileOptions.SequentialScan);
            return import.Read(book, stream, Path.GetFileName(file), request, stop: stop);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return new(file, "", e.Message, 0, 0, 0, 0, 0, []);
        }
    }
}
