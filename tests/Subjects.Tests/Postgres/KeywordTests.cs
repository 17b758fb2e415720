using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>The grammar's words against the server's own list of them: PostgreSQL's manual, appendix C, as <c>pg_get_keywords()</c> tells it.</summary>
[Collection(PostgresFixture.Contents)]
public sealed class KeywordTests(PostgresFixture postgres)
{
    [Fact]
    public void Words_are_taken_as_the_server_has_them()
    {
        SqlGrammar grammar = Dialects.PostgreSql.Grammar!;
        string[] Words(string condition) => [.. postgres.Sql("postgres", $"COPY (SELECT upper(word) FROM pg_get_keywords() WHERE {condition} ORDER BY 1) TO STDOUT").Split('\n', StringSplitOptions.RemoveEmptyEntries)];
        Words("catcode IN ('R', 'T')").Except(grammar.Reserved).ShouldBeEmpty();
        Words("catcode = 'T'").Except(grammar.Functions).ShouldBeEmpty();
        Words("NOT barelabel").Order().ShouldBe(grammar.NoBareAliases.Order());

        // SYSTEM_USER came with version 16.
        grammar.Reserved.Except(Words("catcode IN ('R', 'T')")).Except(["SYSTEM_USER"]).ShouldBeEmpty();
        grammar.BareAliases.Except(Words("catcode IN ('R', 'T') AND barelabel")).Except(["SYSTEM_USER"]).ShouldBeEmpty();
    }
}
