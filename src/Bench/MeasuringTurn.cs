namespace SwiftLedger.Bench;

/// <summary>One job measures at a time on a machine, whoever started it: two would disturb each other.</summary>
internal static class MeasuringTurn
{
    /// <param name="file">Held while it lasts; the operating system lets go of it when the process ends, however it ends.</param>
    /// <param name="waits">Called once if it is another's turn.</param>
    /// <returns>The turn, which ends when it is disposed of.</returns>
    /// <exception cref="OperationCanceledException">It was stopped while it waited.</exception>
    public static async Task<IDisposable> TakeAsync(string file, Action waits, CancellationToken stop)
    {
        for (bool told = false; ; told = true)
        {
            try
            {
                return new FileStream(file, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            }
            catch (IOException)
            {
                if (!told)
                {
                    waits();
                }

                await Task.Delay(200, stop);
            }
        }
    }
}
