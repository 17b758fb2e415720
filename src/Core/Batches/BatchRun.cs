using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Batches;

/// <summary>A plan that a statement of a batch ran by, with how often and how long.</summary>
/// <param name="Plan">As it was counted at its first execution.</param>
/// <param name="Calls">Executions that ran by it.</param>
/// <param name="Milliseconds">What they took together.</param>
/// <param name="Shape">The plan's name, see <see cref="Plan.Shape"/>.</param>
public sealed record BatchPlan(string Shape, Plan Plan, long Calls, double Milliseconds);

/// <summary>All executions of one pattern in a batch, added up.</summary>
/// <param name="Number">From 1, in the order in which they first ran.</param>
/// <param name="Sql">The first of them.</param>
/// <param name="Line">Where it first stands in the script, from 1.</param>
/// <param name="Share">Of the time of all statements, from 0 to 1.</param>
/// <param name="Slowest">Milliseconds of the longest execution.</param>
/// <param name="Plans">One for each shape, the costliest first; at most <see cref="BatchFold.MostPlans"/>.</param>
/// <param name="Calls">Executions.</param>
/// <param name="Milliseconds">What they took together.</param>
/// <param name="Pattern">The pattern's hash, 16 hexadecimal digits.</param>
/// <param name="RowsVisited">Rows that all of them looked at.</param>
/// <param name="Rows">Rows returned or changed by all of them.</param>
/// <param name="Uncounted">Milliseconds of all of them on another copy where nothing was counted; null where it did not run there to its end.</param>
public sealed record BatchStatement(
    int Number, string Pattern, string Sql, int Line, long Calls, double Milliseconds, double Share, double Slowest, long RowsVisited, long Rows, IReadOnlyList<BatchPlan> Plans,
    double? Uncounted = null);

/// <summary>A stretch of a batch: one statement, perhaps several times in a row, or a body that was run several times over.</summary>
/// <param name="Statement">Its number; null for a loop.</param>
/// <param name="Body">What a loop repeats; empty for a statement.</param>
/// <param name="Times">How often it ran in all.</param>
/// <param name="Milliseconds">In all.</param>
public sealed record BatchBlock(int? Statement, IReadOnlyList<BatchBlock> Body, long Times, double Milliseconds);

/// <summary>Where and why a batch ended before its last statement.</summary>
/// <param name="Bound">Whether a limit of time, memory or disk ended it, and not the engine's refusal.</param>
/// <param name="Line">Where the statement stands, from 1.</param>
/// <param name="Message">The engine's words, or ours.</param>
/// <param name="Statement">Its number in the script, from 1.</param>
public sealed record BatchFailure(int Statement, int Line, string Message, bool Bound = false);

/// <summary>A script that was run whole, folded: what it cost is found without looking at thousands of equal plans.</summary>
/// <param name="Statements">The costliest first.</param>
/// <param name="Blocks">In the order in which they ran.</param>
/// <param name="Executions">Statements executed, loops unrolled.</param>
/// <param name="Failure">Null where all of it ran.</param>
/// <param name="Milliseconds">What all statements took together.</param>
/// <param name="Uncounted">What they took on another copy where nothing was counted; null where they did not run there to their end.</param>
public sealed record BatchRun(IReadOnlyList<BatchStatement> Statements, IReadOnlyList<BatchBlock> Blocks, long Executions, double Milliseconds, BatchFailure? Failure, double? Uncounted = null)
{
    /// <summary>The run beside what the same script took where nothing was counted; as it is where that was another run than this one.</summary>
    public BatchRun Beside(BatchRun uncounted)
    {
        Dictionary<string, BatchStatement> other = uncounted.Statements.ToDictionary(s => s.Pattern);
        bool same = Failure is null && uncounted.Failure is null && Executions == uncounted.Executions
            && Statements.All(s => other.TryGetValue(s.Pattern, out BatchStatement? o) && o.Calls == s.Calls);
        return same ? this with { Uncounted = uncounted.Milliseconds, Statements = [.. Statements.Select(s => s with { Uncounted = other[s.Pattern].Milliseconds })] } : this;
    }
}

/// <summary>Where a script is while it runs.</summary>
/// <param name="Statement">Number of the statement in the script that runs now, from 1.</param>
/// <param name="Of">Statements in the script.</param>
/// <param name="Line">Where it stands, from 1.</param>
/// <param name="Executions">Statements executed until now.</param>
/// <param name="Milliseconds">What they took together.</param>
/// <param name="CurrentMilliseconds">For how long the one that runs now has run.</param>
/// <param name="Counted">False in the second run, where nothing is counted.</param>
/// <param name="Costliest">Those that cost the most until now, at most <see cref="MostTold"/>.</param>
public sealed record BatchProgress(int Statement, int Of, int Line, long Executions, double Milliseconds, double CurrentMilliseconds, bool Counted, IReadOnlyList<BatchStatement> Costliest)
{
    public const int MostTold = 8;
}
