using System.ComponentModel;
using System.Diagnostics;
using System.Text;
using SwiftLedger.Core.Alerts;

namespace SwiftLedger.Web;

/// <summary>Where alerts are sent, as whoever starts the server says: nobody who only reaches its address can.</summary>
/// <param name="File">Gets a line for each; null for none.</param>
/// <param name="Command">A program that is run for each with the event on its standard input, never by a shell; null for none.</param>
/// <param name="Arguments">Of the program.</param>
/// <param name="Post">Address that each is sent to; null for none.</param>
/// <param name="Limit">Of one try.</param>
public sealed record AlertChannels(string? File, string? Command, IReadOnlyList<string> Arguments, Uri? Post, TimeSpan Limit)
{
    public static AlertChannels None { get; } = new(null, null, [], null, TimeSpan.FromSeconds(10));

    public const string ToFile = "file", ToCommand = "command", ToPost = "post";

    /// <summary>Tries of one event: with the usual pauses the last is 36 minutes after the first.</summary>
    public const int MostTries = 10;

    private const int LongestComplaint = 300;

    private static readonly TimeSpan UntilComplained = TimeSpan.FromSeconds(1);

    private static readonly TimeSpan LongestPause = TimeSpan.FromMinutes(15);

    private static readonly HttpClient Client = new(new SocketsHttpHandler { AllowAutoRedirect = false, UseCookies = false }) { Timeout = Timeout.InfiniteTimeSpan };

    /// <summary>Of those that are there.</summary>
    public IReadOnlyList<string> Names => [.. new[] { (ToFile, File is not null), (ToCommand, Command is not null), (ToPost, Post is not null) }.Where(c => c.Item2).Select(c => c.Item1)];

    /// <summary>What passes before the second try; before each later one it is twice as much, a quarter of an hour at the most.</summary>
    public TimeSpan FirstPause { get; init; } = TimeSpan.FromSeconds(5);

    /// <summary>What passes before the next try; null where there is none.</summary>
    /// <param name="tries">That failed, at least one.</param>
    public TimeSpan? PauseAfter(long tries) => tries >= MostTries ? null : TimeSpan.FromTicks(Math.Min(LongestPause.Ticks, FirstPause.Ticks << (int)(tries - 1)));

    /// <summary>Sends an event through a channel, once.</summary>
    /// <returns>What went wrong; null where it has arrived.</returns>
    /// <exception cref="OperationCanceledException">The server ends.</exception>
    public async Task<string?> SendAsync(string channel, CloudEvent told, CancellationToken stop)
    {
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(stop);
        limit.CancelAfter(Limit);
        try
        {
            return (channel, this) switch
            {
                (ToFile, { File: { } file }) => await AppendAsync(file, told, limit.Token),
                (ToCommand, { Command: { } command }) => await RunAsync(command, told, limit.Token),
                (ToPost, { Post: { } address }) => await PostAsync(address, told, limit.Token),
                _ => "The server was started without this channel.",
            };
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested)
        {
            return $"It took longer than {Limit.TotalSeconds:0.#} s, and was ended.";
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or HttpRequestException or Win32Exception)
        {
            return e.Message;
        }
    }

    private static async Task<string?> AppendAsync(string file, CloudEvent told, CancellationToken stop)
    {
        // One writer at a time: where another server has the file, this one comes again.
        await using var stream = new FileStream(file, new FileStreamOptions { Mode = FileMode.Append, Access = FileAccess.Write, Share = FileShare.None, BufferSize = 0, Options = FileOptions.WriteThrough });
        await stream.WriteAsync(Encoding.UTF8.GetBytes(told.ToJson() + "\n"), stop);
        return null;
    }

    private static async Task<string?> PostAsync(Uri address, CloudEvent told, CancellationToken stop)
    {
        using var body = new StringContent(told.ToJson(), Encoding.UTF8, CloudEvent.MediaType);
        using HttpResponseMessage answer = await Client.PostAsync(address, body, stop);
        return answer.IsSuccessStatusCode ? null : $"{address.Host} answered {(int)answer.StatusCode}.";
    }

    private async Task<string?> RunAsync(string command, CloudEvent told, CancellationToken stop)
    {
        var info = new ProcessStartInfo(command, Arguments) { RedirectStandardInput = true, RedirectStandardOutput = true, RedirectStandardError = true, UseShellExecute = false };
        using Process process = Process.Start(info)!;
        try
        {
            Task drained = process.StandardOutput.BaseStream.CopyToAsync(Stream.Null, stop);
            Task<string> complaint = FirstOfAsync(process.StandardError, stop);
            try
            {
                await process.StandardInput.WriteAsync(told.ToJson().AsMemory(), stop);
                process.StandardInput.Close();
            }
            catch (IOException)
            {
                // It does not read what it is told, which is its own affair.
            }

            await process.WaitForExitAsync(stop);
            if (process.ExitCode == 0)
            {
                return null;
            }

            // What it left running may keep its outputs open.
            await Task.WhenAny(Task.WhenAll(drained, complaint), Task.Delay(UntilComplained, stop));
            return $"It ended with {process.ExitCode}. {(complaint.IsCompletedSuccessfully ? await complaint : "")}".Trim();
        }
        finally
        {
            if (!process.HasExited)
            {
                process.Kill(entireProcessTree: true);
            }
        }
    }

    private static async Task<string> FirstOfAsync(StreamReader reader, CancellationToken stop)
    {
        char[] buffer = new char[LongestComplaint];
        int read = await reader.ReadBlockAsync(buffer, stop);
        await reader.BaseStream.CopyToAsync(Stream.Null, stop);
        return new string(buffer, 0, read).Trim();
    }
}
