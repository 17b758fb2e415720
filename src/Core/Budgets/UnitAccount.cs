using System.Globalization;
using System.Text;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Budgets;

/// <summary>A unit in a kept account.</summary>
/// <param name="Name">Of its traces' root spans.</param>
/// <param name="Statements">That one of them sent, at most.</param>
/// <param name="Repeats">How often one of them sent the same statement, at most.</param>
public sealed record UnitLine(string Name, int Statements, int Repeats);

/// <summary>A kept account of a run's units: one line for each, made to be committed. Times are not in it: they are another machine's.</summary>
/// <param name="Lines">In the order of their names.</param>
public sealed record UnitAccount(IReadOnlyList<UnitLine> Lines)
{
    private const string Header = "# swift-ledger units 1", StatementsKey = "statements=", RepeatsKey = "repeats=";

    /// <summary>Of a run.</summary>
    /// <param name="units">What it sent.</param>
    public static UnitAccount Of(IReadOnlyList<RunUnit> units) => new([.. units.Select(u => new UnitLine(u.Name, u.Statements, u.Repeats))]);

    /// <summary>As a file: UTF-8, lines that end in LF, fields parted by tabs.</summary>
    public string ToText()
    {
        var text = new StringBuilder(Header).Append('\n');
        foreach (UnitLine line in Lines)
        {
            text.Append(CultureInfo.InvariantCulture, $"{AccountText.Escaped(line.Name)}\t{StatementsKey}{line.Statements}\t{RepeatsKey}{line.Repeats}\n");
        }

        return text.ToString();
    }

    /// <summary>Reads what <see cref="ToText"/> wrote.</summary>
    /// <param name="text">Of the file, any line ends.</param>
    /// <returns>The account, or the line from 1 that cannot be read, with why.</returns>
    public static (UnitAccount? Account, int Line, string? Problem) Read(string text)
    {
        string[] rows = text.TrimStart('\uFEFF').Split('\n');
        if (rows[0].TrimEnd('\r') != Header)
        {
            return (null, 1, $"It begins with '{Header}'.");
        }

        var lines = new List<UnitLine>();
        var known = new HashSet<string>(StringComparer.Ordinal);
        for (int i = 1; i < rows.Length; i++)
        {
            string row = rows[i].TrimEnd('\r');
            if (row.Length == 0 || row[0] == '#')
            {
                continue;
            }

            if (row.Split('\t') is not [var name, var sent, var same] || Number(sent, StatementsKey) is not { } statements || Number(same, RepeatsKey) is not { } repeats)
            {
                return (null, i + 1, $"A line has a unit, {StatementsKey}number and {RepeatsKey}number, parted by tabs.");
            }

            string unit = AccountText.Unescaped(name);
            if (!known.Add(unit))
            {
                return (null, i + 1, $"'{unit}' stands in it twice.");
            }

            lines.Add(new(unit, statements, repeats));
        }

        return (new(lines), 0, null);
    }

    /// <summary>What left this account, in the order of the new one; what is gone comes last.</summary>
    /// <param name="now">Made today.</param>
    public IReadOnlyList<AccountDeparture> Left(UnitAccount now)
    {
        var kept = Lines.ToDictionary(l => l.Name, StringComparer.Ordinal);
        var told = new List<AccountDeparture>();
        foreach (UnitLine line in now.Lines)
        {
            if (!kept.TryGetValue(line.Name, out UnitLine? then))
            {
                told.Add(new(line.Name, "", false, $"It is not in the account. It sends {Sent(line.Statements)}, the same one {Times(line.Repeats)} at most."));
            }
            else if (line != then)
            {
                string sent = line.Statements == then.Statements ? "" : $"{Sent(line.Statements)} instead of {Figures.Count(then.Statements)}";
                string same = line.Repeats == then.Repeats ? "" : $"the same one {Times(line.Repeats)} instead of {Figures.Count(then.Repeats)}";
                told.Add(new(line.Name, "", line.Statements > then.Statements || (line.Statements == then.Statements && line.Repeats > then.Repeats), $"It sends {string.Join(", ", new[] { sent, same }.Where(s => s.Length > 0))}."));
            }
        }

        HashSet<string> sentNow = [.. now.Lines.Select(l => l.Name)];
        told.AddRange(Lines.Where(l => !sentNow.Contains(l.Name)).Select(l => new AccountDeparture(l.Name, "", false, "It is in the account, and not in the run.")));
        return told;
    }

    internal static string Sent(int statements) => $"{Figures.Count(statements)} {(statements == 1 ? "statement" : "statements")}";

    internal static string Times(int times) => $"{Figures.Count(times)} {(times == 1 ? "time" : "times")}";

    private static int? Number(string field, string key) =>
        field.StartsWith(key, StringComparison.Ordinal) && int.TryParse(field.AsSpan(key.Length), NumberStyles.None, CultureInfo.InvariantCulture, out int number) ? number : null;
}
