namespace SwiftLedger.Testing;

/// <summary>Waits for what a running trial tells, by the stream that the interface listens to: questions asked one after the other would take a processor from what is measured.</summary>
internal static class TrialNews
{
    /// <param name="client">Of the server.</param>
    /// <param name="trial">Its number.</param>
    /// <param name="holds">Asked first, and after each piece of news of a kind.</param>
    /// <param name="kind">trial, or line.</param>
    /// <param name="stop">Ends it.</param>
    public static async Task UntilAsync(HttpClient client, long trial, Func<Task<bool>> holds, string kind, CancellationToken stop)
    {
        while (true)
        {
            // One that ends with the server is opened again.
            using HttpResponseMessage stream = await client.GetAsync(new Uri($"/api/trials/{trial}/events", UriKind.Relative), HttpCompletionOption.ResponseHeadersRead, stop);
            using var reader = new StreamReader(await stream.EnsureSuccessStatusCode().Content.ReadAsStreamAsync(stop));
            while (await reader.ReadLineAsync(stop) is { } line)
            {
                if ((line == "event: hello" || line == $"event: {kind}") && await holds())
                {
                    return;
                }
            }
        }
    }
}
