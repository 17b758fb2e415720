using SwiftLedger.Bench;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Copies on a server outlive the process that made them: those of what was interrupted are dropped there.</summary>
internal static class LeftOvers
{
    /// <param name="addresses">Of what was interrupted; null where there was none.</param>
    public static void Sweep(IEnumerable<string?> addresses, SubjectPasswords passwords, LedgerHome home, ILogger log)
    {
        foreach (string subject in addresses.OfType<string>().Distinct())
        {
            if (SubjectEngines.OfSubject(subject).Server?.SweepLeftOvers(passwords.ForConnecting(subject), home.Copies) is { } left)
            {
                log.LogWarning("{Message}", left);
            }
        }
    }
}
