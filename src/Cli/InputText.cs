using System.Text;
using SwiftLedger.Subjects;

namespace SwiftLedger.Cli;

/// <summary>Why a file cannot be taken as text; the message goes on where the file was named.</summary>
internal sealed class InputTextException(string message) : Exception(message);

/// <summary>Files that are read whole.</summary>
internal static class InputText
{
    /// <param name="longest">In characters.</param>
    /// <exception cref="InputTextException">It is no regular file, too long, not to be read, or no UTF-8.</exception>
    public static string Read(string path, long longest)
    {
        try
        {
            // What a shell puts in place of a command's output is a pipe.
            if (RegularFile.NotOne(path) is { } other and not RegularFile.Pipe)
            {
                throw new InputTextException($"is {other}, and no file.");
            }

            using var file = new StreamReader(path, new UTF8Encoding(false, throwOnInvalidBytes: true));
            var text = new StringBuilder();
            char[] piece = new char[1 << 16];
            for (int read = file.Read(piece); read > 0; read = file.Read(piece))
            {
                if (text.Append(piece, 0, read).Length > longest)
                {
                    throw new InputTextException($"is longer than {longest >> 20} MiB, the most that is read.");
                }
            }

            return text.ToString();
        }
        catch (DecoderFallbackException)
        {
            throw new InputTextException("is not UTF-8 text.");
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentException or NotSupportedException)
        {
            throw new InputTextException($"cannot be read: {e.Message}");
        }
    }
}
