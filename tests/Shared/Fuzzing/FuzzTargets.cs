using System.Text;
using System.Text.Json;
using SwiftLedger.Core.Captures;
using SwiftLedger.Core.Captures.Otlp;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Plans.Comparing;
using SwiftLedger.Core.Plans.Findings;
using SwiftLedger.Core.Plans.Writing;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Sql.Syntax;
using SwiftLedger.Core.Workloads;
using SwiftLedger.Testing;

namespace SwiftLedger.Fuzzing;

/// <summary>What reads texts from outside, each with what must hold of any text.</summary>
public static class FuzzTargets
{
    private static readonly SqlDialect[] Known = [.. KnownEngines.All.Select(e => e.Dialect)];

    public static IReadOnlyList<(string Name, Action<string> Run)> All { get; } =
    [
        ("lexer", Lexer), ("pattern", Pattern), ("tags", t => CommentTags.Read(t)), ("outline", Outline), ("files", Files), ("captures", Captures), ("plans", Plans), ("pins", Pins),
    ];

    /// <summary>Real texts: SQL, logs of servers, traces, plans.</summary>
    /// <param name="folder">Holds SQL files; what the machine has of PostgreSQL's own scripts is added.</param>
    public static IReadOnlyList<string> Texts(string folder)
    {
        IEnumerable<string> servers = Directory.Exists("/usr/share/postgresql") ? Directory.EnumerateFiles("/usr/share/postgresql", "*.sql", SearchOption.AllDirectories).Order(StringComparer.Ordinal) : [];
        return [.. Directory.EnumerateFiles(folder, "*.sql", SearchOption.AllDirectories).Order(StringComparer.Ordinal).Concat(servers).Select(File.ReadAllText), .. Samples.Sql, .. Samples.Captures, .. Samples.Plans];
    }

    private static void Lexer(string text)
    {
        foreach (SqlDialect dialect in Known)
        {
            int at = 0;
            foreach (Token token in SqlLexer.Tokenize(text, dialect))
            {
                Hold(token.Start == at && token.Length > 0, "tokens cover the text without gap or overlap");
                at = token.End;
            }

            Hold(at == text.Length, "tokens reach to the end");
        }
    }

    private static void Pattern(string text)
    {
        foreach (SqlDialect dialect in Known)
        {
            SqlPattern pattern = SqlPattern.Of(text, dialect);
            Hold(pattern.Hash == SqlPattern.HashOf(text, dialect), "the hash is that of the text");
            Hold(pattern.Text.Length <= (3 * text.Length) + 16, "a pattern does not grow");
        }
    }

    private static void Outline(string text)
    {
        foreach (SqlDialect dialect in Known)
        {
            foreach (QueryBlock block in StatementOutline.Of(text, dialect).Blocks)
            {
                Hold(block.Span.Start >= 0 && block.Span.Start + block.Span.Length <= text.Length, "a block lies within the text");
            }

            StatementShape.Of(text, dialect);
            StatementTables.Of(text, dialect);
            SqlScript script = SqlScript.Split(text, dialect);
            Hold(string.Concat(script.Statements.Select(s => s.Whole.Of(text))) + script.Rest.Of(text) == text, "the parts of a script give it back");
        }

        SchemaWords.Alters(text, Dialects.Sqlite);
        SchemaWords.Writes(text, Dialects.Sqlite);
    }

    private static void Files(string text)
    {
        foreach (SqlDialect dialect in Known)
        {
            Parsed<Workload> workload = WorkloadFile.Parse(text, dialect);
            ChangeFile.Parse(text, workload.Value, dialect);
        }

        BindLine.Pairs(text);
        LoggedParameters.ToBinds(text);
    }

    private static void Captures(string text)
    {
        byte[] bytes = Encoding.UTF8.GetBytes(text);
        foreach (string? name in CaptureForms.Names.Append<string?>(null))
        {
            FormChoice choice = CaptureForms.Choose(bytes, name, null, null, new DateTime(2026, 3, 2, 12, 0, 0, DateTimeKind.Utc));
            if (choice.Form is not { } form)
            {
                continue;
            }

            var fold = new CaptureFold(choice.Engine.Dialect, AnyPlan.Read, "source", new(), []);
            int start = 0;
            for (int end = Math.Min(97, bytes.Length); ; end = Math.Min(bytes.Length, end + 997))
            {
                int taken = form.Consume(bytes.AsSpan(start, end - start), end == bytes.Length, fold);
                Hold(taken >= 0 && taken <= end - start, "no more is taken than there is");
                start += taken;
                if (end == bytes.Length)
                {
                    break;
                }
            }

            form.Held = form.Held;
            form.Finish(fold);
            fold.CloseUnits();
            fold.Drain();
        }

        try
        {
            OtlpJson.Read(bytes, 1, new CaptureFold(Dialects.PostgreSql, AnyPlan.Read, "source", new(), []));
        }
        catch (JsonException)
        {
            // What it says of a body that is no JSON.
        }

        try
        {
            OtlpProtobuf.Read(bytes, new CaptureFold(Dialects.PostgreSql, AnyPlan.Read, "source", new(), []));
        }
        catch (FormatException)
        {
            // What it says of a body that is no message.
        }
    }

    private static void Plans(string text)
    {
        if (PastedPlan.Read(text).Plan is not { } plan)
        {
            return;
        }

        PlanJson.Read(PlanJson.Write(plan));
        PlanReport.Text(plan);
        var side = Dialects.Side(plan, text);
        PlanDifference.Between(side, side);
        PlanFindings.Of(side);
        PlanReason.Sentence(side, side, rewritten: false);
        RowFlow.Of(side, new PlanSources(side));
    }

    private static void Pins(string text)
    {
        foreach (string plan in Samples.Plans.Take(2))
        {
            Dialects.SqliteEngine.Plans!.Pins!.Rewrite(text, AnyPlan.Read(plan)!);
        }

        Dialects.SqliteEngine.Plans!.Pins!.Pins(text);
    }

    private static void Hold(bool holds, string rule)
    {
        if (!holds)
        {
            throw new InvalidOperationException($"It does not hold that {rule}.");
        }
    }
}
