using System.Globalization;
using System.Text;
using System.Xml;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Core.Reports;

/// <summary>JUnit XML: one test case a line; <c>regressed</c> is a failure, <c>failed</c> an error, a line without verdict or <c>unsettled</c> skipped.</summary>
public static class JUnitReport
{
    public static string Write(ResultDocument result)
    {
        var text = new StringBuilder();
        using (var xml = XmlWriter.Create(text, new() { Indent = true, OmitXmlDeclaration = true, CheckCharacters = false }))
        {
            xml.WriteStartElement("testsuite");
            xml.WriteAttributeString("name", "swift-ledger trial");
            xml.WriteAttributeString("tests", Count(result, _ => true));
            xml.WriteAttributeString("failures", Count(result, l => l.Verdict == Verdict.Regressed));
            xml.WriteAttributeString("errors", Count(result, l => l.Verdict == Verdict.Failed));
            xml.WriteAttributeString("skipped", Count(result, l => l.Verdict is null or Verdict.Unsettled));
            foreach (ResultLine line in result.Lines)
            {
                WriteCase(xml, line);
            }

            xml.WriteElementString("system-out", Clean(result.Headline));
            xml.WriteEndElement();
        }

        return "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n" + text + "\n";
    }

    private static void WriteCase(XmlWriter xml, ResultLine line)
    {
        xml.WriteStartElement("testcase");
        xml.WriteAttributeString("classname", Clean(line.Statement));
        xml.WriteAttributeString("name", Clean($"{line.Statement} ({line.Case})"));
        xml.WriteAttributeString("time", ((line.After.MedianMs ?? 0) / 1000).ToString("0.#########", CultureInfo.InvariantCulture));
        string said = Clean($"{TextTable.Change(line)}{(line.Message is null ? "" : ": " + line.Message)}");
        string? element = line.Verdict switch
        {
            Verdict.Regressed => "failure",
            Verdict.Failed => "error",
            null or Verdict.Unsettled => "skipped",
            _ => null,
        };
        if (element is not null)
        {
            WriteOutcome(xml, element, said);
        }

        xml.WriteEndElement();
    }

    /// <summary>Why a test case failed or was skipped.</summary>
    /// <param name="xml">Within the test case.</param>
    /// <param name="element">What became of it: <c>failure</c>, <c>error</c> or <c>skipped</c>.</param>
    /// <param name="said">In words.</param>
    /// <remarks>Of the three only <c>skipped</c> has no message beside its text (junit-4.xsd, on which common readers agree).</remarks>
    internal static void WriteOutcome(XmlWriter xml, string element, string said)
    {
        xml.WriteStartElement(element);
        if (element == "skipped")
        {
            xml.WriteString(said);
        }
        else
        {
            xml.WriteAttributeString("message", said);
        }

        xml.WriteEndElement();
    }

    /// <summary>Names are data: what XML cannot hold, half a surrogate pair too, becomes a question mark.</summary>
    internal static string Clean(string text) => string.Concat(text.EnumerateRunes().Select(r => r.Value > char.MaxValue || (XmlConvert.IsXmlChar((char)r.Value) && r != Rune.ReplacementChar) ? r.ToString() : "?"));

    private static string Count(ResultDocument result, Func<ResultLine, bool> which) =>
        result.Lines.Count(which).ToString(CultureInfo.InvariantCulture);
}
