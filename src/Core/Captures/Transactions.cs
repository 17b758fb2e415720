namespace SwiftLedger.Core.Captures;

/// <summary>What captures tell of transactions.</summary>
internal static class Transactions
{
    private static readonly string[] ControlWords = ["begin", "commit", "rollback", "start transaction", "savepoint", "release", "end", "set ", "reset", "discard", "deallocate", "abort"];

    /// <summary>Whether a transaction is named that may hold several statements.</summary>
    /// <remarks>PostgreSQL manual, 20.8.3: a virtual transaction ID is backend/local, and its local part is 0 outside of a transaction.</remarks>
    /// <param name="id">As the capture has it.</param>
    public static bool IsOne(ReadOnlySpan<byte> id) => !id.IsEmpty && !id.EndsWith("/0"u8) && !id.SequenceEqual("0"u8);

    /// <summary>Whether a statement opens, ends or sets up something, and asks for nothing.</summary>
    /// <param name="sql">The statement.</param>
    public static bool IsControl(ReadOnlySpan<char> sql)
    {
        if (sql.IsEmpty || (sql[0] | 0x20) is not ('b' or 'c' or 'r' or 's' or 'e' or 'd' or 'a'))
        {
            return false;
        }

        foreach (string word in ControlWords)
        {
            if (sql.StartsWith(word, StringComparison.OrdinalIgnoreCase) && (sql.Length == word.Length || !char.IsLetterOrDigit(sql[word.Length]) || word[^1] == ' '))
            {
                return true;
            }
        }

        return false;
    }
}
