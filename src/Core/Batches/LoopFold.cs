namespace SwiftLedger.Core.Batches;

/// <summary>
/// Finds what a sequence of statements repeats: a body that follows upon itself is a loop, and loops with equal bodies are equal however
/// often they ran, so that loops within loops are found too. Shorter bodies first; one statement that follows upon itself stays that
/// statement, run so many times.
/// </summary>
internal static class LoopFold
{
    /// <summary>Statements, or loops, in a body.</summary>
    private const int LongestBody = 64;

    public static IReadOnlyList<BatchBlock> Of(IReadOnlyList<(int Statement, double Milliseconds)> sequence)
    {
        List<Piece> pieces = [.. sequence.Select(s => new Piece(s.Statement, new(s.Statement + 1, [], 1, s.Milliseconds)))];
        var bodies = new Dictionary<string, int>(StringComparer.Ordinal);
        for (int length = 1; length <= LongestBody && 2 * length <= pieces.Count;)
        {
            List<Piece> folded = Fold(pieces, length, bodies);

            // What was folded may stand side by side with its like: shorter bodies again.
            length = folded.Count < pieces.Count && length > 1 ? 1 : length + 1;
            pieces = folded;
        }

        return [.. pieces.Select(p => p.Block)];
    }

    private static List<Piece> Fold(List<Piece> pieces, int length, Dictionary<string, int> bodies)
    {
        var folded = new List<Piece>(pieces.Count);
        for (int i = 0; i < pieces.Count;)
        {
            int times = TimesAt(pieces, i, length);
            if (times < 2)
            {
                folded.Add(pieces[i++]);
                continue;
            }

            BatchBlock block = Loop(pieces, i, length, times);
            folded.Add(length == 1 ? new(pieces[i].Id, block.Body[0]) : new(IdOf(pieces, i, length, bodies), block));
            i += length * times;
        }

        return folded;
    }

    private static int TimesAt(List<Piece> pieces, int start, int length)
    {
        int end = start + length;
        while (end < pieces.Count && pieces[end].Id == pieces[end - length].Id)
        {
            end++;
        }

        return Math.Min(end, pieces.Count) - start < length ? 0 : (end - start) / length;
    }

    /// <summary>Statements count up from 0, bodies down from -1.</summary>
    private static int IdOf(List<Piece> pieces, int start, int length, Dictionary<string, int> bodies)
    {
        string body = string.Join(',', pieces.Skip(start).Take(length).Select(p => p.Id));
        return bodies.TryGetValue(body, out int known) ? known : bodies[body] = -1 - bodies.Count;
    }

    private static BatchBlock Loop(List<Piece> pieces, int start, int length, int times)
    {
        List<BatchBlock> body = [.. Enumerable.Range(0, length).Select(at => Enumerable.Range(1, times - 1).Aggregate(
            pieces[start + at].Block, (sum, n) => Sum(sum, pieces[start + at + (n * length)].Block)))];
        return new(null, body, times, body.Sum(b => b.Milliseconds));
    }

    private static BatchBlock Sum(BatchBlock x, BatchBlock y) =>
        x with { Body = [.. x.Body.Zip(y.Body, Sum)], Times = x.Times + y.Times, Milliseconds = x.Milliseconds + y.Milliseconds };

    /// <param name="Id">Equal for equal statements, and for loops with equal bodies.</param>
    /// <param name="Block">What was repeated.</param>
    private readonly record struct Piece(int Id, BatchBlock Block);
}
