using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Plans.Findings;

/// <summary>Whether an operator may stop before it has given all: then few rows say nothing against an estimate, nor of what there is.</summary>
internal static class EarlyEnd
{
    private static readonly string[] Words = ["exists", "min", "max", "limit", "fetch"];

    /// <param name="side">The plan, with its statement.</param>
    /// <param name="at">Its place in <see cref="Plan.Lines"/>.</param>
    public static bool MayHave(PlanSide side, int at) => side.Language.MayEndEarly(side.Plan, at) ?? (side.Outline.Blocks.Any(b => b.Limited) || Says(side));

    private static bool Says(PlanSide side)
    {
        var lexer = new SqlLexer(side.Sql, side.Language.Dialect);
        while (lexer.TryReadSignificant(out Token token))
        {
            if (token.Kind == TokenKind.Word && Array.Exists(Words, w => token.Span.Of(side.Sql).Equals(w, StringComparison.OrdinalIgnoreCase)))
            {
                return true;
            }
        }

        return false;
    }
}
