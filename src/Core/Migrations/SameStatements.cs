using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Migrations;

/// <summary>Whether two texts are the same to an engine.</summary>
public static class SameStatements
{
    /// <summary>Whether they differ in comments and layout alone.</summary>
    /// <param name="a">One or more statements.</param>
    /// <param name="b">Held against it.</param>
    /// <param name="dialect">Of both.</param>
    public static bool Are(string a, string b, SqlDialect dialect) => a == b || Tokens(a, dialect).SequenceEqual(Tokens(b, dialect), StringComparer.Ordinal);

    /// <summary>Semicolons at the end, or one behind the other, are none.</summary>
    private static List<string> Tokens(string text, SqlDialect dialect)
    {
        var found = new List<string>();
        var lexer = new SqlLexer(text.TrimStart('\uFEFF'), dialect);
        while (lexer.TryReadSignificant(out Token token))
        {
            string word = lexer.TextOf(token).ToString();
            if (token.Kind != TokenKind.Semicolon || (found.Count > 0 && found[^1] != word))
            {
                found.Add(word);
            }
        }

        if (found.Count > 0 && found[^1] == ";")
        {
            found.RemoveAt(found.Count - 1);
        }

        return found;
    }
}
