using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using SwiftLedger.Core.Engines;
using SwiftLedger.Store;
using SwiftLedger.Subjects;

namespace SwiftLedger.Web;

/// <summary>Keeps passwords of subjects encrypted, and gives them to connections alone: they are never shown, logged or exported.</summary>
public sealed class SubjectPasswords(SecretStore secrets, IDataProtectionProvider protection, ILogger<SubjectPasswords> log)
{
    private readonly IDataProtector _protector = protection.CreateProtector("subject passwords");

    /// <summary>The address as it may be kept and shown; the password in it, or the one beside it, is put away.</summary>
    /// <exception cref="SubjectException">The address cannot be read.</exception>
    public string PutAway(string subject, string? password)
    {
        if (SubjectEngines.OfSubject(subject).Server is not { } server)
        {
            return subject;
        }

        string shown = KnownEngines.Shown(subject);
        if ((string.IsNullOrEmpty(password) ? server.PasswordOf(subject) : password) is { } given)
        {
            secrets.Keep(shown, _protector.Protect(given));
        }

        return shown;
    }

    /// <summary>The address to connect with.</summary>
    public string ForConnecting(string subject)
    {
        if (SubjectEngines.OfSubject(subject).Server is not { } server || secrets.Find(KnownEngines.Shown(subject)) is not { } kept)
        {
            return subject;
        }

        try
        {
            return server.WithPassword(subject, _protector.Unprotect(kept));
        }
        catch (CryptographicException)
        {
            log.LogWarning("A password cannot be decrypted: the keys of this ledger are gone. It has to be given again.");
            secrets.Forget(KnownEngines.Shown(subject));
            return subject;
        }
    }
}
