namespace SwiftLedger.Demo.Live;

/// <summary>A clock that runs so many times as fast as the machine's: a day of the huts is over in minutes. Timers are the machine's own.</summary>
/// <param name="began">When it was right.</param>
/// <param name="pace">Above 0.</param>
public sealed class LiveClock(DateTimeOffset began, double pace) : TimeProvider
{
    /// <summary>When it was right.</summary>
    public DateTimeOffset Began => began;

    public override DateTimeOffset GetUtcNow()
    {
        DateTimeOffset now = DateTimeOffset.UtcNow;
        return began + ((now - began) * pace);
    }
}
