using System.Globalization;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Proposals;

/// <summary>What a proposal is expected to bring, by exact work alone: database-seconds a day.</summary>
public sealed record ExpectedBill(double BillBefore, double BillAfter);

/// <summary>What its trial measured: database-seconds a day, with a 95 % interval of the change; bytes; milliseconds on the copy; statements that were not timed long enough to be in the bill.</summary>
public sealed record MeasuredBill(
    double BillBefore, double BillAfter, double ChangeLow, double ChangeHigh, IReadOnlyList<string> Regressed, IReadOnlyList<string> Improved, int Lines, double? WritesBefore, double? WritesAfter,
    long? SizeBytes, double BuildMs, IReadOnlyList<string> Untold);

/// <summary>Why a rewrite is the same query, or that it is not: in sentences, by the rows of its cases on the copies, and by a script that shows the difference; then each condition, and the search for a difference.</summary>
public sealed record ProofItem(
    string Condition, bool? SameRows, string? Counterexample, IReadOnlyList<ProvenCondition> Conditions, int Cases, int Databases, int WithRows, double Seconds, string? Unsearched);

/// <summary>One proposal as it is handed out.</summary>
public sealed record ProposalItem(
    ProposalKind Kind, string Title, string Reason, string Sql, string Undo, IReadOnlyList<string> Statements, ExpectedBill? Expected, MeasuredBill? Measured, ProofItem? Proof, ProposalFate Fate, string Message);

/// <summary>Proposals as they are handed out; the field names are a contract, described by docs/proposals.schema.json.</summary>
/// <param name="Schema">Its name.</param>
/// <param name="Proposals">The set first, the best of it first.</param>
/// <param name="Set">What all of the set bring together; null where it is empty or could not be measured.</param>
/// <param name="Notes">What was left out, in sentences.</param>
public sealed record ProposalsDocument(string Schema, IReadOnlyList<ProposalItem> Proposals, MeasuredBill? Set, IReadOnlyList<string> Notes)
{
    public const string SchemaName = "swift-ledger/proposals/1";

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    /// <param name="proposals">In any order.</param>
    /// <param name="set">What all of the set bring together.</param>
    /// <param name="notes">What was left out.</param>
    public static ProposalsDocument Of(IReadOnlyList<Proposal> proposals, MeasuredProposal? set, IReadOnlyList<string> notes) => new(
        SchemaName,
        [.. proposals.OrderBy(RankOf).Select(ItemOf)],
        set is null ? null : BillOf(set), notes);

    /// <summary>The order in which proposals are told: those of the set first, and what saves most first; what is not measured by what is expected of it.</summary>
    public static (ProposalFate Fate, double Change, double Expected) RankOf(Proposal p) => (p.Fate, p.Measured?.Bill.Change ?? 0, p.Expected is { } e ? e.After - e.Before : 0);

    /// <summary>One as it is handed out.</summary>
    public static ProposalItem ItemOf(Proposal p) => new(
        p.Kind, p.Title, p.Reason, p.Sql, p.Undo, p.Statements, p.Measured is { Expected: { } expected } m ? new(m.Bill.Before, expected) : null, p.Measured is null ? null : BillOf(p.Measured),
        p.Proof is null ? null : Of(p.Proof), p.Fate, p.Message);

    /// <summary>What a trial told, as it is handed out.</summary>
    public static MeasuredBill BillOf(MeasuredProposal m) => new(
        m.Bill.Before, m.Bill.After, m.Change.Low, m.Change.High, m.Regressed, m.Improved, m.Lines, m.Writes?.Before, m.Writes?.After, m.SizeBytes, m.BuildMilliseconds, m.Untold);

    public string ToJson() => JsonSerializer.Serialize(this, Json) + "\n";

    /// <summary>The set as a change: what alters the schema in the order of the proposals, then the rewrites, which are the application's to make.</summary>
    public string Migration() => string.Join('\n', Applied.Select(p => $"-- {OneLine(p.Title)}\n{p.Sql}")) + "\n";

    /// <summary>What takes the change back, last first; a rewrite leaves nothing behind in the database, and fresh statistics nothing that should be undone.</summary>
    public string Reverse() => string.Join('\n', Applied.Where(p => !p.Kind.IsOtherWords() && p.Undo.Length > 0).Reverse().Select(p => $"-- not: {OneLine(p.Title)}\n{p.Undo}")) + "\n";

    /// <summary>As a table for a terminal.</summary>
    public string ToTable()
    {
        var text = new StringBuilder();
        foreach (ProposalItem p in Proposals)
        {
            text.Append(p.Fate == ProposalFate.InSet ? "in the set   " : "not          ").Append(p.Title).Append('\n');
            text.Append("             ").Append(p.Reason).Append('\n');
            if (p.Measured is { } m)
            {
                text.Append("             measured: ").Append(Words(m)).Append('\n');
            }

            if (p.Proof is { } proof)
            {
                text.Append("             ").Append(proof.Condition).Append('\n');
                text.Append(proof.Counterexample is not { } script ? "" : string.Concat(script.TrimEnd('\n').Split('\n').Select(l => $"               {l}\n")));
            }

            if (p.Message.Length > 0)
            {
                text.Append("             ").Append(p.Message).Append('\n');
            }
        }

        foreach (string note in Notes)
        {
            text.Append("note         ").Append(note).Append('\n');
        }

        return text.Append(Set is { } set ? $"all together {Words(set)}\n" : InSet.Any() ? "all together not measured\n" : "Nothing is proposed.\n").ToString();
    }

    /// <summary>A name may hold a line's end, behind which a comment would be a statement.</summary>
    private static string OneLine(string text) => text.ReplaceLineEndings(" ");

    private IEnumerable<ProposalItem> Applied => InSet.OrderBy(p => p.Kind.IsOtherWords());

    private IEnumerable<ProposalItem> InSet => Proposals.Where(p => p.Fate == ProposalFate.InSet);

    private static ProofItem Of(RewriteProof p) => new(p.Words(), p.SameRows, p.Script, p.Conditions, p.Cases, p.Databases, p.WithRows, p.Seconds, p.Unsearched);

    private static string Words(MeasuredBill m)
    {
        string size = m.SizeBytes is { } bytes ? $", {(bytes < 0 ? "-" : "+")}{Figures.Bytes(Math.Abs(bytes))}" : "";
        string saved = m.BillBefore <= 0 ? "no bill" : string.Create(CultureInfo.InvariantCulture, $"{Figures.Three(m.BillBefore)} to {Figures.Three(m.BillAfter)} database-seconds a day, {ChangeOf(m)}");
        return $"{saved} over {m.Lines} lines; {m.Improved.Count} improved, {m.Regressed.Count} regressed{size}, built in {Figures.Duration(m.BuildMs * 1_000)}";
    }

    private static string ChangeOf(MeasuredBill m) => m.BillAfter <= m.BillBefore ? $"{Figures.PercentLess(m.BillBefore, m.BillAfter)} less" : Figures.Ratio(m.BillAfter / m.BillBefore);
}
