using System.Globalization;
using System.Text;
using System.Xml;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Budgets;

/// <summary>What a check found, for people and for other programs.</summary>
/// <param name="WorkloadFile">As its reader calls it.</param>
/// <param name="Results">Of all budgets.</param>
/// <param name="AccountFile">As its reader calls it; null where there is none.</param>
/// <param name="Left">What left the account.</param>
/// <param name="Notes">What else has to be known, in sentences.</param>
public sealed record CheckReport(string WorkloadFile, IReadOnlyList<BudgetResult> Results, string? AccountFile, IReadOnlyList<AccountDeparture> Left, IReadOnlyList<string> Notes)
{
    /// <summary>How the check ends.</summary>
    public Outcome Outcome => Results.Any(r => r.State == BudgetState.Broken) || Left.Any(l => l.Dearer) ? Outcome.Regressed
        : Results.Any(r => r.State == BudgetState.NotJudged) ? Outcome.NotMeasured
        : Outcome.Good;

    /// <summary>How many budgets were kept, and which were not.</summary>
    public string Headline
    {
        get
        {
            int Of(BudgetState state) => Results.Count(r => r.State == state);
            string budgets = Results.Count == 0 ? "No budget to keep" : $"{Figures.Count(Of(BudgetState.Broken))} of {Figures.Count(Results.Count)} budgets broken, {Figures.Count(Of(BudgetState.Kept))} kept{(Of(BudgetState.NotJudged) is > 0 and var open ? $", {Figures.Count(open)} not judged" : "")}";
            string account = AccountFile is null ? "" : Left.Count == 0 ? "; nothing left the account" : $"; {Figures.Count(Left.Count)} {(Left.Count == 1 ? "case" : "cases")} left the account, {Figures.Count(Left.Count(l => l.Dearer))} dearer";
            return $"{budgets}{account}.";
        }
    }

    /// <summary>One line for each thing to look at, as compilers write them, the worst first; then the headline.</summary>
    public string ToText()
    {
        var text = new StringBuilder();
        foreach (BudgetResult r in Results.Where(r => r.State == BudgetState.Broken).Concat(Results.Where(r => r.State == BudgetState.NotJudged)))
        {
            text.Append(CultureInfo.InvariantCulture, $"{OneLine(WorkloadFile)}:{r.Budget.Place.Line}:{r.Budget.Place.Column}: {(r.State == BudgetState.Broken ? "error" : "warning")}: {OneLine(Name(r.Statement, r.Case))}: {OneLine(Sentence(r))}\n");
        }

        foreach (AccountDeparture left in Left.OrderByDescending(l => l.Dearer))
        {
            text.Append(CultureInfo.InvariantCulture, $"{OneLine(AccountFile ?? "")}: {(left.Dearer ? "error" : "note")}: {OneLine(Name(left.Statement, left.Case))}: {OneLine(left.Sentence)}\n");
        }

        foreach (string note in Notes)
        {
            text.Append(CultureInfo.InvariantCulture, $"note: {OneLine(note)}\n");
        }

        return text.Append(Headline).Append('\n').ToString();
    }

    /// <summary>JUnit XML: a test case for each budget in each case, and for each case that left the account.</summary>
    public string ToJUnit()
    {
        var text = new StringBuilder();
        using (var xml = XmlWriter.Create(text, new() { Indent = true, OmitXmlDeclaration = true, CheckCharacters = false }))
        {
            static string Text(int number) => number.ToString(CultureInfo.InvariantCulture);
            xml.WriteStartElement("testsuite");
            xml.WriteAttributeString("name", "swift-ledger check");
            xml.WriteAttributeString("tests", Text(Results.Count + Left.Count));
            xml.WriteAttributeString("failures", Text(Results.Count(r => r.State == BudgetState.Broken) + Left.Count(l => l.Dearer)));
            xml.WriteAttributeString("errors", Text(Results.Count(r => r.State == BudgetState.NotJudged)));
            xml.WriteAttributeString("skipped", "0");
            foreach (BudgetResult r in Results)
            {
                Case(xml, r.Statement, $"{Name(r.Statement, r.Case)}: {r.Budget.Words}", r.State switch { BudgetState.Broken => "failure", BudgetState.NotJudged => "error", _ => null }, Sentence(r));
            }

            foreach (AccountDeparture left in Left)
            {
                Case(xml, left.Statement, $"{Name(left.Statement, left.Case)}: account", left.Dearer ? "failure" : null, left.Sentence);
            }

            xml.WriteElementString("system-out", JUnitReport.Clean(Headline));
            xml.WriteEndElement();
        }

        return "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n" + text + "\n";
    }

    /// <summary>The same in TAP.</summary>
    /// <remarks>Test Anything Protocol, version 14: a plan, a test point for each budget, and a block of YAML below what is not ok.</remarks>
    public string ToTap()
    {
        var text = new StringBuilder("TAP version 14\n");
        text.Append(CultureInfo.InvariantCulture, $"1..{Results.Count + Left.Count}\n");
        int number = 0;
        void Point(bool good, string name, string said)
        {
            text.Append(CultureInfo.InvariantCulture, $"{(good ? "ok" : "not ok")} {++number} - {TapName(name)}\n");
            if (!good)
            {
                // A string of JSON is one of YAML.
                text.Append(CultureInfo.InvariantCulture, $"  ---\n  message: {System.Text.Json.JsonSerializer.Serialize(OneLine(said))}\n  ...\n");
            }
        }

        foreach (BudgetResult r in Results)
        {
            Point(r.State == BudgetState.Kept, $"{Name(r.Statement, r.Case)}: {r.Budget.Words}", Sentence(r));
        }

        foreach (AccountDeparture left in Left)
        {
            Point(!left.Dearer, $"{Name(left.Statement, left.Case)}: account", left.Sentence);
        }

        return text.ToString();
    }

    /// <summary>For a comment on a change: what is broken in a table, the rest below a fold.</summary>
    public string ToMarkdown()
    {
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"**{(Outcome == Outcome.Good ? "Kept" : Outcome == Outcome.Regressed ? "Broken" : "Not judged")}**: {TextTable.EscapeMarkdown(Headline)}\n\n");
        void Table(IReadOnlyList<(string What, string Budget, string Said)> rows)
        {
            text.Append("| statement | budget | what is the case |\n|---|---|---|\n");
            foreach ((string what, string budget, string said) in rows)
            {
                text.Append(CultureInfo.InvariantCulture, $"| {Cell(what)} | {Cell(budget)} | {Cell(said)} |\n");
            }
        }

        List<(string, string, string)> bad =
        [
            .. Results.Where(r => r.State == BudgetState.Broken).Concat(Results.Where(r => r.State == BudgetState.NotJudged)).Select(r => (Name(r.Statement, r.Case), r.Budget.Words, Sentence(r))),
            .. Left.Where(l => l.Dearer).Select(l => (Name(l.Statement, l.Case), "account", l.Sentence)),
        ];
        List<(string, string, string)> rest =
        [
            .. Left.Where(l => !l.Dearer).Select(l => (Name(l.Statement, l.Case), "account", l.Sentence)),
            .. Results.Where(r => r.State == BudgetState.Kept).Select(r => (Name(r.Statement, r.Case), r.Budget.Words, Sentence(r))),
        ];
        if (bad.Count > 0)
        {
            Table(bad);
            text.Append('\n');
        }

        foreach (string note in Notes)
        {
            text.Append(CultureInfo.InvariantCulture, $"{TextTable.EscapeMarkdown(OneLine(note))}\n\n");
        }

        if (rest.Count > 0)
        {
            text.Append("<details><summary>What is kept</summary>\n\n");
            Table(rest);
            text.Append("\n</details>\n");
        }

        return text.ToString();
    }

    private static string Cell(string text) => TextTable.EscapeMarkdown(OneLine(text));

    /// <summary>What TAP reads as a directive or an escape is none in a name.</summary>
    private static string TapName(string name) => OneLine(name).Replace("\\", "\\\\", StringComparison.Ordinal).Replace("#", "\\#", StringComparison.Ordinal);

    private static void Case(XmlWriter xml, string statement, string name, string? element, string said)
    {
        xml.WriteStartElement("testcase");
        xml.WriteAttributeString("classname", JUnitReport.Clean(statement));
        xml.WriteAttributeString("name", JUnitReport.Clean(name));
        xml.WriteAttributeString("time", "0");
        if (element is not null)
        {
            xml.WriteStartElement(element);
            xml.WriteAttributeString("message", JUnitReport.Clean(said));
            xml.WriteEndElement();
        }

        xml.WriteEndElement();
    }

    private static string Name(string statement, string label) => label.Length == 0 ? statement : $"{statement} ({label})";

    private static string Sentence(BudgetResult r) => r.Because is null ? r.Sentence : $"{r.Sentence} {r.Because}";

    /// <summary>Names are data: whatever ends a line in them ends none here.</summary>
    private static string OneLine(string text) => string.Concat(text.Select(c => char.IsControl(c) || c is '\u2028' or '\u2029' ? ' ' : c));
}
