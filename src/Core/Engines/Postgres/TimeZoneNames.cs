using System.Collections.Frozen;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>
/// Hours east of UTC for the abbreviations that log files hold most: a choice from the "Default" set of PostgreSQL's manual,
/// appendix B.4, which settles the ambiguous ones in the same way.
/// </summary>
internal static class TimeZoneNames
{
    public static FrozenDictionary<string, double> Offsets { get; } = new Dictionary<string, double>
    {
        ["UTC"] = 0,
        ["GMT"] = 0,
        ["Z"] = 0,
        ["UT"] = 0,
        ["WET"] = 0,
        ["WEST"] = 1,
        ["BST"] = 1,
        ["CET"] = 1,
        ["CEST"] = 2,
        ["MET"] = 1,
        ["MEST"] = 2,
        ["EET"] = 2,
        ["EEST"] = 3,
        ["MSK"] = 3,
        ["SAST"] = 2,
        ["EAT"] = 3,
        ["PKT"] = 5,
        ["ICT"] = 7,
        ["WIB"] = 7,
        ["HKT"] = 8,
        ["SGT"] = 8,
        ["PHT"] = 8,
        ["JST"] = 9,
        ["KST"] = 9,
        ["AWST"] = 8,
        ["ACST"] = 9.5,
        ["ACDT"] = 10.5,
        ["AEST"] = 10,
        ["AEDT"] = 11,
        ["NZST"] = 12,
        ["NZDT"] = 13,
        ["AST"] = -4,
        ["ADT"] = -3,
        ["NST"] = -3.5,
        ["NDT"] = -2.5,
        ["EST"] = -5,
        ["EDT"] = -4,
        ["CST"] = -6,
        ["CDT"] = -5,
        ["MST"] = -7,
        ["MDT"] = -6,
        ["PST"] = -8,
        ["PDT"] = -7,
        ["AKST"] = -9,
        ["AKDT"] = -8,
        ["HST"] = -10,
        ["ART"] = -3,
    }.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase);
}
