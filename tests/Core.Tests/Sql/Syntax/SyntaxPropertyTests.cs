using CsCheck;
using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Sql.Syntax;

/// <summary>Whatever tree is made, written and read again is the same tree; and no text breaks the reader.</summary>
public class SyntaxPropertyTests
{
    private static readonly string[] Words =
        ["select", "from", "t", "(", ")", ",", "where", "a", "=", "1", "and", "or", "join", "on", "union", "not", "in", "as", ".", "'x'", "case", "end", "between", ":p", "limit", "delete", "with", "over", "values",
            "insert", "into", "set", "update", "::", "[", "]", "array", "*", "-", "exists", "cast", "is", "null", "order", "by", "group", "using", "when", "then", "--\n", "/*", "merge", "returning", "interval", "collate"];

    [Theory]
    [InlineData("sqlite")]
    [InlineData("postgreSql")]
    public void What_is_written_and_read_again_is_the_same(string engine)
    {
        SqlDialect dialect = Dialects.Of(engine);
        SqlGrammar grammar = dialect.Grammar!;
        Queries(grammar, 3).Sample(
            query =>
            {
                string plain = SyntaxPrinter.Print(query, grammar, Layout.Plain);
                SyntaxTree read = SyntaxTree.Read(plain, dialect);
                read.Statement.ShouldNotBeNull($"{(read.Unknown.Count > 0 ? read.Unknown[0].Construct : "")} in {plain}");
                SyntaxPrinter.Print(read.Statement, grammar, Layout.Explicit).ShouldBe(SyntaxPrinter.Print(query, grammar, Layout.Explicit), plain);
                SyntaxPrinter.Print(read.Statement, grammar, Layout.Plain).ShouldBe(plain);
                SyntaxPrinter.Print(read.Statement, grammar).ShouldBe(plain);
            },
            iter: 3_000);
    }

    [Theory]
    [InlineData("sqlite")]
    [InlineData("postgreSql")]
    public void A_part_that_is_replaced_changes_nothing_else(string engine)
    {
        SqlDialect dialect = Dialects.Of(engine);
        SqlGrammar grammar = dialect.Grammar!;
        Gen.Select(Queries(grammar, 3), Expressions(grammar, 2), Gen.Int[0, 10_000]).Sample(
            (query, by, pick) =>
            {
                SyntaxTree read = SyntaxTree.Read(SyntaxPrinter.Print(query, grammar, Layout.Plain), dialect);
                List<Name> parts = [.. read.Statement!.Descend().OfType<Name>().Where(n => n.Last.StartsWith('v'))];
                if (parts.Count == 0)
                {
                    return;
                }

                Name part = parts[pick % parts.Count];
                string was = SyntaxPrinter.Print(read.Statement, grammar, Layout.Explicit);
                SyntaxTree after = SyntaxTree.Read(read.Replaced(part, by, dialect), dialect);
                after.Statement.ShouldNotBeNull(after.Sql);

                // The part's place is told by a name that stands nowhere else.
                string marked = SyntaxPrinter.Print(SyntaxTree.Read(read.Replaced(part, new Name([new Identifier("marked")]), dialect), dialect).Statement!, grammar, Layout.Explicit);
                string now = SyntaxPrinter.Print(after.Statement, grammar, Layout.Explicit), made = SyntaxPrinter.Print(by, grammar, Layout.Explicit);
                now.ShouldBeOneOf(
                    marked.Replace("marked", made, StringComparison.Ordinal), marked.Replace("marked", $"({made})", StringComparison.Ordinal),
                    marked.Replace("(marked)", made, StringComparison.Ordinal));
                marked.Replace("marked", string.Join('.', part.Parts.Select(p => p.Text)), StringComparison.Ordinal).ShouldBe(was);
            },
            iter: 2_000);
    }

    [Theory]
    [InlineData("sqlite")]
    [InlineData("postgreSql")]
    public void No_text_breaks_it(string engine) => Gen.Int[0, Words.Length - 1].Select(i => Words[i]).Array[0, 40].Sample(
        words =>
        {
            string sql = string.Join(' ', words);
            SyntaxTree tree = SyntaxTree.Read(sql, Dialects.Of(engine));
            (tree.Statement is null ? tree.Unknown.Count == 1 && tree.Unknown[0].Span.End <= sql.Length : SyntaxPrinter.Print(tree.Statement, Dialects.Of(engine).Grammar!) == sql.Trim().TrimEnd(';').TrimEnd()
                || sql.Contains("--", StringComparison.Ordinal) || sql.Contains("/*", StringComparison.Ordinal)).ShouldBeTrue(sql);
        },
        iter: 20_000);

    [Theory]
    [InlineData("(", "1", ")")]
    [InlineData("NOT ", "1", "")]
    [InlineData("- ", "1", "")]
    [InlineData("CASE WHEN ", "1", " THEN 1 END")]
    [InlineData("(SELECT ", "1", ")")]
    [InlineData("", "1", " + 1")]
    [InlineData("f(", "1", ")")]
    [InlineData("", "1", "[1]")]
    [InlineData("", "1", " COLLATE a")]
    [InlineData("ARRAY[", "1", "]")]
    public void Nesting_without_end_is_refused_and_does_no_harm(string open, string inner, string close)
    {
        string sql = "SELECT " + string.Concat(Enumerable.Repeat(open, 20_000)) + inner + string.Concat(Enumerable.Repeat(close, 20_000));
        foreach (SqlDialect dialect in new[] { Dialects.Sqlite, Dialects.PostgreSql })
        {
            SyntaxTree.Read(sql, dialect).Statement.ShouldBeNull();
        }
    }

    [Fact]
    public void Long_lists_and_conditions_are_read()
    {
        string sql = "SELECT 1 FROM t WHERE a IN (" + string.Join(", ", Enumerable.Range(0, 50_000)) + ") AND " + string.Join(" AND ", Enumerable.Range(0, 20_000).Select(i => $"b <> {i}"));
        SyntaxTree tree = SyntaxTree.Read(sql, Dialects.Sqlite);
        SyntaxPrinter.Print(tree.Statement.ShouldNotBeNull(), Dialects.Sqlite.Grammar!, Layout.Plain).ShouldBe(sql);
        StatementOutline.Of(sql).Blocks.ShouldHaveSingleItem().Conditions.Count.ShouldBe(20_001);
    }

    private static Gen<string> OneOf(params string[] texts) => Gen.Int[0, texts.Length - 1].Select(i => texts[i]);

    private static readonly Gen<Identifier> Identifiers = OneOf("v1", "v2", "\"v 3\"").Select(t => new Identifier(t));

    private static readonly Gen<Expression> Leaves = Gen.OneOf(
        Identifiers.Select(i => (Expression)new Name([i])),
        Gen.Select(Identifiers, Identifiers).Select((a, b) => (Expression)new Name([new Identifier("t"), b])),
        OneOf("1", "'x''y'", "2.5e3", "NULL", "x'0f'").Select(t => (Expression)new Literal(t)),
        Gen.Const((Expression)new Parameter(":p")));

    private static Gen<Expression> Expressions(SqlGrammar grammar, int depth)
    {
        if (depth == 0)
        {
            return Leaves;
        }

        Gen<Expression> below = Expressions(grammar, depth - 1);
        bool wide = grammar.Has(GrammarRules.WideExpressions);
        var made = new List<Gen<Expression>>
        {
            Leaves,
            Gen.Select(below, OneOf(["=", "<", "<>", "+", "-", "*", "||", .. wide ? new[] { "^", "@>", "IS DISTINCT FROM" } : ["&", "->>", "==", "IS", "IS NOT"]]), below).Select((l, o, r) => (Expression)new Binary(l, o, r)),
            Gen.Select(OneOf("NOT", "-", "~"), below).Select((o, e) => (Expression)new Unary(o, e)),
            Gen.Select(OneOf("AND", "OR"), below.Array[2, 3]).Select((o, e) => (Expression)new Logical(o, [.. e.SelectMany(t => t is Logical l && l.Operator == o ? l.Terms : [t])])),
            Gen.Select(below, OneOf("IS NULL", "IS NOT NULL")).Select((e, w) => (Expression)new Test(e, w)),
            Gen.Select(below, Gen.Bool, below, below).Select((e, n, l, h) => (Expression)new Between(e, n, false, l, h)),
            Gen.Select(below, Gen.Bool, below, below.Array[0, 1]).Select((e, n, p, x) => (Expression)new Match(e, n, "LIKE", p, x.FirstOrDefault())),
            Gen.Select(below, Gen.Bool, below.Array[1, 3]).Select((e, n, i) => (Expression)new In(e, n, new Row(i, false))),
            Gen.Select(below, below, below).Select((a, b, c) => (Expression)new SwiftLedger.Core.Sql.Syntax.Case(null, [new When(a, b)], c)),
            Gen.Select(below, below).Select((a, b) => (Expression)new Call(new Name([new Identifier("f")]), "", [a, b], [], [], null, null)),
            below.Select(e => (Expression)new Cast(e, new TypeName(["int"]), false)),
            below.Select(e => (Expression)new Collated(e, new Name([new Identifier("c")]))),
            below.Select(e => (Expression)new Enclosed(e)),
        };
        if (wide)
        {
            made.Add(below.Select(e => (Expression)new Cast(e, new TypeName(["int"]), true)));
            made.Add(Gen.Select(below, below).Select((a, b) => (Expression)new Quantified(a, "=", "ANY", b)));
            made.Add(Gen.Select(below, below).Select((a, b) => (Expression)new AtTimeZone(a, b)));
            made.Add(below.Array[0, 2].Select(e => (Expression)new ArrayList(e, true)));
        }

        if (depth > 1)
        {
            made.Add(Queries(grammar, depth - 2).Select(q => (Expression)new Subquery(q)));
            made.Add(Queries(grammar, depth - 2).Select(q => (Expression)new Exists(q)));
            made.Add(Gen.Select(below, Queries(grammar, depth - 2)).Select((e, q) => (Expression)new In(e, true, new Subquery(q))));
        }

        return Gen.OneOf([.. made]);
    }

    private static Gen<Query> Queries(SqlGrammar grammar, int depth)
    {
        Gen<Expression> expression = Expressions(grammar, depth);
        Gen<Source> table = Identifiers.Array[0, 1].Select(a => (Source)new TableSource(new Name([new Identifier("t")]), false, false, a.Length == 0 ? null : new Alias(a[0], true, []), "", null, null));
        Gen<Source> joined = Gen.OneOf(
            table,
            Gen.Select(table, OneOf("JOIN", "LEFT JOIN"), table, expression).Select((l, w, r, on) => (Source)new Join(l, w, r, on, [], null)),
            Gen.Select(table, table).Select((l, r) => (Source)new Join(l, ",", r, null, [], null)));
        Gen<Select> select = Gen.Select(expression.Array[1, 2], joined, expression.Array[0, 1], expression.Array[0, 1], Gen.Bool).Select(
            (items, from, where, group, distinct) =>
                new Select(distinct ? "DISTINCT" : "", [], [.. items.Select(i => new SelectItem(i, null, false))], from, where.FirstOrDefault(), "", group, null, []));
        Gen<QueryTerm> term = Gen.OneOf(select.Select(s => (QueryTerm)s), Gen.Select(select, OneOf("UNION", "EXCEPT", "INTERSECT"), select).Select((l, o, r) => (QueryTerm)new SetOperation(l, o, r)));
        return Gen.Select(term, expression.Array[0, 1], Gen.Bool).Select(
            (t, order, limit) => new Query(null, t, [.. order.Select(o => new OrderTerm(o, "DESC", ""))], limit ? [new Bound("LIMIT", null, new Literal("3"), "")] : []));
    }
}
