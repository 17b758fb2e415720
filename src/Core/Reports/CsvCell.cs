using System.Globalization;

namespace SwiftLedger.Core.Reports;

/// <summary>A value as a field of a CSV file that people open in a spreadsheet.</summary>
/// <remarks>
/// RFC 4180; and a text that begins like a formula begins with an apostrophe, so that a spreadsheet shows it instead of computing it (OWASP, "CSV
/// Injection"). Numbers are numbers, also negative ones.
/// </remarks>
public static class CsvCell
{
    /// <param name="value">A text, a number, a truth value, or null for an empty field.</param>
    /// <param name="quoteTexts">Whether texts stand in quotes also where they need not.</param>
    public static string Of(object? value, bool quoteTexts = false) => value switch
    {
        null => "",
        bool truth => truth ? "true" : "false",
        string text => Quoted(text is ['=' or '+' or '-' or '@' or '\t' or '\r' or '\n' or '＝' or '＋' or '－' or '＠', ..] ? "'" + text : text, quoteTexts),
        IFormattable number => Quoted(number.ToString(null, CultureInfo.InvariantCulture)),
        _ => Of(value.ToString(), quoteTexts),
    };

    private static string Quoted(string text, bool always = false) => always || text.AsSpan().ContainsAny(",\"\r\n") ? $"\"{text.Replace("\"", "\"\"", StringComparison.Ordinal)}\"" : text;
}
