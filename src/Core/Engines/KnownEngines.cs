using SwiftLedger.Core.Engines.MySql;
using SwiftLedger.Core.Engines.Postgres;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Core.Engines;

/// <summary>The engines that are known: one line each.</summary>
public static class KnownEngines
{
    public static IReadOnlyList<Engine> All { get; } =
    [
        SqliteEngine.Engine,
        PostgresEngine.Engine,
        MySqlEngine.Engine,
    ];

    /// <summary>Whose rules apply where nothing names an engine: the embedded one.</summary>
    public static Engine Default => All[0];

    /// <summary>The engines of which databases can be tested.</summary>
    public static IEnumerable<Engine> Subjects => All.Where(e => e.Addresses is not null);

    /// <summary>The engine with this <see cref="Engine.Id"/>, in any case; null where there is none.</summary>
    public static Engine? Find(string id) => All.FirstOrDefault(e => e.Id.Equals(id, StringComparison.OrdinalIgnoreCase));

    /// <summary>The engine that a text names: by its <see cref="Engine.Id"/>, its name, or a name of <see cref="Engine.SystemNames"/>, in any case; null where there is none.</summary>
    public static Engine? Named(string name) => All.FirstOrDefault(e => e.SystemNames.Prepend(e.Name).Prepend(e.Id).Contains(name.Trim(), StringComparer.OrdinalIgnoreCase));

    /// <summary>The engine that a database belongs to, by its address; the default one for a file, or for none.</summary>
    public static Engine OfSubject(string? address) => address is null ? Default : Subjects.FirstOrDefault(e => e.Addresses!.Owns(address)) ?? Default;

    /// <summary>Whether an address is that of a database on a server.</summary>
    public static bool IsServer(string? address) => OfSubject(address).Addresses!.AreOfServers;

    /// <summary>An address without its password: what may be shown, logged and kept.</summary>
    public static string Shown(string address) => OfSubject(address).Addresses!.Shown(address);

    /// <summary>What addresses of servers look like, for messages.</summary>
    public static string FormsOfServers => string.Join(" or ", Subjects.Where(e => e.Addresses!.AreOfServers).Select(e => e.Addresses!.Form));

    internal static IEnumerable<(Engine Engine, PlanLanguage Language)> Languages => All.Where(e => e.Plans is not null).Select(e => (e, e.Plans!));
}
