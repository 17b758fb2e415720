using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;

namespace SwiftLedger.Core.Proposals.Rewrites;

/// <summary>The rules by which statements are written anew. Each says under which conditions the result is the same query.</summary>
/// <remarks>
/// Laws of the relational algebra with NULL as SQL has it; see C. J. Date, "SQL and Relational Theory" (2nd edition, 2011), and C. Galindo-Legaria, M. Joshi, "Orthogonal Optimization of Subqueries and
/// Aggregation" (2001), both from memory. What a rule says is not believed: each result is run against the statement, on copies and on made databases.
/// </remarks>
public static class RewriteRules
{
    private static readonly Func<RewriteInput, IEnumerable<RewriteCandidate>>[] All =
    [
        SubqueryRules.NotInToNotExists, SubqueryRules.NotExistsToNotIn, SubqueryRules.InToExists, SubqueryRules.ExistsToIn, SubqueryRules.CountToExists,
        GroupRules.SubqueryToGroups, GroupRules.GroupsBeforeJoin, JoinRules.JoinToExists, JoinRules.UnusedJoin, KeyRules.DistinctNeedless, KeyRules.OrderNeedless, KeyRules.UnionToUnionAll, KeyRules.OrToUnion, DayRules.DayToRange,
        FirstRules.FirstOfGroup, PrefixRules.PrefixToRange, TieRules.KeysPushed, PageRules.PageByKey, FenceRules.KeptOrNot, TieRules.MissingTie,
    ];

    /// <summary>Other texts for a statement; none where it is no query, or has something in it of which the rules cannot know whether it may be run twice.</summary>
    /// <param name="sql">The statement.</param>
    /// <param name="dialect">Of its engine.</param>
    /// <param name="catalog">Of the subject.</param>
    /// <param name="cases">Values of its parameters, as the workload has them.</param>
    public static IReadOnlyList<RewriteCandidate> Of(string sql, SqlDialect dialect, Catalog catalog, IReadOnlyList<IReadOnlyDictionary<string, SqlValue>> cases)
    {
        SyntaxTree tree = SyntaxTree.Read(sql, dialect);
        if (tree.Statement is not Query query || HindranceOf(tree, dialect) is not null)
        {
            return [];
        }

        var input = new RewriteInput(sql, query, dialect, catalog, QueryScope.Of(query, catalog), cases);
        return [.. All.SelectMany(rule => rule(input)).Where(r => r.Sql != sql).DistinctBy(r => r.Sql)];
    }

    /// <summary>Why nothing is written anew; null where something may be.</summary>
    /// <param name="tree">Of the statement.</param>
    /// <param name="dialect">Of its engine.</param>
    public static string? HindranceOf(SyntaxTree tree, SqlDialect dialect)
    {
        if (tree.Statement is not Query query)
        {
            return tree.Statement is null ? "the grammar does not know it" : "it writes";
        }

        if (tree.Unknown.Count > 0)
        {
            return $"the grammar passes '{tree.Unknown[0].Construct}' through";
        }

        foreach (SyntaxNode node in query.Descend())
        {
            string? hindrance = node switch
            {
                Call call when call.Function.Parts.Count > 1 || !dialect.Grammar!.SteadyFunctions.Contains(call.Function.Last.ToLowerInvariant()) => $"nothing is known of its function {call.Function.Last}",
                WordedCall call when !dialect.Grammar!.SteadyFunctions.Contains(call.Function.Value.ToLowerInvariant()) => $"nothing is known of its function {call.Function.Value}",
                Call { Arguments.Count: 0, Quantifier: "", Over: null } call => $"{call.Function.Last}() may be another value each time",
                Literal literal when literal.Text.StartsWith("CURRENT_", StringComparison.OrdinalIgnoreCase) || literal.Text.StartsWith("LOCALTIME", StringComparison.OrdinalIgnoreCase) || IsTime(literal.Text) => $"{literal.Text} is another value each time",
                TypedLiteral typed when IsTime(typed.Text) => $"{typed.Text} is another value each time",
                Parameter { Text: "?" } => "its parameters have no names",
                Statement and not Query => "it writes",
                LockRows => "it locks rows",
                _ => null,
            };
            if (hindrance is not null)
            {
                return hindrance;
            }
        }

        return null;
    }

    /// <summary>Texts that engines take for the time at which they are read.</summary>
    private static bool IsTime(string literal) => literal.Trim('\'').Trim().ToLowerInvariant() is "now" or "today" or "tomorrow" or "yesterday";
}
