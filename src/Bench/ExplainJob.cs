using SwiftLedger.Core.Batches;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Bench;

/// <summary>What the explaining process is asked: one JSON object a line on its standard input.</summary>
/// <param name="Sql">The statement to count; null to read the catalogue.</param>
/// <param name="Binds">Its values, as in a bind line.</param>
/// <param name="Seconds">Limit of one execution.</param>
/// <param name="Script">A script to run whole; null for the others.</param>
/// <param name="ScriptSeconds">Limit of the script.</param>
/// <param name="Once">Whether one execution of the statement is enough.</param>
/// <param name="Talks">Whether where the script is is told while it runs.</param>
/// <param name="Growth">Bytes by which a script may make the copy larger; null for the usual bound.</param>
internal sealed record ExplainRequest(string Path, IReadOnlyList<string> Settings, string? Sql, string Binds, double Seconds, string? Script = null, double ScriptSeconds = 0, long? Growth = null, bool Once = false, bool Talks = false);

/// <summary>What it answers, one line for each request; a script is told of in further lines before that.</summary>
/// <param name="Reached">Where a script is that goes on; null in the answer itself.</param>
internal sealed record ExplainReply(CountedPlan? Counted, Catalog? Catalog, string? Problem, BatchRun? Batch = null, BatchProgress? Reached = null);
