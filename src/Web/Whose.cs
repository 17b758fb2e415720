using System.Globalization;
using SwiftLedger.Core.Captures;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>Whose load is asked for; what is null or empty does not narrow.</summary>
internal sealed record Whose
{
    /// <summary>Numbers of servers and instances, with commas between them.</summary>
    public string? Sources { get; init; }

    public string? Database { get; init; }

    public string? User { get; init; }

    public string? Application { get; init; }

    /// <summary><c>own</c> or <c>housekeeping</c>; else that of applications.</summary>
    public string? Load { get; init; }

    /// <summary>Whether it is narrower than whole sources: then there are hours, and no minutes.</summary>
    public bool IsOfCallers => Kind != LoadKind.Application || !string.IsNullOrEmpty(Database) || !string.IsNullOrEmpty(User) || !string.IsNullOrEmpty(Application);

    private LoadKind Kind => Enum.TryParse(Load, ignoreCase: true, out LoadKind kind) && Enum.IsDefined(kind) ? kind : LoadKind.Application;

    /// <summary>The rows of the ledger whose cells come to it.</summary>
    public List<long> Chosen(DaybookStore daybook, long book)
    {
        List<long> sources = SourcesOf(daybook, book);
        return !IsOfCallers ? sources
            : [.. daybook.Callers(sources).Where(c => c.Caller.Kind == Kind && Fits(Database, c.Caller.Database) && Fits(User, c.Caller.User) && Fits(Application, c.Caller.Application)).Select(c => c.Id)];
    }

    /// <summary>The servers and instances alone.</summary>
    public List<long> SourcesOf(DaybookStore daybook, long book)
    {
        HashSet<string> wanted = (Sources ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries).ToHashSet(StringComparer.Ordinal);
        return daybook.Sources(book).Where(s => wanted.Count == 0 || wanted.Contains(s.Id.ToString(CultureInfo.InvariantCulture))).Select(s => s.Id).ToList();
    }

    private static bool Fits(string? wanted, string there) => string.IsNullOrEmpty(wanted) || wanted == there;
}
