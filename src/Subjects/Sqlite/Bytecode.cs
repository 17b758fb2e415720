using SQLitePCL;

namespace SwiftLedger.Subjects.Sqlite;

/// <summary>A statement's program with how often each instruction ran.</summary>
/// <remarks>SQLite manual, "The bytecode() And tables_used() Table-Valued Functions" and "The SQLite Bytecode Engine".</remarks>
internal sealed class Bytecode
{
    /// <summary>The instructions that begin a loop, or find its one row: their second operand leads behind it.</summary>
    private static readonly HashSet<string> Begins = new(StringComparer.Ordinal)
    {
        "Rewind", "Last", "SeekGE", "SeekGT", "SeekLE", "SeekLT", "SeekRowid", "NotExists", "NotFound", "Found", "Yield", "VFilter", "Sort", "SorterSort",
    };

    /// <summary>
    /// The instructions that take a row over from the innermost loop; and those that ask, of each row that passed, whether LIMIT or OFFSET
    /// still lets it in.
    /// </summary>
    private static readonly HashSet<string> Takes = new(StringComparer.Ordinal)
    {
        "IfNotZero", "IfPos",
        "ResultRow", "MakeRecord", "AggStep", "AggStep1", "Yield", "SorterInsert", "IdxInsert", "RowSetAdd", "Insert", "Delete",
    };

    private readonly Dictionary<int, Instruction> _program = [];
    private readonly List<int> _explained = [];

    public Bytecode(SqliteConnection connection, sqlite3_stmt statement)
    {
        using sqlite3_stmt read = connection.Prepare("SELECT addr, opcode, p1, p2, nexec FROM bytecode(?1) WHERE subprog IS NULL");
        Native.ScanStatus.BindStatement(read, statement);
        while (raw.sqlite3_step(read) == raw.SQLITE_ROW)
        {
            int address = raw.sqlite3_column_int(read, 0);
            string code = raw.sqlite3_column_text(read, 1).utf8_to_string();
            _program[address] = new(code, raw.sqlite3_column_int(read, 2), raw.sqlite3_column_int(read, 3), raw.sqlite3_column_int64(read, 4));
            if (code == "Explain")
            {
                _explained.Add(address);
            }
        }
    }

    /// <summary>Rows that went through the innermost loop whose element has this number; null where its program does not tell.</summary>
    public long? PassedBy(int element)
    {
        if (RangeOf(element) is not var (begin, end))
        {
            return null;
        }

        // Subqueries inside the loop have loops of their own, which take rows over too.
        List<(int Begin, int End)> inner = [.. _explained.Where(e => e > begin && e < end).Select(RangeOf).OfType<(int, int)>()];
        List<Instruction> own = [.. Enumerable.Range(begin + 1, Math.Max(0, end - begin - 1))
            .Where(a => _program.ContainsKey(a) && !inner.Any(i => a >= i.Begin && a < i.End)).Select(a => _program[a])];

        // DISTINCT looks a row up in the tree that it then inserts it into.
        HashSet<int> filled = own.Where(i => i.Code == "IdxInsert").Select(i => i.P1).ToHashSet();
        List<long> taken = [.. own.Where(i => Takes.Contains(i.Code) || (i.Code == "Found" && filled.Contains(i.P1))).Select(i => i.Times)];
        return taken.Count == 0 ? null : taken.Max();
    }

    private (int Begin, int End)? RangeOf(int element)
    {
        for (int address = element + 1; _program.TryGetValue(address, out Instruction at) && at.Code != "Explain"; address++)
        {
            if (Begins.Contains(at.Code) && at.P2 > address)
            {
                return (address, at.P2);
            }
        }

        return null;
    }

    private readonly record struct Instruction(string Code, int P1, int P2, long Times);
}
