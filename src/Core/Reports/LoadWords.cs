using SwiftLedger.Core.Rehearsals;
using SwiftLedger.Core.Trials;
using SwiftLedger.Core.Wording;

namespace SwiftLedger.Core.Reports;

/// <summary>A finding of a load at length.</summary>
/// <param name="Kind">Of the finding.</param>
/// <param name="Title">In a few words.</param>
/// <param name="Told">What shows it, and from which share on.</param>
/// <param name="Meaning">Why it costs.</param>
/// <param name="Remedy">What people do.</param>
public sealed record LoadGlossaryEntry(LoadFindingKind Kind, string Title, string Told, string Meaning, string Remedy);

/// <summary>What a rehearsal found, in sentences: the one place for screens, command and reports.</summary>
public static class LoadWords
{
    /// <summary>Why a measure has its verdict, or none; empty where the numbers say it.</summary>
    public static string Of(MeasureJudgement judged) => judged.Reason switch
    {
        null => "",
        MeasureReason.TooFewExecutions => $"Shown, not judged: that wants {Figures.Count(judged.Measure.Least())} executions in a stint.",
        MeasureReason.TooFewPairs => $"{judged.Pairs} pairs of stints; the first look is at {RehearsalRule.Looks.Blocks[0]}.",
        MeasureReason.Noise => judged is { Low: { } low, High: { } high } ? $"Anything from {Figures.Ratio(low)} to {Figures.Ratio(high)} would fit what was seen." : "Its interval is too wide to tell.",
        MeasureReason.Trending => "The first and the second half of the pairs disagree: something else moved meanwhile.",
        MeasureReason.Correlated => "Neighbouring pairs resemble each other: the machine was busy with something else for longer than a pair.",
        MeasureReason.Sender => "The sender was slower than what it measures: this is no figure of the database. Fewer sessions, or a lower rate, can be sent from this machine.",
        MeasureReason.Overrun => "More arrived on both sides than could be served: what is measured then is how long the stint was. Lower the rate, or give it more sessions.",
        MeasureReason.FailsBefore => $"It fails on the before side: {judged.Message?.TrimEnd('.')}.",
        MeasureReason.FailsAfter => $"It fails more often on the after side: {judged.Message?.TrimEnd('.')}.",
        _ => "Only one side ran: nothing is compared.",
    };

    /// <summary>What happened, in one sentence.</summary>
    /// <param name="account">Of the rehearsal.</param>
    /// <param name="judged">What its pairs say.</param>
    /// <param name="before">What the before side did over all of its stints.</param>
    /// <param name="soak">How a soak went; null where it is none.</param>
    public static string Headline(RehearsalAccount account, IReadOnlyList<MeasureJudgement> judged, IReadOnlyList<StatementStint> before, SoakAccount? soak = null)
    {
        if (account.Capacity is { } capacity)
        {
            return Capacity(capacity);
        }

        if (account.Stints.Count == 0)
        {
            return account.Done?.Problem ?? "Nothing was measured.";
        }

        string problem = $"{(soak is null ? "" : $" {Of(soak)}")}{(account.Done?.Problem is { } said ? $" {said}" : "")}";
        if (account.Brief.Options.OneSided)
        {
            StatementStint all = before[0];
            return $"One side alone, which compares nothing: {Figures.Three(all.PerSecond)} a second, {Latency(all)}.{(soak is null ? Drift(account.Stints) : "")}{problem}";
        }

        MeasureJudgement? failed = judged.FirstOrDefault(j => j.Verdict == Verdict.Failed);
        if (failed is not null)
        {
            return $"{failed.Statement ?? "The load"}: {Of(failed)}{problem}";
        }

        MeasureJudgement[] moved = [.. judged.Where(j => j.Verdict is Verdict.Regressed or Verdict.Improved)];
        string pairs = $"after {account.Stints.Select(s => s.Pair).Distinct().Count()} pairs of stints";
        MeasureJudgement? worst = Foremost(moved, Verdict.Regressed), best = Foremost(moved, Verdict.Improved);
        string told = (worst, best) switch
        {
            (null, null) => Unmoved(judged, pairs),
            ({ } w, null) => $"Under this load {Change(w)}, {pairs}.",
            (null, { } b) => $"Under this load {Change(b)}, {pairs}.",
            ({ Statement: not null } w, { Statement: null } b) => $"Under this load {Change(b)}, while {Change(w)}, {pairs}.",
            ({ } w, { } b) => $"Under this load {Change(w)}, while {Change(b)}, {pairs}.",
        };
        return told.TrimEnd() + problem;
    }

    /// <summary>How a figure of a soak moved: <c>p95 of all rises, before: 2.1 ms at the beginning, 2.6 ms at the end; 0.4 ms to 0.6 ms an hour</c>.</summary>
    public static string Of(SoakTrend t)
    {
        string course = t.Course switch { SoakCourse.Steady => "holds", SoakCourse.Rising => "rises", SoakCourse.Falling => "falls", _ => "may hold or move" };
        return $"{What(t)} {course} on the {t.Side.ToString().ToLowerInvariant()} side: {Figure(t, t.AtStart)} at the beginning, {Figure(t, t.AtEnd)} at the end, {Signed(t, t.Low)} to {Signed(t, t.High)} an hour";
    }

    private static string What(SoakTrend t) => t.Measure switch
    {
        SoakMeasure.Throughput => "Throughput",
        SoakMeasure.Bytes => "The size of the files",
        SoakMeasure.Memory => "The sender's memory",
        _ => $"{t.Measure.ToString().ToLowerInvariant()} of {t.Statement ?? "all"}",
    };

    private static string Figure(SoakTrend t, double value) => t.Measure switch
    {
        SoakMeasure.Throughput => $"{Figures.Three(Math.Max(0, value))}/s",
        SoakMeasure.Bytes or SoakMeasure.Memory => $"{Figures.Three(value / 1e6)} MB",
        _ => Figures.Duration(value * 1_000),
    };

    private static string Signed(SoakTrend t, double value) => (value < 0 ? "-" : "+") + Figure(t, Math.Abs(value));

    /// <summary>A soak in a few sentences: what rises first, else that nothing does.</summary>
    private static string Of(SoakAccount soak)
    {
        string over = $"Over {Elapsed(soak.Seconds)}{(soak.Legs > 1 ? $", begun {soak.Legs} times on fresh copies," : "")}";
        SoakTrend[] latencies = [.. soak.Trends.Where(t => t.Measure is SoakMeasure.P50 or SoakMeasure.P95 or SoakMeasure.P99)];
        SoakTrend? worst = latencies.Where(t => t.Course == SoakCourse.Rising).OrderBy(t => t.Statement is not null).ThenByDescending(t => t.AtEnd / Math.Max(1e-9, t.AtStart)).FirstOrDefault();
        string told = worst is not null ? $"{over} {What(worst)} rises on the {worst.Side.ToString().ToLowerInvariant()} side from {Figure(worst, worst.AtStart)} to {Figure(worst, worst.AtEnd)}."
            : latencies.Length == 0 && soak.LeftOut > 0 ? $"{over} the sender was the limit in {soak.LeftOut} stints, and the others are too few to tell whether anything drifts."
            : latencies.Length == 0 ? $"{over} there are too few stints to tell whether anything drifts."
            : latencies.Any(t => t.Course == SoakCourse.Falling) ? $"{over} no latency rises, and some fall."
            : latencies.All(t => t.Course == SoakCourse.Steady) ? $"{over} latency holds." : $"{over} no latency is known to rise.";
        SoakTrend? grown = soak.Trends.Where(t => t is { Measure: SoakMeasure.Bytes, Course: SoakCourse.Rising }).MaxBy(t => t.PerHour);
        SoakPlanChange[] plans = [.. soak.Plans.Where(p => !p.AfterRestart)];
        return told + (grown is null ? "" : $" The files of the {grown.Side.ToString().ToLowerInvariant()} side grow by {Figure(grown, grown.PerHour)} an hour.")
            + (plans.Length == 0 ? "" : $" {plans[0].Statement} got another plan on the way{(plans.Length > 1 ? $", and {plans.Length - 1} more {(plans.Length == 2 ? "change" : "changes")} of a plan" : "")}.");
    }

    private static string Elapsed(double seconds) => seconds switch { < 120 => $"{Figures.Three(seconds)} s", < 7_200 => $"{Figures.Three(seconds / 60)} min", _ => $"{Figures.Three(seconds / 3_600)} h" };

    private static string Unmoved(IReadOnlyList<MeasureJudgement> judged, string pairs)
    {
        MeasureJudgement[] asked = [.. judged.Where(j => j.Reason != MeasureReason.TooFewExecutions)];
        int level = asked.Count(j => j.Verdict == Verdict.Level);
        return level == 0 ? $"Nothing is settled {pairs}. {judged.Select(Of).FirstOrDefault(w => w.Length > 0)}"
            : level == asked.Length ? $"Nothing moved under this load, {pairs}."
            : $"Nothing is known to have moved under this load: {level} of {asked.Length} measures are level, the others unsettled, {pairs}.";
    }

    /// <summary>One measure and how it moved: <c>p99 of all is 3.1x longer</c>.</summary>
    public static string Change(MeasureJudgement j)
    {
        double ratio = j.Ratio ?? 1, factor = ratio >= 1 ? ratio : 1 / ratio;
        string what = j.Measure == LoadMeasure.Throughput ? "throughput" : $"{Name(j.Measure)} of {j.Statement ?? "all"}";
        return $"{what} is {Figures.Three(factor)}x {(j.Measure == LoadMeasure.Throughput ? ratio > 1 ? "higher" : "lower" : ratio > 1 ? "longer" : "shorter")}";
    }

    public static string Name(LoadMeasure measure) => measure.ToString().ToLowerInvariant();

    /// <summary>What a finding is, what shows it, and what to do.</summary>
    public static (string Title, string Evidence, string Meaning, string Remedy) Of(LoadFinding finding)
    {
        string where = finding.Statement is { } statement ? $", most of it in {statement}" : "";
        string wait = finding.Wait is { } kind ? $" ({kind})" : "";
        string figures = finding.IsPerThousand
            ? $"In 1,000 executions: {Sides(finding.Before, finding.After, Figures.Three)}"
            : $"{(finding.Kind switch { LoadFindingKind.CpuAllUsed => "Busy processors", LoadFindingKind.PoolTooSmall => "Sessions in use", LoadFindingKind.SenderTooSlow => "Stints", LoadFindingKind.CommitsWaitForDisk => "Of the sessions' time without queueing for each other", _ => "Of the sessions' time" })}: {Sides(finding.Before, finding.After, Figures.Percent)}";
        (string title, string meaning, string remedy) = Meaning(finding.Kind);
        return (title, $"{figures}{where}{wait}.", meaning, remedy);
    }

    /// <summary>Who waited for whom, in a sentence.</summary>
    public static string Of(LockQueueSides queue)
    {
        string sides = Sides(queue.Before, queue.After, Figures.Percent);
        return $"{queue.Statement ?? "Something else"} waited behind {queue.Behind ?? (queue.Meaning == WaitMeaning.Commit ? "a commit" : "something else")} ({queue.Kind}): {sides} of the sessions' time, {queue.Longest} in a queue at the most{(queue.Depth > 1 ? $", {queue.Depth} deep" : "")}";
    }

    private static (string Title, string Meaning, string Remedy) Meaning(LoadFindingKind kind) => kind switch
    {
        LoadFindingKind.CommitsWaitForDisk => ("Commits wait for the disk", "Each commit waits until the disk has it, however little it holds.", "Commit several executions together where losing the last few is no harm beyond repeating them; the same load with 'commit: every 100' shows what that brings."),
        LoadFindingKind.RowQueue => ("Sessions queue for one row", "A row that many transactions change lets one of them through at a time, each until its commit.", "Spread the counter over several rows and add them up when reading, or count when reading; keep the change of the shared row the last step before the commit."),
        LoadFindingKind.LongTransaction => ("Transactions stay open while nothing runs", "Locks are held from the first change to the commit, also while the application does something else.", "Do what does not need the database before the transaction or after it."),
        LoadFindingKind.SingleWriter => ("Writers queue for the file", "A file of this engine lets one transaction write at a time, each until its commit.", "Make each write transaction short, commit several together, and keep reads outside of them; a write-ahead log lets readers through meanwhile."),
        LoadFindingKind.Deadlocks => ("Transactions wait in a circle", "Two transactions each hold what the other wants; the engine ends one of them.", "Change rows in the same order everywhere, and begin anew what was ended."),
        LoadFindingKind.Conflicts => ("Transactions begin anew", "What a transaction had read was changed by another before it could write.", "Take the lock before reading what will be changed, or make the transaction shorter."),
        LoadFindingKind.PoolTooSmall => ("All sessions are busy while processors are free", "Arrivals wait for a session, and not for the database.", "More sessions, as long as the processors and locks have room: try the curve over sessions."),
        LoadFindingKind.CpuAllUsed => ("The processors have no more", "Executions wait for a processor. The sender, and an engine within it, are on the same ones here.", "Cheaper statements help everything; more sessions help nothing."),
        LoadFindingKind.SharedPages => ("Sessions wait for the same pages", "Rows that are inserted one after the other meet on the last page of a table or an index.", "Keys that are spread, or fewer indexes on the table that grows."),
        LoadFindingKind.Checkpoints => ("Sessions write back what was committed", "The log is written back into the database by whoever commits when it has grown.", "Write it back from a session of its own, or less often."),
        LoadFindingKind.Disk => ("Sessions wait for files", "What is read does not fit into memory, or is written out at once.", "An index that reads less, or more memory for the cache."),
        LoadFindingKind.TemporaryFiles => ("Statements write temporary files", "What is sorted, hashed or kept for later does not fit into the memory that one step of a plan may take.", "An index that gives the order, fewer or narrower rows to sort, or more memory for that statement's session: every session may take as much, and more than once."),
        _ => ("The sender is too slow", "Executions began late although their session was free.", "Send less from this machine; nothing is decided from such stints."),
    };

    /// <summary>All findings at length: common practice of the trade, no source.</summary>
    public static IReadOnlyList<LoadGlossaryEntry> Glossary { get; } = [.. Enum.GetValues<LoadFindingKind>().Select(k => Meaning(k) is var (title, meaning, remedy) ? new LoadGlossaryEntry(k, title, Told(k), meaning, remedy) : null!)];

    private static string Told(LoadFindingKind kind) => kind switch
    {
        LoadFindingKind.CommitsWaitForDisk => $"Waits for commits were sampled, or timed by the engine: they have {Figures.Percent(LoadFinding.CommitShare)} or more of the time in which sessions did not queue for each other.",
        LoadFindingKind.RowQueue => $"Waits for a row that another transaction changed have {Figures.Percent(LoadFinding.QueueShare)} or more of the sessions' time. The statement is the one that was seen waiting most.",
        LoadFindingKind.LongTransaction => $"Sessions sit in an open transaction and execute nothing for {Figures.Percent(LoadFinding.QueueShare)} or more of their time, while others wait for rows for {Figures.Percent(LoadFinding.HarmShare)} or more: where nobody waits, it does no harm.",
        LoadFindingKind.SingleWriter => $"Waits for the write lock have {Figures.Percent(LoadFinding.QueueShare)} or more of the sessions' time.",
        LoadFindingKind.Deadlocks => "The engine ended a transaction because of a deadlock, once in 1,000 executions or more.",
        LoadFindingKind.Conflicts => "A transaction was refused because what it read had changed, and began anew, once in 1,000 executions or more. Deadlocks are counted apart.",
        LoadFindingKind.PoolTooSmall => $"More than one arrival waits on average, {Figures.Percent(LoadFinding.InUse)} or more of the sessions are in use, and processors are free.",
        LoadFindingKind.CpuAllUsed => $"All processors of this machine together were busy for {Figures.Percent(LoadFinding.AllUsed)} or more of the stints. Of a server elsewhere this says nothing.",
        LoadFindingKind.SharedPages => $"Waits for a page in memory have {Figures.Percent(LoadFinding.PageShare)} or more of the sessions' time.",
        LoadFindingKind.Checkpoints => $"Writing the log back has {Figures.Percent(LoadFinding.QueueShare)} or more of the sessions' time.",
        LoadFindingKind.Disk => $"Reading and writing files has {Figures.Percent(LoadFinding.DiskShare)} or more of the sessions' time.",
        LoadFindingKind.TemporaryFiles => "The server counted a temporary file, once in 1,000 executions or more. An older server hands its counts over about once a second: what a stint made may be counted in the next one of the same side.",
        _ => "In half of the stints or more, the 99th percentile of how late executions began although a session was free is no longer small against their latency.",
    };

    private static string Sides(double? before, double? after, Func<double, string> text) => (before, after) switch
    {
        ({ } b, { } a) => $"{text(b)} before, {text(a)} after",
        ({ } b, null) => text(b),
        (null, { } a) => text(a),
        _ => "",
    };

    /// <summary>What moved the most: of all tasks together where that moved, else of a statement.</summary>
    private static MeasureJudgement? Foremost(MeasureJudgement[] moved, Verdict verdict) =>
        moved.Where(j => j.Verdict == verdict).OrderBy(j => j.Statement is not null).ThenByDescending(Size).FirstOrDefault();

    private static double Size(MeasureJudgement j) => Math.Abs(Math.Log(j.Ratio ?? 1));

    private static string Latency(StatementStint s) => s.Latency is { } l ? $"half within {Figures.Duration(l.P50 * 1_000)}, 99 % within {Figures.Duration(l.P99 * 1_000)}" : "nothing ended well";

    private static string Capacity(CapacityAccount c)
    {
        if (c.Limit is not { } limit)
        {
            TriedLoad? best(Side side) => c.Tried.Where(t => t.Side == side).MaxBy(t => t.PerSecond);
            return (best(Side.Before), best(Side.After)) is ({ } b, var a)
                ? $"Most executions a second: {Figures.Three(b.PerSecond)} with {b.Offered:0} sessions before{(a is null ? "" : $", {Figures.Three(a.PerSecond)} with {a.Offered:0} sessions after")}."
                : "Nothing was measured.";
        }

        string Side1(CapacityFound f) => f.Low == 0 ? $"not even {Figures.Three(f.High ?? 0)}" : f.High is { } high ? $"{Figures.Three(f.PerSecond)} ({Figures.Three(f.Low)} to {Figures.Three(high)})" : $"{Figures.Three(f.Low)} or more";
        return c.Before is { } found
            ? $"{Name(limit.Measure)} stays within {Figures.Duration(limit.Milliseconds * 1_000)} up to so many executions a second: {Side1(found)} before{(c.After is { } after ? $", {Side1(after)} after" : "")}."
            : "Nothing was measured.";
    }

    /// <summary>How the last third differs from the first, where there are stints enough to say so.</summary>
    private static string Drift(IReadOnlyList<Stint> stints)
    {
        int third = stints.Count / 3;
        if (third < 3)
        {
            return "";
        }

        double Mean(IEnumerable<Stint> s) => s.Average(x => x.All.Latency?.Mean ?? 0);
        double first = Mean(stints.Take(third)), last = Mean(stints.TakeLast(third));
        string size = stints[^1].Bytes > 1.05 * stints[0].Bytes ? $", the files by {Figures.Percent((stints[^1].Bytes / (double)stints[0].Bytes) - 1)}" : "";
        return first > 0 && Math.Abs(Math.Log(last / first)) > Math.Log(1.1) ? $" From its first third to its last, mean latency moved from {Figures.Duration(first * 1_000)} to {Figures.Duration(last * 1_000)}{size}." : size.Length > 0 ? $" It grew{size[11..]}." : "";
    }
}
