using System.Buffers;
using System.Collections.Frozen;
using System.IO.Hashing;
using System.Text;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Captures;

/// <summary>What sends statements, and for whom.</summary>
public enum LoadKind
{
    /// <summary>People's and programs' own work.</summary>
    Application = 1,

    /// <summary>This program's own trials, watches and looks.</summary>
    Own = 2,

    /// <summary>What keeps the engine in order: backups, vacuuming, statistics.</summary>
    Housekeeping = 3,
}

/// <summary>Who sends statements, as far as the capture tells.</summary>
/// <param name="Database">Empty where it does not.</param>
/// <param name="User">Likewise.</param>
/// <param name="Application">Likewise.</param>
/// <param name="Kind">For what.</param>
public sealed record Caller(string Database, string User, string Application, LoadKind Kind)
{
    /// <summary>Callers of a source that are told apart.</summary>
    public const int Most = 200;

    /// <summary>Stands for the name of those that came later.</summary>
    public const string Others = "(others)";

    /// <summary>What stands for it, and all others of its kind, where there are more than are told apart.</summary>
    public Caller AmongOthers => new(Others, Others, Others, Kind);

    /// <summary>Whether the capture tells anything of it that the whole does not.</summary>
    public bool IsNamed => Kind != LoadKind.Application || Database.Length + User.Length + Application.Length > 0;
}

/// <summary>Where a cell of a caller belongs.</summary>
/// <param name="Pattern">The pattern's hash.</param>
/// <param name="Source">The server or application instance.</param>
/// <param name="Caller">Who.</param>
/// <param name="Hour">Its first minute since 1970, UTC.</param>
public readonly record struct CallerCellKey(ulong Pattern, string Source, Caller Caller, int Hour);

/// <summary>By what this program's own statements are known in captures: its sessions' name, and that of the databases it makes.</summary>
public static class OwnMarks
{
    /// <summary>What its sessions call themselves.</summary>
    public const string Application = "swift-ledger";

    /// <summary>How the names of its databases begin.</summary>
    public const string DatabasePrefix = "swift_ledger_";

    private const int TrialDigits = 32;
    private static readonly SearchValues<byte> HexDigits = SearchValues.Create("0123456789abcdef"u8);

    /// <summary>Whether a statement is one of its own.</summary>
    /// <param name="database">UTF-8.</param>
    /// <param name="application">UTF-8.</param>
    public static bool AreOn(ReadOnlySpan<byte> database, ReadOnlySpan<byte> application) =>
        application.SequenceEqual("swift-ledger"u8) || (database.StartsWith("swift_ledger_"u8) && database.Length > DatabasePrefix.Length + TrialDigits
            && database[DatabasePrefix.Length..(DatabasePrefix.Length + TrialDigits)].IndexOfAnyExcept(HexDigits) < 0 && database[DatabasePrefix.Length + TrialDigits] == '_');
}

/// <summary>What of an engine's load keeps it in order.</summary>
/// <param name="Applications">Programs that come with the engine for it, as they name themselves.</param>
/// <param name="Statements">First words of statements that do nothing else, in any case.</param>
public sealed record Housekeeping(FrozenSet<string> Applications, FrozenSet<string> Statements)
{
    /// <summary>An engine of which nothing is known to be it.</summary>
    public static readonly Housekeeping None = Of([], []);

    /// <inheritdoc cref="Housekeeping(FrozenSet{string}, FrozenSet{string})"/>
    public static Housekeeping Of(IEnumerable<string> applications, IEnumerable<string> statements) =>
        new(applications.ToFrozenSet(StringComparer.Ordinal), statements.ToFrozenSet(StringComparer.OrdinalIgnoreCase));
}

/// <summary>Who sent the statements of a capture: each is told apart once, up to a bound.</summary>
/// <param name="housekeeping">Of the engine.</param>
internal sealed class Callers(Housekeeping housekeeping)
{
    private const int MostKnown = 20_000, LongestName = 200;

    // By the hash of their names: how they are known, and as what where a statement keeps the engine in order.
    private readonly Dictionary<ulong, (int Usual, int Keeping)> _known = [];
    private readonly Dictionary<Caller, int> _numbers = [];
    private readonly List<Caller> _numbered = [];
    private int _apart;
    private readonly FrozenSet<string>.AlternateLookup<ReadOnlySpan<char>> _statements = housekeeping.Statements.GetAlternateLookup<ReadOnlySpan<char>>();

    /// <param name="o">The statement.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <param name="number">See <see cref="Numbered"/>.</param>
    public Caller Of(in Observation o, SqlDialect dialect, out int number)
    {
        ulong hash = XxHash3.HashToUInt64(o.Database, unchecked((long)XxHash3.HashToUInt64(o.User, unchecked((long)XxHash3.HashToUInt64(o.Application)))));
        if (!_known.TryGetValue(hash, out (int Usual, int Keeping) caller))
        {
            caller = Meet(o);
            if (_known.Count < MostKnown)
            {
                _known[hash] = caller;
            }
        }

        number = _numbered[caller.Usual].Kind == LoadKind.Application && Keeps(o.Sql, dialect) ? caller.Keeping : caller.Usual;
        return _numbered[number];
    }

    /// <summary>The caller of a number.</summary>
    public Caller Numbered(int number) => _numbered[number];

    private (int Usual, int Keeping) Meet(in Observation o)
    {
        string application = Text(o.Application);
        LoadKind kind = OwnMarks.AreOn(o.Database, o.Application) ? LoadKind.Own : housekeeping.Applications.Contains(application) ? LoadKind.Housekeeping : LoadKind.Application;
        var caller = new Caller(Text(o.Database), Text(o.User), application, kind);
        if (!_numbers.ContainsKey(caller) && ++_apart > Caller.Most)
        {
            caller = caller.AmongOthers;
        }

        return (NumberOf(caller), kind == LoadKind.Own ? NumberOf(caller) : NumberOf(caller with { Kind = LoadKind.Housekeeping }));
    }

    private int NumberOf(Caller caller)
    {
        if (!_numbers.TryGetValue(caller, out int number))
        {
            _numbers[caller] = number = _numbered.Count;
            _numbered.Add(caller);
        }

        return number;
    }

    private bool Keeps(ReadOnlySpan<char> sql, SqlDialect dialect)
    {
        if (housekeeping.Statements.Count == 0)
        {
            return false;
        }

        var lexer = new SqlLexer(sql, dialect);
        return lexer.TryReadSignificant(out Token first) && first.Kind == TokenKind.Word && _statements.Contains(lexer.TextOf(first));
    }

    private static string Text(ReadOnlySpan<byte> name) => Encoding.UTF8.GetString(name) is { Length: > LongestName } text ? string.Concat(text.AsSpan(0, LongestName), "...") : Encoding.UTF8.GetString(name);
}
