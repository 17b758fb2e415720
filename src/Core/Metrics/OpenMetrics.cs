using System.Globalization;
using System.Text;

namespace SwiftLedger.Core.Metrics;

/// <summary>What kind of thing a family of metrics is.</summary>
public enum MetricKind
{
    /// <summary>Goes up and down.</summary>
    Gauge,

    /// <summary>Only goes up, from when the server was started or the ledger was made.</summary>
    Counter,

    /// <summary>Is always 1: what there is to know stands in its labels.</summary>
    Info,
}

/// <summary>One value of a family.</summary>
/// <param name="Value">Finite.</param>
/// <param name="Labels">Names and values, in order.</param>
public readonly record struct MetricSample(double Value, params IReadOnlyList<(string Name, string Value)> Labels);

/// <summary>Values of one kind.</summary>
/// <param name="Name">Without the suffix that its kind gives it; ends in its unit where it has one.</param>
/// <param name="Kind">What it is.</param>
/// <param name="Help">In a sentence.</param>
/// <param name="Samples">In order; those of the same labels once.</param>
/// <param name="Unit">In base units; null for none.</param>
public sealed record MetricFamily(string Name, MetricKind Kind, string Help, IReadOnlyList<MetricSample> Samples, string? Unit = null);

/// <summary>Metrics as text that other programs collect.</summary>
/// <remarks>OpenMetrics 1.0.0 (IETF draft draft-richih-opsawg-openmetrics-00), section 4, "Text format".</remarks>
public static class OpenMetrics
{
    public const string MediaType = "application/openmetrics-text; version=1.0.0; charset=utf-8";

    /// <summary>Writes families one behind the other, and the end mark.</summary>
    public static string Text(IEnumerable<MetricFamily> families)
    {
        var text = new StringBuilder();
        foreach (MetricFamily family in families.Where(f => f.Samples.Count > 0))
        {
            text.Append(CultureInfo.InvariantCulture, $"# TYPE {family.Name} {family.Kind.ToString().ToLowerInvariant()}\n");
            if (family.Unit is not null)
            {
                text.Append(CultureInfo.InvariantCulture, $"# UNIT {family.Name} {family.Unit}\n");
            }

            text.Append(CultureInfo.InvariantCulture, $"# HELP {family.Name} {Escaped(family.Help)}\n");
            string suffix = family.Kind switch { MetricKind.Counter => "_total", MetricKind.Info => "_info", _ => "" };
            foreach (MetricSample sample in family.Samples)
            {
                text.Append(family.Name).Append(suffix);
                if (sample.Labels.Count > 0)
                {
                    text.Append('{').AppendJoin(',', sample.Labels.Select(l => $"{l.Name}=\"{Escaped(l.Value)}\"")).Append('}');
                }

                text.Append(' ').Append(sample.Value.ToString("R", CultureInfo.InvariantCulture)).Append('\n');
            }
        }

        return text.Append("# EOF\n").ToString();
    }

    private static string Escaped(string value) => value.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\n", "\\n", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal);
}
