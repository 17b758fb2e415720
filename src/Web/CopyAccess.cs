using System.Globalization;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>How private copies of a book's database come about where nobody chose a way.</summary>
internal static class CopyAccess
{
    /// <summary>Of a file the usual way; on a server the first of the ways to private copies that is open.</summary>
    /// <param name="address">With its password.</param>
    /// <param name="trusted">Whether statements may run with the connection's own rights.</param>
    /// <param name="purpose">A sentence's beginning, such as <c>A rehearsal writes to private copies</c>.</param>
    /// <param name="stop">Ends looking.</param>
    /// <exception cref="SubjectException">None is open.</exception>
    public static async Task<TrialOptions> OfAsync(string address, bool trusted, string purpose, CancellationToken stop)
    {
        ISubjectEngine engine = SubjectEngines.OfSubject(address);
        var access = new TrialOptions(Engine: engine.Engine, TrustSql: trusted);
        if (engine.Server is not { } server)
        {
            return access;
        }

        ServerLook look = await Task.Run(() => server.LookAt(address), stop);
        SidesOffered? open = look.Sides.FirstOrDefault(s => s.Sides is SubjectSides.Copies or SubjectSides.Dumped && (s.Works || (s.WithTrust && trusted)));
        return open is not null ? access with { Sides = open.Sides }
            : throw SubjectException.Because(string.Create(CultureInfo.InvariantCulture, $"{purpose}, and none can be made. {look.Sides.FirstOrDefault(s => s.Sides == SubjectSides.Dumped)?.Lacks}").TrimEnd());
    }
}
