using System.Globalization;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Core.Rehearsals;

/// <summary>A line of a load file that says when a statement was really executed: <c>-- arrived 12.503 s, session 4, transaction 2: hut=3</c>.</summary>
/// <param name="Seconds">From the beginning of the record.</param>
/// <param name="Session">From 1.</param>
/// <param name="Transaction">From 1; 0 for one by itself.</param>
/// <param name="Bindings">Its values.</param>
/// <param name="Span">Where it stands.</param>
internal sealed partial record ArrivedLine(double Seconds, int Session, int Transaction, IReadOnlyList<Binding> Bindings, TextSpan Span)
{
    /// <summary>The word that such lines begin with.</summary>
    public const string Key = "arrived";

    /// <summary>Reads a line.</summary>
    /// <param name="file">The whole text.</param>
    /// <param name="directive">The line.</param>
    /// <param name="part">Of the file, for problems.</param>
    /// <param name="problems">Told what is wrong.</param>
    /// <returns>Null where it says no moment.</returns>
    public static ArrivedLine? Read(string file, Directive directive, InputPart part, List<InputProblem> problems)
    {
        Match m = Moment().Match(directive.Qualifier);
        if (!m.Success || NumberOf(m, "session", 1) is not { } session || session is < 1 or > LoadFile.MostSessions || NumberOf(m, "transaction", 0) is not { } transaction)
        {
            problems.Add(InputProblem.At(part, file, directive.Span,
                $"'{directive.Qualifier}' is not when and where it came: write 'arrived 12.503 s, session 4: name=value', with a session from 1 to {LoadFile.MostSessions}, and ', transaction 2' behind it where several were one."));
            return null;
        }

        return new(double.Parse(m.Groups["at"].Value, CultureInfo.InvariantCulture), session, transaction, directive.Value.Length == 0 ? [] : BindLine.ReadPairs(file, directive, part, problems), directive.Span);
    }

    /// <summary>Writes a line.</summary>
    public static string TextOf(double seconds, int session, int transaction, string binds) => string.Create(CultureInfo.InvariantCulture,
        $"-- {Key} {seconds:0.######} s, session {session}{(transaction > 0 ? $", transaction {transaction}" : "")}: {binds}").TrimEnd();

    private static int? NumberOf(Match m, string group, int usual) =>
        !m.Groups[group].Success ? usual : int.TryParse(m.Groups[group].Value, CultureInfo.InvariantCulture, out int number) ? number : null;

    [GeneratedRegex(@"^(?<at>\d{1,9}(\.\d+)?)\s*s(\s*,\s*session\s+(?<session>\d+))?(\s*,\s*transaction\s+(?<transaction>\d+))?$", RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex Moment();
}
