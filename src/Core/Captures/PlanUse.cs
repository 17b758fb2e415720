using System.IO.Hashing;
using System.Runtime.InteropServices;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Captures;

/// <summary>A plan of a pattern in one hour on one source.</summary>
/// <param name="Shape">See <see cref="Plan.Shape"/>.</param>
/// <param name="Hour">Its first minute since 1970, UTC.</param>
/// <param name="Pattern">The pattern's hash.</param>
/// <param name="Source">The server or application instance.</param>
public readonly record struct PlanUseKey(ulong Pattern, string Source, string Shape, int Hour);

/// <summary>How often executions whose plan the capture holds ran with it.</summary>
/// <param name="Outline">The plan's operators, a line each; its full text stands with the executions that are kept.</param>
/// <param name="Calls">Executions that ran by it.</param>
/// <param name="Ticks">Their durations together.</param>
/// <param name="Indexes">Those that the plan goes through.</param>
/// <param name="First">The first minute of the hour in which it was seen, since 1970, UTC.</param>
/// <param name="Last">Likewise the last.</param>
public sealed record PlanUse(string Outline, long Calls, long Ticks, IReadOnlyList<string> Indexes, int First, int Last);

/// <summary>Follows which plan each pattern ran with.</summary>
/// <param name="read">Reads a plan as a capture holds it; null where it is none.</param>
internal sealed class PlanUses(Func<string, Plan?> read)
{
    private const int MostTexts = 4_096, Most = 20_000;

    // The same plan comes with other numbers each time; without those most of its texts are one, and need no parsing.
    private readonly Dictionary<ulong, (string Shape, string Outline, IReadOnlyList<string> Indexes)?> _read = [];
    private Dictionary<PlanUseKey, PlanUse> _uses = [];

    public void Take(in Observation o, ulong pattern, string source)
    {
        if (o.Plan.IsEmpty || _uses.Count >= Most || PlanOf(o.Plan) is not { } plan)
        {
            return;
        }

        ref PlanUse? use = ref CollectionsMarshal.GetValueRefOrAddDefault(_uses, new(pattern, source, plan.Shape, Stretch.Hour.StartOf(Stretches.MinuteOf(o.At))), out _);
        int minute = Stretches.MinuteOf(o.At);
        use ??= new(plan.Outline, 0, 0, plan.Indexes, minute, minute);
        use = use with { First = Math.Min(use.First, minute), Last = Math.Max(use.Last, minute), Calls = use.Calls + o.Calls, Ticks = use.Ticks + (o.Duration?.Ticks ?? 0) };
    }

    public IReadOnlyDictionary<PlanUseKey, PlanUse> Drain()
    {
        Dictionary<PlanUseKey, PlanUse> uses = _uses;
        _uses = [];
        return uses;
    }

    private (string Shape, string Outline, IReadOnlyList<string> Indexes)? PlanOf(ReadOnlySpan<char> text)
    {
        ulong key = HashWithoutFigures(text);
        if (!_read.TryGetValue(key, out (string, string, IReadOnlyList<string>)? plan))
        {
            if (_read.Count >= MostTexts)
            {
                _read.Clear();
            }

            plan = read(text.ToString()) is { } found ? (found.Shape, found.Text, [.. found.Indexes]) : null;
            _read[key] = plan;
        }

        return plan;
    }

    /// <summary>Digits within names stay: two indexes may differ in nothing else.</summary>
    private static ulong HashWithoutFigures(ReadOnlySpan<char> text)
    {
        var hash = new XxHash3();
        int from = 0;
        for (int i = 0; i < text.Length; i++)
        {
            if (!char.IsAsciiDigit(text[i]) || (i > 0 && (text[i - 1] == '_' || char.IsLetterOrDigit(text[i - 1]))))
            {
                continue;
            }

            hash.Append(MemoryMarshal.AsBytes(text[from..i]));
            while (i + 1 < text.Length && char.IsAsciiDigit(text[i + 1]))
            {
                i++;
            }

            from = i + 1;
        }

        hash.Append(MemoryMarshal.AsBytes(text[from..]));
        return hash.GetCurrentHashAsUInt64();
    }
}
