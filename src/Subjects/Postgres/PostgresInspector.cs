using System.Diagnostics;
using System.Globalization;
using System.Text;
using Npgsql;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>What takes an execution back.</summary>
internal enum Holding
{
    /// <summary>A transaction of its own: on a private copy.</summary>
    Transaction,

    /// <summary>One that cannot write: on what is there already.</summary>
    ReadOnlyTransaction,

    /// <summary>A savepoint of the transaction that holds the change.</summary>
    OpenTransaction,
}

/// <summary>Looks at one case: first contact, rows, the plan that an application gets, counted, and the other plan where they differ.</summary>
/// <remarks>
/// PostgreSQL manual, "PREPARE": a statement with parameters is planned for its values five times; then a plan for any values is
/// taken where it is not estimated to be dearer. So the sixth plan is the one that an application keeps.
/// </remarks>
internal sealed class PostgresInspector(PostgresConnection connection, ExecutionLimit limit, Holding holding)
{
    /// <summary>A slower statement is not executed a second time just to see whether it counts the same.</summary>
    private static readonly TimeSpan RepeatUnder = TimeSpan.FromSeconds(2);

    private const int ExecutionsPlannedForValues = 5;

    private const string Name = "swift_ledger_case", Counting = "ANALYZE, BUFFERS, WAL, SETTINGS, FORMAT JSON", Clocked = "ANALYZE, TIMING OFF, BUFFERS OFF, FORMAT JSON";

    private const int MostServerTimes = 7, ValueBuffer = 1 << 16;

    private static readonly TimeSpan ServerTimesWithin = TimeSpan.FromSeconds(1);

    public Inspection Look(CaseRun run)
    {
        PostgresParameters parameters = PostgresParameters.Of(run);
        Plan? plan = null;
        bool writes = false;
        double? cold = null;
        try
        {
            MustBePlain(parameters);

            writes = Writes(run.Sql);
            parameters = Typed(parameters, run);
            (cold, RowHash rows) = Undone(() => FirstExecution(parameters, writes));
            (plan, string? note) = Undone(() => PlanOf(parameters, writes));
            Plan? again = cold < RepeatUnder.TotalMilliseconds ? Undone(() => PlanOf(parameters, writes).Plan) : null;
            RowHash? second = cold < RepeatUnder.TotalMilliseconds ? Undone(() => FirstExecution(parameters, writes).Rows) : null;
            double? server = cold < RepeatUnder.TotalMilliseconds ? Undone(() => ServerTime(parameters, writes)) : null;
            Dictionary<string, long> counters = CountersOf(plan, again);
            return new(plan, cold, rows.Rows, writes, rows.Multiset, writes ? null : rows.Sequence, second is null || (second.Multiset == rows.Multiset && second.Rows == rows.Rows), counters,
                again is null ? null : CountersOf(again, null)[PostgresEngine.Engine.Counter!.Name] == counters[PostgresEngine.Engine.Counter!.Name], null)
            { PlanNote = note, ServerMilliseconds = server };
        }
        catch (EngineException e)
        {
            string message = e.TimeLimit ? limit.Exceeded.Message : parameters.Explained(e);
            plan ??= e.TimeLimit ? PlannedOrNone(run) : null;
            return new(plan, cold, null, writes, null, null, true, new Dictionary<string, long>(), null, new(message, e.TimeLimit));
        }
    }

    /// <summary>One untimed execution, of which the rows are kept whose hash is wanted.</summary>
    /// <exception cref="EngineException">It failed, or took too long.</exception>
    public RowsOnlyHere Rows(CaseRun run, Func<UInt128, bool> wanted)
    {
        PostgresParameters parameters = PostgresParameters.Of(run);
        MustBePlain(parameters);
        parameters = Typed(parameters, run);
        var picker = new RowPicker(wanted);
        Undone(() => FirstExecution(parameters, Writes(run.Sql), picker));
        return picker.Found;
    }

    /// <summary>What the server means to do, as a session has it after a while; nothing is executed.</summary>
    /// <exception cref="EngineException">The server refused it.</exception>
    public Plan Planned(CaseRun run)
    {
        PostgresParameters parameters = PostgresParameters.Of(run);
        MustBePlain(parameters);
        parameters = Typed(parameters, run);
        return Undone(() => AsKept(parameters, sql => Explain("FORMAT JSON", sql))) ?? new Plan([]);
    }

    /// <summary>On what is not a private copy, a text that is no query or write is refused before any of it runs.</summary>
    private void MustBePlain(PostgresParameters parameters)
    {
        if (holding != Holding.Transaction)
        {
            Undone(() =>
            {
                connection.MustBePlain(parameters.Probe ?? parameters.Sql);
                return true;
            });
        }
    }

    private PostgresParameters Typed(PostgresParameters plain, CaseRun run) => plain.Probe is null ? plain : Undone(() => PostgresParameters.Of(run, connection));

    /// <summary>A statement that does not come to an end has a plan to show.</summary>
    private Plan? PlannedOrNone(CaseRun run)
    {
        try
        {
            return Planned(run);
        }
        catch (EngineException)
        {
            return null;
        }
    }

    /// <summary>Whether any part of a statement writes: its outermost word, or one within WITH.</summary>
    public static bool Writes(string sql)
    {
        string first = StatementShape.Of(sql, PostgresEngine.Engine.Dialect).FirstWord;
        return first is not ("select" or "values" or "table" or "show" or "with" or "")
            || (first == "with" && SqlLexer.Tokenize(sql, PostgresEngine.Engine.Dialect).Where(t => t.Kind == TokenKind.Word)
                .Any(t => t.Span.Of(sql).ToUpperInvariant() is "INSERT" or "UPDATE" or "DELETE" or "MERGE"));
    }

    /// <summary>Runs something and takes it back, also where it failed.</summary>
    private T Undone<T>(Func<T> work)
    {
        connection.Execute($"SET statement_timeout = {limit.Milliseconds.ToString(CultureInfo.InvariantCulture)}");
        return holding == Holding.OpenTransaction ? connection.Held(work) : connection.Undone(work, holding == Holding.ReadOnlyTransaction);
    }

    private (double Milliseconds, RowHash Rows) FirstExecution(PostgresParameters parameters, bool writes, RowPicker? picker = null)
    {
        // What a write did is seen by the rows that it gives back.
        bool returning = writes && !parameters.Sql.Contains("RETURNING", StringComparison.OrdinalIgnoreCase) && !parameters.Sql.StartsWith("WITH", StringComparison.OrdinalIgnoreCase)
            && !parameters.Sql.StartsWith("MERGE", StringComparison.OrdinalIgnoreCase);
        using NpgsqlCommand command = connection.Command(returning ? parameters.Sql + "\nRETURNING *" : parameters.Sql, parameters.Values);
        var hash = new RowHash();
        byte[] buffer = new byte[ValueBuffer];
        return PostgresConnection.Guarded(() =>
        {
            long start = Stopwatch.GetTimestamp();
            using NpgsqlDataReader reader = command.ExecuteReader(System.Data.CommandBehavior.SequentialAccess);
            while (reader.Read())
            {
                Add(hash, reader, buffer, picker);
            }

            return (Stopwatch.GetElapsedTime(start).TotalMilliseconds, hash);
        });
    }

    private static void Add(RowHash hash, NpgsqlDataReader reader, byte[] buffer, RowPicker? picker)
    {
        string[] shown = picker is null ? [] : [.. Enumerable.Repeat("NULL", reader.FieldCount)];
        hash.Begin();
        for (int i = 0; i < reader.FieldCount; i++)
        {
            // A number that reads like a text is another value.
            hash.AddNumber(7, reader.GetDataTypeOID(i));
            if (reader.IsDBNull(i))
            {
                hash.AddNumber(0, 0);
            }
            else
            {
                // In pieces: a value may have a gigabyte.
                using Stream value = reader.GetStream(i);
                hash.AddStream(3, value, buffer, picker is null ? null : begin => shown[i] = IsNumber(reader.GetDataTypeOID(i)) ? RowsOnlyHere.Cut(Encoding.UTF8.GetString(RowPicker.Begin(begin))) : RowPicker.Quoted(begin));
            }
        }

        UInt128 row = hash.End();
        picker?.Offer(row, () => ([.. Enumerable.Range(0, reader.FieldCount).Select(reader.GetName)], [.. shown.Select((value, i) => (reader.GetDataTypeName(i), value))]));
    }

    /// <summary>Whether values of a type read as numbers, or as truths, and need no quotes: int8, int2, int4, oid, float4, float8, numeric; bool (pg_type.dat).</summary>
    private static bool IsNumber(uint type) => type is 20 or 21 or 23 or 26 or 700 or 701 or 1700 or 16;

    private (Plan? Plan, string? Note) PlanOf(PostgresParameters parameters, bool writes) => AsKept(parameters, sql =>
        Explain(Counting, sql) is not { } seen ? (null, null) : parameters.Values.Count == 0 ? (seen, Helped(seen)) : WithPlanning(seen, sql, writes));

    /// <summary>Time in the server alone: no clock runs within the plan, no row is sent.</summary>
    /// <returns>Median of the executions, in ms; null where the server tells none.</returns>
    private double? ServerTime(PostgresParameters parameters, bool writes) => AsKept(parameters, sql =>
    {
        var times = new List<double>();

        // A write is done once: a second one in the same transaction would be another one.
        for (int i = 0; i < (writes ? 1 : MostServerTimes) && times.Sum() < ServerTimesWithin.TotalMilliseconds; i++)
        {
            if (Explain(Clocked, sql)?.Details.TryGetValue("Execution Time", out string? took) == true && double.TryParse(took, CultureInfo.InvariantCulture, out double milliseconds))
            {
                times.Add(milliseconds);
            }
        }

        return times.Count == 0 ? (double?)null : Quantile.Median([.. times]);
    });

    /// <summary>Gives the statement as an application has it after a while: prepared, and beyond the executions that are planned for their values.</summary>
    private T AsKept<T>(PostgresParameters parameters, Func<string, T> look)
    {
        if (parameters.Values.Count == 0)
        {
            return look(parameters.Sql);
        }

        connection.Execute($"PREPARE {Name} AS {parameters.Sql}");
        try
        {
            string execute = $"EXECUTE {Name}({parameters.Literals})";
            for (int i = 0; i < ExecutionsPlannedForValues; i++)
            {
                Explain("FORMAT JSON", execute);
            }

            return look(execute);
        }
        finally
        {
            if (connection.Handle.State == System.Data.ConnectionState.Open)
            {
                Deallocate();
            }
        }
    }

    /// <summary>Whether the sixth plan is made anew each time or kept; and where it is kept, what one for these values is, and touches.</summary>
    /// <remarks>PostgreSQL manual, 54.15 "pg_prepared_statements": it counts plans of both kinds from version 14 on; before, a placeholder in the plan tells.</remarks>
    private (Plan Plan, string? Note) WithPlanning(Plan kept, string execute, bool writes)
    {
        bool forAny = connection.Handle.PostgreSqlVersion.Major >= 14
            ? connection.Rows("SELECT s.name, s.generic_plans FROM pg_catalog.pg_prepared_statements AS s").Any(s => s[0] == Name && s[1] != "0")
            : kept.Lines().Any(l => l.Operator.Condition?.Contains("$1", StringComparison.Ordinal) == true);
        var details = new Dictionary<string, string>(kept.Details) { [Planning.Kind] = forAny ? Planning.Once : Planning.Anew };
        Plan planned = kept with { Details = details };
        string? helped = Helped(kept);
        if (!forAny)
        {
            return (planned, helped);
        }

        connection.Execute("SET LOCAL plan_cache_mode = force_custom_plan");
        if (Explain("FORMAT JSON", execute) is not { } forThese || forThese.Text == kept.Text)
        {
            return (planned, helped);
        }

        // A write would be done a second time in the same transaction.
        if (!writes && Explain(Counting, execute) is { Roots: [var root, ..] })
        {
            details[Planning.BlocksForValues] = Planning.BlocksOf(root).ToString(CultureInfo.InvariantCulture);
        }

        return (planned, $"The server keeps to a plan for any values, shown here. For these values it plans: {forThese.Text.ReplaceLineEndings("; ")}.{(helped is null ? "" : $" {helped}")}");
    }

    /// <summary>What besides the session's own process worked on it: time then depends on whether that is there.</summary>
    private static string? Helped(Plan plan)
    {
        double workers = plan.Lines().Sum(l => l.Operator.Detail("Workers Launched") ?? 0);
        string parallel = workers > 0 ? $"{Figures.Count((long)workers)} parallel worker{(workers == 1 ? "" : "s")} took part; their CPU time is not in the line's." : "";
        string compiled = plan.Details.TryGetValue("JIT Time", out string? took) && double.TryParse(took, CultureInfo.InvariantCulture, out double milliseconds)
            ? $"Its expressions were compiled (JIT), {Figures.Duration(milliseconds * 1000)} at each execution." : "";
        return (parallel + compiled).Length == 0 ? null : $"{parallel} {compiled}".Trim();
    }

    private void Deallocate()
    {
        try
        {
            connection.Execute($"DEALLOCATE {Name}");
        }
        catch (EngineException)
        {
            // A transaction that failed refuses even this; prepared statements of a rolled back transaction stay, so the name is freed at the next look.
            connection.BackToHold();
            connection.Execute($"DEALLOCATE {Name}");
        }
    }

    private Plan? Explain(string options, string sql) =>
        connection.Ask($"EXPLAIN ({options}) {sql}") is { } json ? PostgresPlanText.Read(json) : null;

    private static Dictionary<string, long> CountersOf(Plan? plan, Plan? again)
    {
        var counters = new Dictionary<string, long>();
        if ((again ?? plan) is not { Roots: [var root, ..] } counted)
        {
            return counters;
        }

        // Blocks of an operator hold those of what is below it.
        counters[PostgresEngine.Engine.Counter!.Name] = Planning.BlocksOf(root);
        counters["rowsProcessed"] = counted.Lines().Sum(l => l.Operator.Counts?.RowsVisited ?? 0);
        counters["blocksRead"] = (long)((root.Detail("Shared Read Blocks") ?? 0) + (root.Detail("Local Read Blocks") ?? 0));
        counters["tempBlocks"] = (long)((root.Detail("Temp Read Blocks") ?? 0) + (root.Detail("Temp Written Blocks") ?? 0));
        counters["walBytes"] = (long)(root.Detail("WAL Bytes") ?? 0);
        return counters;
    }
}
