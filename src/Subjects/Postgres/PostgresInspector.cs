using System.Diagnostics;
using System.Globalization;
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

/// <summary>Executes a case once.</summary>
/// <param name="hash">Given its rows.</param>
/// <param name="picker">Offered them; null for nobody.</param>
/// <returns>How long it took, and how many rows it changed.</returns>
internal delegate (double Milliseconds, long Affected) RowReading(RowHash hash, RowPicker? picker);

/// <summary>Looks at one case: first contact, rows, the plan that an application gets, counted, and the other plan where they differ.</summary>
/// <remarks>
/// PostgreSQL manual, "PREPARE": a statement with parameters is planned for its values five times; then a plan for any values is
/// taken where it is not estimated to be dearer. So the sixth plan is the one that an application keeps.
/// </remarks>
internal sealed partial class PostgresInspector(PostgresConnection connection, ExecutionLimit limit, Holding holding)
{
    /// <summary>A slower statement is not executed a second time just to see whether it counts the same.</summary>
    private static readonly TimeSpan RepeatUnder = TimeSpan.FromSeconds(2);

    private const int ExecutionsPlannedForValues = 5;

    private const string Name = "swift_ledger_case", Counting = "ANALYZE, BUFFERS, WAL, SETTINGS, FORMAT JSON", Clocked = "ANALYZE, TIMING OFF, BUFFERS OFF, FORMAT JSON";

    /// <summary>Cursors over what a write takes away.</summary>
    private const string Gone = "swift_ledger_gone_";

    private const int MostServerTimes = 7;

    private static readonly TimeSpan ServerTimesWithin = TimeSpan.FromSeconds(1);

    public Inspection Look(CaseRun run)
    {
        if (run.Unit is { } unit)
        {
            return new UnitLook(this, connection, unit, run, limit).Look();
        }

        PostgresParameters parameters = PostgresParameters.Of(run);
        Plan? plan = null;
        bool writes = false;
        double? cold = null;
        try
        {
            MustBePlain(parameters);

            writes = Writes(run);
            parameters = Typed(parameters, run);
            SequencePlaces? places = writes && holding == Holding.Transaction ? new(connection) : null;
            RowReading reading = ReadingOf(parameters);
            (cold, RowHash rows, long affected, WrittenRelations written) = Undone(() => FirstExecution(reading));
            writes |= written.Tables.Count > 0;
            bool quick = cold < RepeatUnder.TotalMilliseconds;
            RowHash? compared = rows, second = null;
            if (writes)
            {
                // Finding what changed reads the touched tables: where that takes long it is not done twice.
                long begun = Stopwatch.GetTimestamp();
                compared = Effect(reading, IsPlainWrite(parameters.Sql), written, places);
                second = quick && compared is not null && Stopwatch.GetElapsedTime(begun) < RepeatUnder ? Effect(reading, IsPlainWrite(parameters.Sql), written, places) : null;
            }
            else
            {
                second = quick ? new() : null;
                _ = second is null ? default : Undone(() => reading(second, null));
            }

            (plan, string? note) = Undone(() => PlanOf(parameters, writes));
            Plan? first = plan;
            Plan? again = quick ? SteadyShares.Of(plan, () => Undone(() => PlanOf(parameters, writes).Plan), () => !limit.IsSpent) : null;
            plan = again ?? plan;
            double? server = quick ? Undone(() => ServerTime(parameters, writes)) : null;
            places?.PutBack();
            Dictionary<string, long> counters = CountersOf(first, again);
            return new(plan, cold, writes ? Math.Max(rows.Rows, affected) : rows.Rows, writes, compared?.Multiset, writes ? null : rows.Sequence, second is null || second.Multiset == compared?.Multiset, counters,
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
        RowReading reading = ReadingOf(run);
        var picker = new RowPicker(wanted);
        WrittenRelations written = Undone(() => FirstExecution(reading).Written);
        if (written.Tables.Count == 0)
        {
            Undone(() => reading(new(), picker));
        }
        else if (!written.Hidden)
        {
            var changed = new ChangedRows(picker);
            Undone(() => Changes(reading, written, changed: changed));
            changed.Offers = true;
            Undone(() => Changes(reading, written, picker, changed));
        }

        return picker.Found;
    }

    /// <inheritdoc cref="ISubjectCopy.EachRow"/>
    public void EachRow(CaseRun run, bool ranked, Action<UInt128, long> row)
    {
        if (run.Unit is not null)
        {
            RowReading reading = ReadingOf(run);
            Undone(() => reading(new(), new(hash =>
            {
                row(hash, 0);
                return false;
            })));
            return;
        }

        PostgresParameters parameters = PostgresParameters.Of(run);
        MustBePlain(parameters);
        parameters = Typed(parameters, run);
        Undone(() =>
        {
            using NpgsqlCommand command = connection.Command(parameters.Sql, parameters.Values);
            return PostgresConnection.Guarded(() =>
            {
                var hash = new RowHash();
                using NpgsqlDataReader reader = command.ExecuteReader(System.Data.CommandBehavior.SequentialAccess);
                PostgresRows.Read(reader, hash, _ => row(hash.EndApart(), ranked ? long.Parse(reader.GetString(reader.FieldCount - 1), CultureInfo.InvariantCulture) : 0), keeps: false, ranked ? 1 : 0);
                return true;
            });
        });
    }

    /// <inheritdoc cref="ISubjectCopy.Counted"/>
    public Plan? Counted(CaseRun run)
    {
        PostgresParameters parameters = PostgresParameters.Of(run);
        MustBePlain(parameters);
        parameters = Typed(parameters, run);
        return Undone(() => AsKept(parameters, sql => Explain(Clocked, sql))) is not { } plan ? null
            : plan.Details.TryGetValue("Execution Time", out string? took) && double.TryParse(took, CultureInfo.InvariantCulture, out double milliseconds) ? plan with { Milliseconds = milliseconds } : plan;
    }

    /// <summary>What the server means to do, as a session has it after a while; nothing is executed.</summary>
    /// <exception cref="EngineException">The server refused it.</exception>
    public Plan Planned(CaseRun run)
    {
        if (run.Unit is { } unit)
        {
            return new UnitLook(this, connection, unit, run, limit).Planned();
        }

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
    /// <remarks>What the server locks to write to it tells more: a function that is called may write.</remarks>
    public static bool Writes(CaseRun run) => run.Statements.Any(Writes);

    /// <summary>The same of one statement.</summary>
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

    /// <summary>How a case is executed once, its rows put into a hash, and offered where somebody picks some.</summary>
    private RowReading ReadingOf(PostgresParameters parameters) => (hash, picker) => Executed(parameters, hash, picker);

    private RowReading ReadingOf(CaseRun run)
    {
        if (run.Unit is { } unit)
        {
            var look = new UnitLook(this, connection, unit, run, limit);
            look.Prepare();
            return look.Reading;
        }

        PostgresParameters parameters = PostgresParameters.Of(run);
        MustBePlain(parameters);
        return ReadingOf(Typed(parameters, run));
    }

    private (double Milliseconds, RowHash Rows, long Affected, WrittenRelations Written) FirstExecution(RowReading reading)
    {
        IReadOnlySet<string> beforehand = WrittenRelations.LockedBy(connection);
        var hash = new RowHash();
        (double milliseconds, long affected) = reading(hash, null);
        return (milliseconds, hash, affected, WrittenRelations.Of(connection, beforehand));
    }

    /// <summary>Executes once, and reads what comes.</summary>
    private (double Milliseconds, long Affected) Executed(PostgresParameters parameters, RowHash hash, RowPicker? picker = null)
    {
        using NpgsqlCommand command = connection.Command(parameters.Sql, parameters.Values);
        return PostgresConnection.Guarded(() =>
        {
            long start = Stopwatch.GetTimestamp();
            using NpgsqlDataReader reader = command.ExecuteReader(System.Data.CommandBehavior.SequentialAccess);
            PostgresRows.Read(reader, hash, shown =>
            {
                UInt128 row = hash.End();
                picker?.Offer(row, shown);
            }, keeps: picker is not null);
            double milliseconds = Stopwatch.GetElapsedTime(start).TotalMilliseconds;
            reader.Close();
            return (milliseconds, (long)reader.RecordsAffected);
        });
    }

    /// <summary>What a write returns and leaves behind, in one hash; null where that cannot be told.</summary>
    /// <param name="plain">Whether it can do nothing but write to tables.</param>
    private RowHash? Effect(RowReading reading, bool plain, WrittenRelations written, SequencePlaces? places)
    {
        places?.PutBack();
        try
        {
            return written.Hidden || (written.Tables.Count == 0 && !plain) ? null : Undone(() => Changes(reading, written));
        }
        catch (EngineException)
        {
            return null;
        }
    }

    private static bool IsPlainWrite(string sql) => StatementShape.Of(sql, PostgresEngine.Engine.Dialect).FirstWord is "insert" or "update" or "delete" or "merge" or "with" or "select";

    /// <summary>Executes a write and compares the tables that it touches with what they were.</summary>
    /// <remarks>A cursor that was opened before goes on seeing the rows that the statement took away (PostgreSQL manual, "DECLARE": cursors are insensitive).</remarks>
    private RowHash Changes(RowReading reading, WrittenRelations written, RowPicker? picker = null, ChangedRows? changed = null)
    {
        uint since = unchecked((uint)long.Parse(connection.Ask("SELECT pg_catalog.txid_snapshot_xmax(pg_catalog.txid_current_snapshot())")!, CultureInfo.InvariantCulture));
        for (int i = 0; i < written.Tables.Count; i++)
        {
            connection.Execute($"DECLARE {Gone}{i.ToString(CultureInfo.InvariantCulture)} NO SCROLL CURSOR FOR {written.Tables[i].RowsSince(since, left: false)}");
        }

        var hash = new RowHash();
        reading(hash, picker);
        for (int i = 0; i < written.Tables.Count; i++)
        {
            string table = written.Tables[i].FullName;
            bool any = false;
            ReadRows(written.Tables[i].RowsSince(since, left: true), table, hash, changed is not null, (row, shown) =>
            {
                any = true;
                hash.Leave(row);
                changed?.Left(row, shown);
            });
            ReadRows($"FETCH ALL FROM {Gone}{i.ToString(CultureInfo.InvariantCulture)}", table, hash, changed is not null, (row, shown) =>
            {
                hash.Take(row);
                changed?.Gone(row, any, shown);
            });
        }

        return hash;
    }

    private void ReadRows(string sql, string table, RowHash hash, bool keeps, Action<UInt128, Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)>> seen)
    {
        using NpgsqlCommand command = connection.Command(sql);
        PostgresConnection.Guarded(() =>
        {
            using NpgsqlDataReader reader = command.ExecuteReader(System.Data.CommandBehavior.SequentialAccess);
            PostgresRows.Read(reader, hash, shown =>
            {
                hash.AddText(table);
                seen(hash.EndApart(), shown);
            }, keeps);
            return true;
        });
    }

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
            ? $"Its expressions were compiled (JIT), {Figures.Duration(milliseconds * 1000)} at each execution{(workers > 0 ? ", all processes together" : "")}." : "";
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
