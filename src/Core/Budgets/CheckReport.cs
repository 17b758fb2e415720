using System.Globalization;
using System.Text;
using System.Xml;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Budgets;

/// <summary>What a check found, for people and for other programs.</summary>
/// <param name="Items">All that was held against something, in the order of the files.</param>
/// <param name="AccountFile">The kept account, as its reader calls it; null where there is none.</param>
/// <param name="Notes">What else has to be known, in sentences.</param>
/// <param name="UnitsFile">The kept account of units, likewise.</param>
public sealed record CheckReport(IReadOnlyList<CheckItem> Items, string? AccountFile, IReadOnlyList<string> Notes, string? UnitsFile = null)
{
    /// <summary>How the check ends.</summary>
    public Outcome Outcome => Of(CheckState.Broken).Any() ? Outcome.Regressed : Of(CheckState.NotJudged).Any() ? Outcome.NotMeasured : Outcome.Good;

    /// <summary>The worst first: what is broken, what could not be judged, what is allowed for a while, what has to be known; then what is kept.</summary>
    public IEnumerable<CheckItem> WorstFirst => Items.OrderBy(i => i.State switch { CheckState.Broken => 0, CheckState.NotJudged => 1, CheckState.Excused => 2, CheckState.Noted => 3, _ => 4 });

    /// <summary>How many budgets were kept, and which were not.</summary>
    public string Headline
    {
        get
        {
            static int In(IEnumerable<CheckItem> items, CheckState state) => items.Count(i => i.State == state);
            CheckItem[] budgets = [.. Items.Where(IsBudget)], left = [.. Items.Where(i => i.Rule == CheckRules.Account)], house = [.. Items.Where(i => i.House)];
            string open = In(budgets, CheckState.NotJudged) is > 0 and var unjudged ? $", {Figures.Count(unjudged)} not judged" : "", allowed = In(budgets, CheckState.Excused) is > 0 and var excused ? $", {Figures.Count(excused)} broken with leave" : "";
            string text = budgets.Length == 0 ? "No budget to keep" : $"{Figures.Count(In(budgets, CheckState.Broken))} of {Figures.Count(budgets.Length)} budgets broken, {Figures.Count(In(budgets, CheckState.Kept))} kept{open}{allowed}";
            if (house.Length > 0)
            {
                int rules = house.Select(i => i.Rule).Distinct().Count(), broken = house.Where(i => i.State == CheckState.Broken).Select(i => i.Rule).Distinct().Count(), places = In(house, CheckState.Broken), leave = In(house, CheckState.Excused);
                text += $"; {Figures.Count(broken)} of {Figures.Count(rules)} rules of the house broken{(broken > 0 ? $", in {Figures.Count(places)} {(places == 1 ? "place" : "places")}" : "")}{(leave > 0 ? $", {Figures.Count(leave)} with leave" : "")}";
            }

            if (AccountFile is not null)
            {
                text += left.Length == 0 ? "; nothing left the account" : $"; {Figures.Count(left.Length)} {(left.Length == 1 ? "case" : "cases")} left the account, {Figures.Count(In(left, CheckState.Broken))} dearer";
            }

            if (UnitsFile is not null)
            {
                CheckItem[] units = [.. Items.Where(i => i.Rule == CheckRules.Units && i.State != CheckState.NotJudged)];
                text += units.Length == 0 ? "; no unit left its account" : $"; {Figures.Count(units.Length)} {(units.Length == 1 ? "unit" : "units")} left {(units.Length == 1 ? "its" : "their")} account, {Figures.Count(In(units, CheckState.Broken))} dearer";
            }

            text += Items.Any(i => i.Rule == CheckRules.Units && i.State == CheckState.NotJudged) ? "; the run was not read whole" : "";
            int failing = Items.Count(i => i.Rule == CheckRules.Runs && i.State == CheckState.Broken);
            text += failing > 0 ? $"; {Figures.Count(failing)} {(failing == 1 ? "case fails" : "cases fail")}" : "";
            int migrations = Items.Count(i => i.Rule == CheckRules.Migrations && i.State == CheckState.Broken);
            return text + (migrations > 0 ? $"; {Figures.Count(migrations)} {(migrations == 1 ? "migration is" : "migrations are")} not what the base has." : ".");
        }
    }

    /// <summary>One line for each thing to look at, as compilers write them, the worst first; then the headline.</summary>
    public string ToText()
    {
        var text = new StringBuilder();
        foreach (CheckItem item in WorstFirst.Where(i => i.State != CheckState.Kept))
        {
            text.Append(CultureInfo.InvariantCulture, $"{OneLine(item.Place.ToString())}: {Level(item)}: {(item.Name.Length > 0 ? OneLine(item.Name) + ": " : "")}{OneLine(item.Said)}\n");
        }

        foreach (string note in Notes)
        {
            text.Append(CultureInfo.InvariantCulture, $"note: {OneLine(note)}\n");
        }

        return text.Append(Headline).Append('\n').ToString();
    }

    /// <summary>JUnit XML: a test case for each budget in each case, each rule of the house, and each case that left the account; what is allowed for a while is skipped.</summary>
    public string ToJUnit()
    {
        var text = new StringBuilder();
        using (var xml = XmlWriter.Create(text, new() { Indent = true, OmitXmlDeclaration = true, CheckCharacters = false }))
        {
            string Count(CheckState state) => Of(state).Count().ToString(CultureInfo.InvariantCulture);
            xml.WriteStartElement("testsuite");
            xml.WriteAttributeString("name", "swift-ledger check");
            xml.WriteAttributeString("tests", Items.Count.ToString(CultureInfo.InvariantCulture));
            xml.WriteAttributeString("failures", Count(CheckState.Broken));
            xml.WriteAttributeString("errors", Count(CheckState.NotJudged));
            xml.WriteAttributeString("skipped", Count(CheckState.Excused));
            foreach (CheckItem item in Items)
            {
                xml.WriteStartElement("testcase");
                xml.WriteAttributeString("classname", JUnitReport.Clean(item.Subject.Length > 0 ? item.Subject : item.Place.Path));
                xml.WriteAttributeString("name", JUnitReport.Clean(TitleOf(item)));
                xml.WriteAttributeString("time", "0");
                if (item.State switch { CheckState.Broken => "failure", CheckState.NotJudged => "error", CheckState.Excused => "skipped", _ => null } is { } element)
                {
                    JUnitReport.WriteOutcome(xml, element, JUnitReport.Clean(item.Said));
                }

                xml.WriteEndElement();
            }

            xml.WriteElementString("system-out", JUnitReport.Clean(Headline));
            xml.WriteEndElement();
        }

        return "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n" + text + "\n";
    }

    /// <summary>The same in TAP.</summary>
    /// <remarks>Test Anything Protocol, version 14: a plan, a test point for each thing that was held against something, a block of YAML below what is not ok, and the directive TODO where it is allowed for a while.</remarks>
    public string ToTap()
    {
        var text = new StringBuilder("TAP version 14\n");
        text.Append(CultureInfo.InvariantCulture, $"1..{Items.Count}\n");
        int number = 0;
        foreach (CheckItem item in Items)
        {
            bool good = item.State is CheckState.Kept or CheckState.Noted;
            string leave = item.State == CheckState.Excused ? $" # TODO until {item.Exception!.Until:yyyy-MM-dd}: {TapName(item.Exception.Reason)}" : "";
            text.Append(CultureInfo.InvariantCulture, $"{(good ? "ok" : "not ok")} {++number} - {TapName(TitleOf(item))}{leave}\n");
            if (!good)
            {
                // A string of JSON is one of YAML.
                text.Append(CultureInfo.InvariantCulture, $"  ---\n  message: {System.Text.Json.JsonSerializer.Serialize(OneLine(item.Said))}\n  ...\n");
            }
        }

        return text.ToString();
    }

    /// <summary>For a comment on a change: what is broken in a table, the rest below a fold.</summary>
    public string ToMarkdown()
    {
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"**{(Outcome == Outcome.Good ? "Kept" : Outcome == Outcome.Regressed ? "Broken" : "Not judged")}**: {TextTable.EscapeMarkdown(Headline)}\n\n");
        void Table(IEnumerable<CheckItem> items)
        {
            text.Append("| what | limit | what is the case | where |\n|---|---|---|---|\n");
            foreach (CheckItem item in items)
            {
                text.Append(CultureInfo.InvariantCulture, $"| {Cell(item.Name)} | {Cell(item.Limit)} | {Cell(item.Said)} | {Cell(item.Place.ToString())} |\n");
            }
        }

        void Fold(string title, CheckItem[] items)
        {
            if (items.Length > 0)
            {
                text.Append(CultureInfo.InvariantCulture, $"<details><summary>{title}: {items.Length}</summary>\n\n");
                Table(items);
                text.Append("\n</details>\n\n");
            }
        }

        CheckItem[] bad = [.. WorstFirst.Where(i => i.State is CheckState.Broken or CheckState.NotJudged)];
        if (bad.Length > 0)
        {
            Table(bad);
            text.Append('\n');
        }

        foreach (string note in Notes)
        {
            text.Append(CultureInfo.InvariantCulture, $"{TextTable.EscapeMarkdown(OneLine(note))}\n\n");
        }

        Fold("Allowed for a while", [.. Of(CheckState.Excused)]);
        Fold("To know", [.. Of(CheckState.Noted)]);
        Fold("Kept", [.. Of(CheckState.Kept)]);
        return text.ToString();
    }

    /// <summary>A name of an item by itself, as test readers list it.</summary>
    internal static string TitleOf(CheckItem item) => string.Join(": ", new[] { item.Name, item.Limit.Length > 0 ? item.Limit : item.Rule.Title }.Where(t => t.Length > 0));

    /// <summary>As compilers call it.</summary>
    internal static string Level(CheckItem item) => item.State switch { CheckState.Broken => "error", CheckState.NotJudged => "warning", _ => "note" };

    /// <summary>Names are data: whatever ends a line in them ends none here.</summary>
    internal static string OneLine(string text) => string.Concat(text.Select(c => char.IsControl(c) || c is '\u2028' or '\u2029' ? ' ' : c));

    private IEnumerable<CheckItem> Of(CheckState state) => Items.Where(i => i.State == state);

    /// <summary>What holds without anybody stating a limit.</summary>
    private static readonly CheckRule[] Unlimited = [CheckRules.Account, CheckRules.Units, CheckRules.Migrations, CheckRules.Ended, CheckRules.Runs, CheckRules.SameRows];

    private static bool IsBudget(CheckItem item) => !item.House && !Unlimited.Contains(item.Rule);

    private static string Cell(string text) => TextTable.EscapeMarkdown(OneLine(text));

    /// <summary>What TAP reads as a directive or an escape is none in a name.</summary>
    private static string TapName(string name) => OneLine(name).Replace("\\", "\\\\", StringComparison.Ordinal).Replace("#", "\\#", StringComparison.Ordinal);
}
