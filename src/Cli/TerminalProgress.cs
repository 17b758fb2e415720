using System.Diagnostics;
using System.Globalization;

namespace SwiftLedger.Cli;

/// <summary>How far something is, on standard error: one line rewritten in place where that is a terminal, else a line every ten seconds.</summary>
internal sealed class TerminalProgress : IDisposable
{
    private const int Longest = 100;

    private static readonly TimeSpan Every = TimeSpan.FromSeconds(10);

    private readonly bool _on = !Console.IsErrorRedirected;
    private readonly long _begun = Stopwatch.GetTimestamp();
    private readonly Timer? _timer;
    private volatile string _text = "beginning";

    public TerminalProgress() =>
        _timer = _on ? null : new(_ => Console.Error.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{Stopwatch.GetElapsedTime(_begun).TotalSeconds:0} s: {_text}")), null, Every, Every);

    public void Show(string text)
    {
        _text = string.Concat((text.Length > Longest ? text[..Longest] : text).Select(c => char.IsControl(c) ? ' ' : c));
        if (_on)
        {
            Console.Error.Write("\r\x1b[K" + _text);
        }
    }

    /// <summary>Nothing more is told.</summary>
    public void Clear()
    {
        if (_on)
        {
            Console.Error.Write("\r\x1b[K");
        }

        _timer?.Change(Timeout.Infinite, Timeout.Infinite);
    }

    public void Dispose()
    {
        Clear();
        _timer?.Dispose();
    }
}
