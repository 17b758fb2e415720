using System.Text;
using Npgsql;
using SwiftLedger.Core.Trials;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Hashes rows as the server hands them over, by their types and their texts, and shows them as literals.</summary>
internal static class PostgresRows
{
    public const int ValueBuffer = 1 << 16;

    /// <summary>FirstNormalObjectId (PostgreSQL's transam.h).</summary>
    private const uint FirstMadeType = 16384;

    /// <summary>Puts each row into a hash, which is ended by who is told of it.</summary>
    /// <param name="told">Given what shows the row.</param>
    /// <param name="keeps">Whether values may be asked for.</param>
    /// <param name="apart">Columns at the end that stay out.</param>
    public static void Read(NpgsqlDataReader reader, RowHash hash, Action<Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)>> told, bool keeps, int apart = 0)
    {
        byte[] buffer = new byte[ValueBuffer];
        while (reader.Read())
        {
            string[] shown = keeps ? [.. Enumerable.Repeat("NULL", reader.FieldCount)] : [];
            hash.Begin();
            for (int i = 0; i < reader.FieldCount - apart; i++)
            {
                AddColumn(reader, i, hash, buffer, shown);
            }

            told(() => ([.. Enumerable.Range(0, reader.FieldCount).Select(reader.GetName)], [.. shown.Select((value, i) => (reader.GetDataTypeName(i), value))]));
        }
    }

    /// <summary>Adds a column of the row that a reader stands on.</summary>
    /// <param name="shown">Where its literal goes; empty where nobody asks for it.</param>
    public static void AddColumn(NpgsqlDataReader reader, int column, RowHash hash, byte[] buffer, string[]? shown = null)
    {
        uint type = reader.GetDataTypeOID(column);
        if (reader.IsDBNull(column))
        {
            AddNull(type, hash);
            return;
        }

        AddType(type, hash);

        // In pieces: a value may have a gigabyte.
        using Stream value = reader.GetStream(column);
        hash.AddStream(3, value, buffer, shown is not { Length: > 0 } ? null : begin => shown[column] = IsNumber(type) ? RowsOnlyHere.Cut(Encoding.UTF8.GetString(RowPicker.Begin(begin))) : RowPicker.Quoted(begin));
    }

    /// <summary>Adds NULL of a type.</summary>
    public static void AddNull(uint type, RowHash hash)
    {
        AddType(type, hash);
        hash.AddNumber(0, 0);
    }

    /// <summary>A value as a literal, cut.</summary>
    /// <param name="text">As the server writes it.</param>
    public static string Shown(uint type, string text) => IsNumber(type) ? RowsOnlyHere.Cut(text) : RowPicker.Quoted(Encoding.UTF8.GetBytes(text));

    /// <summary>A number that reads like a text is another value. Types that were made in a database have another number in the next one.</summary>
    private static void AddType(uint type, RowHash hash) => hash.AddNumber(7, type < FirstMadeType ? type : FirstMadeType);

    /// <summary>Whether values of a type read as numbers, or as truths, and need no quotes: int8, int2, int4, oid, float4, float8, numeric; bool (pg_type.dat).</summary>
    private static bool IsNumber(uint type) => type is 20 or 21 or 23 or 26 or 700 or 701 or 1700 or 16;
}
