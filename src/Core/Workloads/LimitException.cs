using System.Globalization;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>A limit that may be broken until a day.</summary>
/// <param name="Limit">Which one, as it was written.</param>
/// <param name="About">What it is about; empty for the statement that it stands above.</param>
/// <param name="Until">Its last day.</param>
/// <param name="Reason">Why.</param>
/// <param name="Place">Where it stands in its file.</param>
public sealed partial record LimitException(string Limit, string About, DateOnly Until, string Reason, TextPlace Place)
{
    /// <summary>How an exception is written, for messages.</summary>
    public const string Form = "'work until 2027-03-31: why'";

    /// <summary>Reads what stands behind <c>exception:</c>.</summary>
    /// <param name="value">The limit, in a file of its own what it is about behind a comma, the last day and the reason.</param>
    /// <param name="place">Where it stands.</param>
    /// <param name="named">Whether it says what it is about.</param>
    /// <returns>The exception, or what is wrong with it.</returns>
    public static (LimitException? Exception, string? Problem) Read(string value, TextPlace place, bool named)
    {
        Match match = ExceptionForm().Match(value);
        if (!match.Success)
        {
            return (null, UntilForm().IsMatch(value) ? "An exception says why behind its last day and a colon."
                : $"'{value}' is no exception: write the limit, its last day and why, as in {(named ? "'foreign keys without index, booking.hut_id until 2027-03-31: why'" : Form)}.");
        }

        if (!DateOnly.TryParseExact(match.Groups["day"].Value, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out DateOnly until))
        {
            return (null, $"'{match.Groups["day"].Value}' is no day: write year, month and day, as in 2027-03-31.");
        }

        string what = match.Groups["what"].Value.Trim();
        int comma = named ? what.IndexOf(',', StringComparison.Ordinal) : -1;
        return named && (comma <= 0 || what[(comma + 1)..].Trim().Length == 0)
            ? (null, "An exception from a rule of the house says of what, behind a comma: a statement's name, or a table and its columns.")
            : (new(comma < 0 ? what : what[..comma].TrimEnd(), comma < 0 ? "" : what[(comma + 1)..].Trim(), until, match.Groups["why"].Value.Trim(), place), null);
    }

    /// <summary>The exceptions above a statement.</summary>
    /// <param name="text">The whole file.</param>
    /// <param name="directives">Above the statement.</param>
    /// <param name="problems">Gets what cannot be read.</param>
    internal static IReadOnlyList<LimitException> Read(string text, IEnumerable<Directive> directives, List<InputProblem> problems)
    {
        var found = new List<LimitException>();
        foreach (Directive directive in directives.Where(d => d.Key == Directive.Exception))
        {
            TextSpan where = directive.ValueSpan.Length > 0 ? directive.ValueSpan : directive.Span;
            (LimitException? exception, string? problem) = Read(directive.Value, TextPlace.At(text, where.Start), named: false);
            if (exception is not null)
            {
                found.Add(exception);
            }
            else
            {
                problems.Add(InputProblem.At(InputPart.Workload, text, where, problem!));
            }
        }

        return found;
    }

    [GeneratedRegex(@"^(?<what>.+?)\s+until\s+(?<day>[0-9]{4}-[0-9]{2}-[0-9]{2})\s*:\s*(?<why>\S.*)$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex ExceptionForm();

    [GeneratedRegex(@"\suntil\s+[0-9]{4}-[0-9]{2}-[0-9]{2}\s*:?\s*$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex UntilForm();
}
