using System.Globalization;
using System.IO.Hashing;
using System.Text;

namespace SwiftLedger.Core.Sql;

/// <summary>What statements have in common that differ only in literals, parameters, layout or list length.</summary>
/// <param name="Text">The statement in its folded form; see <see cref="PatternWriter"/>.</param>
/// <param name="Hash">XXH3 (64 bits, seed 0) of the UTF-8 bytes of <see cref="Text"/>: the same on every machine.</param>
public sealed record SqlPattern(string Text, ulong Hash)
{
    /// <summary>The hash as 16 hexadecimal digits: the pattern's name.</summary>
    public string Name => NameOf(Hash);

    /// <summary>The name that a hash gives a pattern.</summary>
    public static string NameOf(ulong hash) => hash.ToString("x16", CultureInfo.InvariantCulture);

    private const int Scratch = 1024;

    public static SqlPattern Of(ReadOnlySpan<char> sql, SqlDialect dialect)
    {
        using var writer = new PatternWriter(sql, dialect, stackalloc byte[Scratch]);
        ReadOnlySpan<byte> folded = writer.Fold();
        return new(Encoding.UTF8.GetString(folded), XxHash3.HashToUInt64(folded));
    }

    /// <summary>The hash alone, without keeping the text: for reading large captures.</summary>
    /// <param name="sql">The statement.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <param name="marks">Told where its values stand; null where nobody asks.</param>
    public static ulong HashOf(ReadOnlySpan<char> sql, SqlDialect dialect, PatternMarks? marks = null)
    {
        marks?.Clear();
        using var writer = new PatternWriter(sql, dialect, stackalloc byte[Scratch], marks);
        return XxHash3.HashToUInt64(writer.Fold());
    }

    /// <summary>Where the values of a statement stand.</summary>
    /// <param name="sql">The statement.</param>
    /// <param name="dialect">Of the statement.</param>
    public static PatternMarks MarksOf(ReadOnlySpan<char> sql, SqlDialect dialect)
    {
        var marks = new PatternMarks();
        using var writer = new PatternWriter(sql, dialect, stackalloc byte[Scratch], marks);
        writer.Fold();
        return marks;
    }
}
