using System.Text.Json;
using System.Text.Json.Serialization;
using SwiftLedger.Core.Migrations;

namespace SwiftLedger.Core.Budgets;

/// <summary>What a check found in the Static Analysis Results Interchange Format.</summary>
/// <remarks>SARIF version 2.1.0, OASIS Standard incorporating Approved Errata 01; its schema is sarif-schema-2.1.0.json.</remarks>
public static class SarifLog
{
    private static readonly JsonSerializerOptions Options = new() { WriteIndented = true, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, PropertyNamingPolicy = JsonNamingPolicy.CamelCase };

    /// <summary>One run, with a result for each thing that was held against something; what is kept is of kind <c>pass</c>.</summary>
    /// <param name="report">Of the check.</param>
    /// <param name="version">Of this program, as semantic versioning has it.</param>
    public static string Of(CheckReport report, string version)
    {
        CheckRule[] rules = [.. report.Items.Select(i => i.Rule).Distinct()];
        var log = new Dictionary<string, object>
        {
            ["$schema"] = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
            ["version"] = "2.1.0",
            ["runs"] = new[]
            {
                new
                {
                    Tool = new
                    {
                        Driver = new
                        {
                            Name = "Swift Ledger",
                            SemanticVersion = version,
                            Rules = rules.Select(r => new { r.Id, ShortDescription = new Message(r.Title), FullDescription = new Message(r.What), Help = new Message(r.Why) }),
                        },
                    },
                    ColumnKind = "utf16CodeUnits",
                    Results = report.WorstFirst.Select(i => Result(i, rules)),
                    Invocations = new[] { new { ExecutionSuccessful = true, ToolExecutionNotifications = report.Notes.Select(n => new { Level = "note", Message = new Message(n) }) } },
                },
            },
        };
        return JsonSerializer.Serialize(log, Options) + "\n";
    }

    private sealed record Message(string Text);

    private static object Result(CheckItem item, CheckRule[] rules) => new
    {
        RuleId = item.Rule.Id,
        RuleIndex = Array.IndexOf(rules, item.Rule),
        Kind = item.State switch { CheckState.Kept => "pass", CheckState.NotJudged => "open", CheckState.Noted => "informational", _ => "fail" },

        // Of what does not fail the standard asks for none (3.27.10).
        Level = item.State is CheckState.Broken or CheckState.Excused ? "error" : "none",
        Message = new Message($"{(item.Name.Length > 0 ? item.Name + ": " : "")}{item.Said}"),
        Locations = new[] { new { PhysicalLocation = new { ArtifactLocation = new { Uri = UriOf(item.Place.Path) }, Region = Region(item.Place) } } },
        PartialFingerprints = new Dictionary<string, string> { ["limit/v1"] = $"{item.Rule.Id}/{(item.Subject.Length > 0 ? item.Subject : item.Place.Path)}/{item.Name}" },
        Suppressions = item.Exception is { } e ? new[] { new { Kind = "inSource", Status = "accepted", Justification = $"Until {e.Until:yyyy-MM-dd}: {e.Reason}", Location = new { PhysicalLocation = new { ArtifactLocation = new { Uri = UriOf(e.Place.Path) }, Region = Region(e.Place) } } } } : null,
    };

    private static object? Region(SourcePlace place) => place.Place is { } p ? new { StartLine = p.Line, StartColumn = p.Column } : null;

    /// <summary>A path as a reference of RFC 3986: relative where it was given so.</summary>
    private static string UriOf(string path) => Path.IsPathRooted(path) ? new Uri(path).AbsoluteUri : string.Join('/', path.Replace('\\', '/').Split('/').Select(Uri.EscapeDataString));
}
