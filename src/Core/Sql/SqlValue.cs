using System.Globalization;

namespace SwiftLedger.Core.Sql;

public enum SqlValueKind : byte
{
    Null,
    Boolean,
    Integer,
    Real,
    Text,
    Blob,
}

/// <summary>A parameter's value, as an SQL literal gives it.</summary>
public sealed record SqlValue
{
    public static readonly SqlValue Null = new() { Kind = SqlValueKind.Null };

    public SqlValueKind Kind { get; private init; }

    /// <summary>The number, or 1 and 0 for true and false; 0 for other kinds.</summary>
    public long Integer { get; private init; }

    public double Real { get; private init; }

    public string Text { get; private init; } = "";

    public IReadOnlyList<byte> Blob { get; private init; } = [];

    public static SqlValue Of(bool value) => new() { Kind = SqlValueKind.Boolean, Integer = value ? 1 : 0 };

    public static SqlValue Of(long value) => new() { Kind = SqlValueKind.Integer, Integer = value };

    public static SqlValue Of(double value) => new() { Kind = SqlValueKind.Real, Real = value };

    public static SqlValue Of(string value) => new() { Kind = SqlValueKind.Text, Text = value };

    public static SqlValue Of(byte[] value) => new() { Kind = SqlValueKind.Blob, Blob = value };

    /// <summary>Reads a number literal: an integer where it fits 64 bits, else a real, as both engines do.</summary>
    /// <returns>Null when the text is no number.</returns>
    public static SqlValue? OfNumber(ReadOnlySpan<char> digits, bool negative)
    {
        string text = digits.ToString().Replace("_", "", StringComparison.Ordinal);
        if (text.StartsWith("0x", StringComparison.OrdinalIgnoreCase))
        {
            return ulong.TryParse(text.AsSpan(2), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out ulong hex)
                ? Of(negative ? unchecked(-(long)hex) : unchecked((long)hex))
                : null;
        }

        text = negative ? "-" + text : text;
        if (long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out long integer))
        {
            return Of(integer);
        }

        return double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double real) ? Of(real) : null;
    }

    /// <summary>The value as an SQL literal.</summary>
    public override string ToString() => Kind switch
    {
        SqlValueKind.Null => "null",
        SqlValueKind.Boolean => Integer == 1 ? "true" : "false",
        SqlValueKind.Integer => Integer.ToString(CultureInfo.InvariantCulture),
        SqlValueKind.Real => RealText(Real),
        SqlValueKind.Text => $"'{Text.Replace("'", "''", StringComparison.Ordinal)}'",
        _ => $"x'{Convert.ToHexStringLower(Blob.ToArray())}'",
    };

    private static string RealText(double value)
    {
        string text = value.ToString("R", CultureInfo.InvariantCulture);
        return text.Contains('.', StringComparison.Ordinal) || text.Contains('E', StringComparison.Ordinal) ? text : text + ".0";
    }
}
