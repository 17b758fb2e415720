using System.Globalization;
using System.Text;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Budgets;

/// <summary>A case in a kept account: the shape of its plan, and what the engine counts exactly.</summary>
/// <param name="Statement">Its name.</param>
/// <param name="Case">The case's label.</param>
/// <param name="Shape">Of its plan, as a hash; empty where there is none.</param>
/// <param name="Counters">By name; empty where nothing was counted.</param>
public sealed record AccountLine(string Statement, string Case, string Shape, IReadOnlyDictionary<string, long> Counters);

/// <summary>What left a kept account.</summary>
/// <param name="Statement">Its name.</param>
/// <param name="Case">The case's label; empty where it is about all cases.</param>
/// <param name="Dearer">Whether it does more work.</param>
/// <param name="Sentence">In a sentence.</param>
public sealed record AccountDeparture(string Statement, string Case, bool Dearer, string Sentence)
{
    /// <summary>As a check tells it.</summary>
    /// <param name="file">The account's.</param>
    public CheckItem ToItem(string file) =>
        new(CheckRules.Account, Dearer ? CheckState.Broken : CheckState.Noted, new(file, null), BudgetCheck.NameOf(Statement, Case), "", Sentence) { Subject = Statement };
}

/// <summary>A kept account of plans and work: one line for each case, made to be committed and to be read in a diff.</summary>
/// <param name="Engine">With its version: another one may plan otherwise.</param>
/// <param name="Lines">In the order of the workload.</param>
public sealed record WorkAccount(string Engine, IReadOnlyList<AccountLine> Lines)
{
    private const string Header = "swift-ledger account 1";

    /// <summary>Work within this factor is as much as before: pages that a server touches may differ by a few.</summary>
    private const double Same = 1.02;

    /// <summary>Of the after side.</summary>
    /// <param name="account">Inspected.</param>
    public static WorkAccount Of(TrialAccount account)
    {
        WorkCounter counter = account.Brief.Options.Engine.Counter!;
        IReadOnlyList<string> Exact(Line line) => line.Evidence.After?.Writes == true ? counter.ExactOfWrites ?? counter.Exact : counter.Exact;
        return new(
            account.Environment is { } e ? $"{account.Brief.Options.Engine.Name} {e.EngineVersion}" : account.Brief.Options.Engine.Name,
            [.. account.Lines.Select(l => new AccountLine(
                l.Brief.Statement, l.Brief.Case, l.Evidence.After?.Plan?.Shape ?? "",
                (l.Evidence.After?.Counters ?? new Dictionary<string, long>()).Where(c => Exact(l).Contains(c.Key) || c.Key == "statements").OrderBy(c => c.Key, StringComparer.Ordinal).ToDictionary(c => c.Key, c => c.Value)))]);
    }

    /// <summary>As a file: UTF-8, lines that end in LF, fields parted by tabs.</summary>
    public string ToText()
    {
        var text = new StringBuilder($"# {Header}, {Engine}\n");
        foreach (AccountLine line in Lines)
        {
            text.AppendJoin('\t', [AccountText.Escaped(line.Statement), AccountText.Escaped(line.Case), line.Shape.Length > 0 ? line.Shape : "-", .. line.Counters.Select(c => string.Create(CultureInfo.InvariantCulture, $"{c.Key}={c.Value}"))]).Append('\n');
        }

        return text.ToString();
    }

    /// <summary>Reads what <see cref="ToText"/> wrote.</summary>
    /// <param name="text">Of the file, any line ends.</param>
    /// <returns>The account, or the line from 1 that cannot be read, with why.</returns>
    public static (WorkAccount? Account, int Line, string? Problem) Read(string text)
    {
        string[] rows = text.TrimStart('\uFEFF').Split('\n');
        string first = rows[0].TrimEnd('\r');
        if (!first.StartsWith($"# {Header}, ", StringComparison.Ordinal))
        {
            return (null, 1, $"It begins with '# {Header}, ' and the engine.");
        }

        var lines = new List<AccountLine>();
        for (int i = 1; i < rows.Length; i++)
        {
            string row = rows[i].TrimEnd('\r');
            if (row.Length == 0 || row[0] == '#')
            {
                continue;
            }

            string[] fields = row.Split('\t');
            if (fields.Length < 3)
            {
                return (null, i + 1, "A line has a statement, a case, the shape of a plan, and counters, parted by tabs.");
            }

            var counters = new Dictionary<string, long>();
            foreach (string field in fields.Skip(3))
            {
                int at = field.IndexOf('=', StringComparison.Ordinal);
                if (at <= 0 || !long.TryParse(field.AsSpan(at + 1), NumberStyles.None, CultureInfo.InvariantCulture, out long counted))
                {
                    return (null, i + 1, $"'{field}' is no counter: name=number.");
                }

                counters[field[..at]] = counted;
            }

            lines.Add(new(AccountText.Unescaped(fields[0]), AccountText.Unescaped(fields[1]), fields[2] == "-" ? "" : fields[2], counters));
        }

        return (new(first[$"# {Header}, ".Length..], lines), 0, null);
    }

    /// <summary>What left this account, in the order of the new one; what is gone comes last.</summary>
    /// <param name="now">Made today.</param>
    /// <param name="primary">The engine's primary counter, by name.</param>
    public IReadOnlyList<AccountDeparture> Left(WorkAccount now, string primary)
    {
        var told = new List<AccountDeparture>();
        foreach (AccountLine line in now.Lines)
        {
            AccountLine? kept = Lines.FirstOrDefault(l => l.Statement == line.Statement && l.Case == line.Case);
            if (kept is null)
            {
                told.Add(new(line.Statement, line.Case, false, "It is not in the account."));
                continue;
            }

            if (line is { Shape.Length: 0, Counters.Count: 0 })
            {
                if (kept is not { Shape.Length: 0, Counters.Count: 0 })
                {
                    told.Add(new(line.Statement, line.Case, false, "It fails, or was not looked at."));
                }

                continue;
            }

            (long? then, long? counted) = (Of(kept, primary), Of(line, primary));
            bool moved = then is { } a && counted is { } b && (Math.Max(a, 1) > Math.Max(b, 1) * Same || Math.Max(b, 1) > Math.Max(a, 1) * Same);
            string work = moved ? $"{Figures.Count(counted!.Value)} {primary} instead of {Figures.Count(then!.Value)}" : "";
            string plan = kept.Shape != line.Shape ? "another plan" : "";
            string lost = then is not null && counted is null && line.Counters.Count == 0 ? $"its {primary} were not counted" : "";
            if (work.Length + plan.Length + lost.Length > 0)
            {
                told.Add(new(line.Statement, line.Case, moved && counted > then, $"{string.Join(", ", new[] { work, plan, lost }.Where(s => s.Length > 0))}."));
            }
        }

        told.AddRange(Lines.Where(l => !now.Lines.Any(n => n.Statement == l.Statement && n.Case == l.Case)).Select(l => new AccountDeparture(l.Statement, l.Case, false, "It is in the account, and not in the workload.")));
        return told;
    }

    private static long? Of(AccountLine line, string counter) => line.Counters.TryGetValue(counter, out long counted) ? counted : null;
}
