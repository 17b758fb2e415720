using System.Globalization;

namespace SwiftLedger.Benchmarks;

/// <summary>One line a figure: what, how much, against what, and whether it is within its target.</summary>
internal static class Report
{
    public static void Line(FormattableString text) => Console.WriteLine(text.ToString(CultureInfo.InvariantCulture));

    public static void Target(string what, double value, string unit, double most) =>
        Line($"{what,-58} {value,10:0.###} {unit,-6} target <= {most:0.###} {unit,-6} {(value <= most ? "met" : "MISSED")}");

    public static double Median(IEnumerable<double> values)
    {
        double[] sorted = values.Order().ToArray();
        return sorted[sorted.Length / 2];
    }
}
