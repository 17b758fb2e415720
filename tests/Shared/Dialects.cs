using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Testing;

/// <summary>The engines by name, and what they read where a test does not say whose text it is: the default one's.</summary>
internal static class Dialects
{
    public static readonly Engine SqliteEngine = KnownEngines.Default, PostgresEngine = KnownEngines.Find("postgreSql")!, MySqlEngine = KnownEngines.Find("mySql")!;

    public static readonly SqlDialect Sqlite = SqliteEngine.Dialect, PostgreSql = PostgresEngine.Dialect, MySql = MySqlEngine.Dialect;

    public static SqlDialect Of(string engine) => KnownEngines.Find(engine)!.Dialect;

    /// <summary>A plan with its statement, in the default engine's words.</summary>
    /// <param name="dialect">Of the engine whose words the plan is in.</param>
    public static PlanSide Side(Plan plan, string sql = "", SqlDialect? dialect = null) => new(plan, sql, KnownEngines.Find((dialect ?? Sqlite).Id)!.Plans!);
}

internal static class PlanDifferenceOfTests
{
    extension(PlanDifference)
    {
        public static IReadOnlyList<PlanDifference> Between(Plan before, Plan after) => PlanDifference.Between(before, after, Dialects.SqliteEngine.Plans!);
    }
}

internal static class SqlLexerOfTests
{
    extension(SqlLexer)
    {
        public static List<Token> Tokenize(ReadOnlySpan<char> text) => SqlLexer.Tokenize(text, Dialects.Sqlite);
    }
}

internal static class SqlPatternOfTests
{
    extension(SqlPattern)
    {
        public static SqlPattern Of(ReadOnlySpan<char> sql) => SqlPattern.Of(sql, Dialects.Sqlite);

        public static ulong HashOf(ReadOnlySpan<char> sql) => SqlPattern.HashOf(sql, Dialects.Sqlite);
    }
}

internal static class StatementTablesOfTests
{
    extension(StatementTables)
    {
        public static StatementTables Of(ReadOnlySpan<char> sql) => StatementTables.Of(sql, Dialects.Sqlite);
    }
}

internal static class StatementShapeOfTests
{
    extension(StatementShape)
    {
        public static StatementShape Of(string sql) => StatementShape.Of(sql, Dialects.Sqlite);
    }
}

internal static class StatementOutlineOfTests
{
    extension(StatementOutline)
    {
        public static StatementOutline Of(string sql) => StatementOutline.Of(sql, Dialects.Sqlite);
    }
}

internal static class SqlScriptOfTests
{
    extension(SqlScript)
    {
        public static SqlScript Split(string text) => SqlScript.Split(text, Dialects.Sqlite);
    }
}

internal static class WorkloadFileOfTests
{
    extension(WorkloadFile)
    {
        public static Parsed<Workload> Parse(string text) => WorkloadFile.Parse(text, Dialects.Sqlite);
    }
}

internal static class ChangeFileOfTests
{
    extension(ChangeFile)
    {
        public static Parsed<Change> Parse(string text, Workload workload) => ChangeFile.Parse(text, workload, Dialects.Sqlite);
    }
}
