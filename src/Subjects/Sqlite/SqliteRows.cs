using System.Globalization;
using SQLitePCL;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>Hashes rows as SQLite hands them over: by the type that each value has.</summary>
internal static class SqliteRows
{
    /// <summary>Takes the row that a statement stands on.</summary>
    public static UInt128 Add(this RowHash hash, sqlite3_stmt statement)
    {
        hash.Begin();
        hash.AddColumns(statement);
        return hash.End();
    }

    /// <summary>The row that a statement stands on, as literals with their storage classes.</summary>
    public static (IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values) Shown(sqlite3_stmt statement)
    {
        int columns = raw.sqlite3_column_count(statement);
        return ([.. Enumerable.Range(0, columns).Select(i => raw.sqlite3_column_name(statement, i).utf8_to_string())],
            [.. Enumerable.Range(0, columns).Select(i => ShownValue(statement, i))]);
    }

    private static (string Type, string Value) ShownValue(sqlite3_stmt statement, int column) => raw.sqlite3_column_type(statement, column) switch
    {
        raw.SQLITE_INTEGER => ("integer", raw.sqlite3_column_int64(statement, column).ToString(CultureInfo.InvariantCulture)),
        raw.SQLITE_FLOAT => ("real", Real(raw.sqlite3_column_double(statement, column))),
        raw.SQLITE_TEXT => ("text", RowPicker.Quoted(raw.sqlite3_column_blob(statement, column))),
        raw.SQLITE_BLOB => ("blob", RowsOnlyHere.Cut($"x'{Convert.ToHexStringLower(RowPicker.Begin(raw.sqlite3_column_blob(statement, column)))}'")),
        _ => ("", "NULL"),
    };

    private static string Real(double value) => value.ToString("R", CultureInfo.InvariantCulture) is var text && text.All(c => c == '-' || char.IsAsciiDigit(c)) ? text + ".0" : text;

    public static void AddColumns(this RowHash hash, sqlite3_stmt statement) => hash.AddColumns(statement, raw.sqlite3_column_count(statement));

    /// <param name="columns">How many, from the first.</param>
    public static void AddColumns(this RowHash hash, sqlite3_stmt statement, int columns)
    {
        for (int i = 0; i < columns; i++)
        {
            switch (raw.sqlite3_column_type(statement, i))
            {
                case raw.SQLITE_INTEGER:
                    hash.AddNumber(1, raw.sqlite3_column_int64(statement, i));
                    break;
                case raw.SQLITE_FLOAT:
                    hash.AddNumber(2, BitConverter.DoubleToInt64Bits(raw.sqlite3_column_double(statement, i)));
                    break;
                case raw.SQLITE_TEXT:
                    hash.AddBytes(3, raw.sqlite3_column_blob(statement, i));
                    break;
                case raw.SQLITE_BLOB:
                    hash.AddBytes(4, raw.sqlite3_column_blob(statement, i));
                    break;
                default:
                    hash.AddNumber(0, 0);
                    break;
            }
        }
    }

    /// <summary>A value of the row that a statement stands on, whole, as a literal.</summary>
    public static string Literal(sqlite3_stmt statement, int column) => raw.sqlite3_column_type(statement, column) switch
    {
        raw.SQLITE_NULL => "NULL",
        raw.SQLITE_INTEGER => raw.sqlite3_column_int64(statement, column).ToString(CultureInfo.InvariantCulture),
        raw.SQLITE_FLOAT => SqlValue.Of(raw.sqlite3_column_double(statement, column)).ToString(),
        raw.SQLITE_BLOB => SqlValue.Of(raw.sqlite3_column_blob(statement, column).ToArray()).ToString(),
        _ => SqlValue.Of(raw.sqlite3_column_text(statement, column).utf8_to_string()).ToString(),
    };
}
