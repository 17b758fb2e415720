using SwiftLedger.Core.Captures;

namespace SwiftLedger.Core.Engines.MySql;

/// <summary>MySQL: its slow query log is read; it cannot be a subject yet.</summary>
internal static class MySqlEngine
{
    public static readonly Engine Engine = new() { Name = "MySQL", Dialect = MySqlDialect.Dialect, Logs = new SlowLogs(), SystemNames = ["mysql", "mariadb"], Housekeeping = Housekeeping.Of([], ["analyze", "optimize", "flush"]) };

    private sealed class SlowLogs : ILogForms
    {
        public IReadOnlyList<string> Names { get; } = ["mysql-slow"];

        public string? Recognise(ReadOnlySpan<byte> head, IReadOnlyList<string> lines) =>
            lines.Any(l => l.StartsWith("# Query_time: ", StringComparison.Ordinal) || l.StartsWith("# User@Host: ", StringComparison.Ordinal)) ? Names[0] : null;

        public string? Suppose(ReadOnlySpan<byte> head) => null;

        public string? OfPrefix => null;

        public LogForm Open(string name, IReadOnlyList<string> lines, string? prefix) => new(new MySqlSlowLog(), "");
    }
}
