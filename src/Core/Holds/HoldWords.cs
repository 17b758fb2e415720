using System.Globalization;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Holds;

/// <summary>Turns and holds in sentences: the one place for screens, alerts and the command.</summary>
public static class HoldWords
{
    /// <summary>What the other plan does.</summary>
    /// <param name="turn">The turn.</param>
    /// <param name="factor">That was asked for.</param>
    public static string Of(PlanTurn turn, double factor)
    {
        string times = $"{Moment(turn.Since)} it runs by another plan than its standing one";
        string figures = $"{Figures.Duration(turn.MillisecondsSince * 1_000)} a call in {Figures.Count(turn.CallsSince)} calls, {Figures.Duration(turn.MillisecondsBefore * 1_000)} in {Figures.Count(turn.CallsBefore)} before";
        return turn.Course switch
        {
            TurnCourse.Dearer when turn.OnAverage is { } mean && turn.Low <= factor && mean.Low > factor =>
                $"Since {times} and takes {Figures.Three(mean.Ratio)}x as long on average, {Figures.Three(mean.Low)}x at the least, for some calls are dear and most are not: {figures}.",
            TurnCourse.Dearer => $"Since {times} and takes {Figures.Three(turn.Ratio)}x as long in the middle of all calls, {Figures.Three(turn.Low)}x at the least: {figures}.",
            TurnCourse.Cheaper => $"Since {times}, and that is cheaper: {figures}.",
            TurnCourse.Level => $"Since {times}, and takes neither {Figures.Three(factor)}x as long nor less: {figures}.",
            _ => $"Since {times}; whether that costs cannot be told yet: {figures}, anything from {Figures.Three(turn.Low)}x to {Figures.Three(turn.High)}x in the middle of all calls{(turn.OnAverage is { } m ? $", {Figures.Three(m.Low)}x to {Figures.Three(m.High)}x on average" : "")}.",
        };
    }

    /// <summary>What a hold brought so far.</summary>
    public static string Of(HoldEffect? effect) => effect is null ? "The held text was not executed yet." : effect.Course switch
    {
        TurnCourse.Cheaper => $"It helps: {Figures.Duration(effect.MillisecondsHeld * 1_000)} a call in {Figures.Count(effect.CallsHeld)} calls, {Figures.Duration(effect.MillisecondsDear * 1_000)} without it.",
        TurnCourse.Open => $"Not told yet after {Figures.Count(effect.CallsHeld)} calls of the held text: {Figures.Duration(effect.MillisecondsHeld * 1_000)} each, {Figures.Duration(effect.MillisecondsDear * 1_000)} without it.",
        _ => $"It does not help: {Figures.Duration(effect.MillisecondsHeld * 1_000)} a call in {Figures.Count(effect.CallsHeld)} calls, {Figures.Duration(effect.MillisecondsDear * 1_000)} without it.",
    };

    private static string Moment(int minute) => DateTime.UnixEpoch.AddMinutes(minute).ToString("yyyy-MM-dd HH:mm", CultureInfo.InvariantCulture);
}
