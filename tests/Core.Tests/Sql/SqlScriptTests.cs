using CsCheck;
using Shouldly;
using SwiftLedger.Core.Sql;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Sql;

public class SqlScriptTests
{
    [Fact]
    public void Splitting_then_joining_is_the_identity()
    {
        Gen.OneOf("SELECT 1", ";", "\n", "-- c;\n", "'a;b'", "CREATE TRIGGER t AFTER INSERT ON x BEGIN ", "UPDATE y SET a=1;", " END;", "CASE WHEN 1 THEN 2 END", "/*;*/", "\"", "é")
            .List[0, 25].Select(l => string.Concat(l)).Sample(text =>
            {
                SqlScript script = SqlScript.Split(text);
                string joined = string.Concat(script.Statements.Select(s => s.Whole.Of(text))) + script.Rest.Of(text);
                joined.ShouldBe(text);
            }, iter: 3_000);
    }

    // SQLite's sqlite3_complete(): a trigger ends at a semicolon that follows "; END".
    [Fact]
    public void A_trigger_is_one_statement_with_its_body_and_its_case_expressions()
    {
        const string Trigger = "CREATE TEMP TRIGGER IF NOT EXISTS t AFTER UPDATE ON a BEGIN UPDATE b SET n = CASE WHEN new.x THEN 1 ELSE 2 END; DELETE FROM c; END";
        Bodies($"{Trigger};\nSELECT 1").ShouldBe([Trigger, "SELECT 1"]);
    }

    [Fact]
    public void A_word_in_a_name_or_string_opens_no_body() =>
        Bodies("CREATE TABLE trigger_log(begin_at); SELECT 'begin'; SELECT 2").Count.ShouldBe(3);

    [Fact]
    public void Comments_alone_are_no_statement() => Bodies("-- nothing\n;;/* here */;").ShouldBeEmpty();

    [Fact]
    public void The_last_statement_needs_no_semicolon() => Bodies("SELECT 1; SELECT 2 -- end").ShouldBe(["SELECT 1", "SELECT 2"]);

    // PostgreSQL manual, CREATE FUNCTION: a body in BEGIN ATOMIC ... END holds statements with semicolons.
    [Fact]
    public void A_postgres_routine_body_is_kept_whole() =>
        SqlScript.Split("CREATE FUNCTION f() RETURNS int BEGIN ATOMIC SELECT CASE WHEN true THEN 1 END; SELECT 2; END; SELECT 3", Dialects.PostgreSql)
            .Statements.Count.ShouldBe(2);

    // PostgreSQL manual, CREATE RULE: several commands of one rule stand in parentheses.
    [Fact]
    public void The_commands_of_a_postgres_rule_are_one_statement_with_it() =>
        SqlScript.Split("CREATE RULE r AS ON DELETE TO a DO ALSO (DELETE FROM b; DELETE FROM c); SELECT 1", Dialects.PostgreSql).Statements.Count.ShouldBe(2);

    [Fact]
    public void An_open_parenthesis_keeps_no_statement_of_sqlite_open() => Bodies("SELECT (1; SELECT 2").Count.ShouldBe(2);

    private static List<string> Bodies(string text) => SqlScript.Split(text).Statements.Select(s => s.Body.Of(text)).ToList();
}
