namespace SwiftLedger.Core.Sql;

/// <summary>A piece of a text: UTF-16 code units, zero-based.</summary>
/// <param name="Start">The first code unit.</param>
/// <param name="Length">How many code units, zero or more.</param>
public readonly record struct TextSpan(int Start, int Length)
{
    /// <summary>The code unit after the last one.</summary>
    public int End => Start + Length;

    /// <summary>The piece that goes from one place up to, not including, another.</summary>
    public static TextSpan Between(int start, int end) => new(start, end - start);

    /// <summary>The piece itself.</summary>
    public string Of(string text) => text.Substring(Start, Length);
}
