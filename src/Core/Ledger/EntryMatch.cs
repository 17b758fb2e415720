using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Ledger;

/// <summary>A deployment as the daybook has it.</summary>
/// <param name="At">When, UTC.</param>
/// <param name="Version">What was live then; may be empty.</param>
/// <param name="Script">Statements that ran; may be empty.</param>
public sealed record SeenDeployment(DateTime At, string Version, string Script);

/// <summary>What tells that a proposed change is live: read once, and held against any number of deployments.</summary>
/// <param name="change">A change file.</param>
/// <param name="brings">What it makes of the schema, in the engine's own words; empty where they are not known.</param>
/// <param name="posted">When it was posted, UTC.</param>
/// <param name="dialect">Of both.</param>
public sealed class SoughtChange(string change, string brings, DateTime posted, SqlDialect dialect)
{
    private readonly HashSet<ulong>[] _wanted = [.. new[] { change, brings }.Select(s => EntryMatch.Signs(s, dialect)).Where(s => s.Count > 0)];

    /// <summary>Whether a deployment brought it: it came later, and holds every statement in the one wording or the other.</summary>
    /// <param name="at">Of the deployment.</param>
    /// <param name="ran">What tells its statements.</param>
    public bool CameWith(DateTime at, IReadOnlySet<ulong> ran) => at >= posted && _wanted.Any(w => w.IsSubsetOf(ran));
}

/// <summary>Finds the deployment that brought what an entry proposes.</summary>
public static class EntryMatch
{
    /// <summary>Statements that prepare or follow a change, and are no sign of it.</summary>
    private static readonly string[] Aside = ["begin", "commit", "analyze", "analyse", "vacuum", "set", "pragma", "reindex", "lock", "start"];

    /// <summary>The first deployment after the posting whose script holds every statement of the change; null where none does, or the change holds none.</summary>
    /// <param name="change">The entry's change file.</param>
    /// <param name="brings">What it makes of the schema, in the engine's own words: what a look at the subject tells is in these. Empty where they are not known.</param>
    /// <param name="posted">When the entry was posted, UTC: what was live before is not what it proposes.</param>
    /// <param name="deployments">In any order.</param>
    /// <param name="dialect">Of both.</param>
    public static SeenDeployment? Of(string change, string brings, DateTime posted, IEnumerable<SeenDeployment> deployments, SqlDialect dialect)
    {
        var sought = new SoughtChange(change, brings, posted, dialect);
        return deployments.Where(d => d.Script.Length > 0).OrderBy(d => d.At).FirstOrDefault(d => sought.CameWith(d.At, Signs(d.Script, dialect)));
    }

    /// <summary>Whether a change holds statements that run in the database, and not only rewrites.</summary>
    /// <param name="change">A change file.</param>
    /// <param name="dialect">Of it.</param>
    public static bool HasStatements(string change, SqlDialect dialect) => Signs(change, dialect).Count > 0;

    /// <summary>
    /// What tells the statements of a script: their tokens, without letter case, layout and comments. Literals count, since they decide what a
    /// partial index or a check holds; IF [NOT] EXISTS and CONCURRENTLY do not, since they decide only how it is made.
    /// </summary>
    /// <param name="script">A change file; rewrites in it run in the application, and not here.</param>
    /// <param name="dialect">Of the script.</param>
    /// <returns>One for each statement that is a sign of a change.</returns>
    public static HashSet<ulong> Signs(string script, SqlDialect dialect)
    {
        var signs = new HashSet<ulong>();
        foreach (ScriptStatement statement in SqlScript.Split(script, dialect).Statements)
        {
            string[] words = [.. SqlLexer.Tokenize(statement.Body.Of(script), dialect).Where(t => !t.IsTrivia && t.Kind != TokenKind.Semicolon)
                .Select(t => t.Span.Of(statement.Body.Of(script)) is var text && t.Kind is TokenKind.String ? text : text.Trim('"').ToLowerInvariant())];
            string comments = statement.Whole.Of(script)[..(statement.Body.Start - statement.Whole.Start)];
            if (words.Length > 0 && !Aside.Contains(words[0]) && !comments.Contains("-- rewrite:", StringComparison.OrdinalIgnoreCase))
            {
                signs.Add(System.IO.Hashing.XxHash3.HashToUInt64(System.Text.Encoding.UTF8.GetBytes(string.Join(' ', words.Where(w => w != "concurrently")).Replace(" if not exists", "", StringComparison.Ordinal).Replace(" if exists", "", StringComparison.Ordinal))));
            }
        }

        return signs;
    }
}
