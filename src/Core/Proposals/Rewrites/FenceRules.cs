using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>Queries in WITH: made once and kept, or read as if they stood where they are named. To the rows it is all one.</summary>
internal static class FenceRules
{
    /// <summary>What is kept is not, and the other way about.</summary>
    /// <remarks>SQLite manual, "The WITH Clause", 3.2 "Materialization Hints"; PostgreSQL manual, 7.8.3 "Common Table Expression Materialization".</remarks>
    public static IEnumerable<RewriteCandidate> KeptOrNot(RewriteInput input)
    {
        var uses = input.Statement.Descend().OfType<TableSource>().Where(t => t.Table.Parts.Count == 1).ToLookup(t => t.Table.Last, StringComparer.OrdinalIgnoreCase);
        foreach (CommonTable table in input.Statement.Descend().OfType<With>().SelectMany(w => w.Tables))
        {
            string name = table.Name.Value;
            int named = uses[name].Count();
            if (named == 0 || table.Body.Descend().OfType<TableSource>().Any(t => t.Table.Parts.Count == 1 && t.Table.Last.Equals(name, StringComparison.OrdinalIgnoreCase)))
            {
                // One that reads itself is always kept.
                continue;
            }

            // Where rows come in no order, which of them a bound or a window takes first may be others each time.
            if (table.Body.Descend().Any(n => n is Query { Tail.Count: > 0 } or Call { Over: not null } or Select { DistinctOn.Count: > 0 }))
            {
                continue;
            }

            bool keeps = table.Kept.Length > 0 ? !table.Kept.StartsWith("NOT", StringComparison.Ordinal) : named > 1;
            if (Behind(input, table) is { } place && input.With((place, keeps ? "AS NOT MATERIALIZED" : "AS MATERIALIZED")) is { } sql)
            {
                yield return new(
                    RewriteKind.KeptOrNot, sql, keeps ? $"{name} is made whole before any of it is asked for: no condition and no index reaches into it." : $"{name} is put where it is named: kept, it is made once, by itself.",
                    [RewriteCondition.Met("Nothing in it gives another row the second time.")]);
            }
        }
    }

    /// <summary>AS, with the words about keeping behind it.</summary>
    private static TextSpan? Behind(RewriteInput input, CommonTable table)
    {
        int from = (table.Columns.Count > 0 ? table.Columns[^1] : (SyntaxNode)table.Name).Span!.Value.End;
        string text = input.Sql[from..table.Body.Span!.Value.Start];
        Token[] words = [.. SqlLexer.Tokenize(text, input.Dialect).Where(t => !t.IsTrivia && t.Span.Of(text).All(char.IsAsciiLetter))];
        return words.Length == 0 || !words[0].Span.Of(text).Equals("AS", StringComparison.OrdinalIgnoreCase) ? null : TextSpan.Between(from + words[0].Span.Start, from + words[^1].Span.End);
    }
}
