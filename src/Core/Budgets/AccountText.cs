using System.Text;

namespace SwiftLedger.Core.Budgets;

/// <summary>Names in the lines of kept accounts: one field between tabs, whatever is in them.</summary>
internal static class AccountText
{
    /// <summary>A name that begins like a comment is none.</summary>
    public static string Escaped(string name) => (name.StartsWith('#') ? "\\" : "") + name.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\t", "\\t", StringComparison.Ordinal).Replace("\n", "\\n", StringComparison.Ordinal).Replace("\r", "\\r", StringComparison.Ordinal);

    public static string Unescaped(string field)
    {
        var name = new StringBuilder();
        for (int i = 0; i < field.Length; i++)
        {
            if (field[i] == '\\' && i + 1 < field.Length)
            {
                name.Append(field[++i] switch { 't' => '\t', 'n' => '\n', 'r' => '\r', var same => same });
            }
            else
            {
                name.Append(field[i]);
            }
        }

        return name.ToString();
    }
}
