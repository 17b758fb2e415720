using System.Globalization;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Postgres;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>A server that takes encrypted connections alone, with certificates of an authority made for the test.</summary>
/// <remarks>PostgreSQL manual, 34.19.3 "Protection Provided in Different Modes", and 20.12 "Certificate Authentication".</remarks>
public sealed class EncryptionTests(EncryptionTests.Encrypted server) : IClassFixture<EncryptionTests.Encrypted>
{
    [Theory]
    [InlineData("localhost", "require")]
    [InlineData("127.0.0.1", "require")]
    [InlineData("localhost", "verify-ca&sslrootcert=CA")]
    [InlineData("localhost", "verify-full&sslrootcert=CA")]
    [InlineData("127.0.0.1", "verify-ca&sslrootcert=CA")]
    public void A_mode_that_the_certificate_satisfies_connects_and_the_session_is_encrypted(string host, string mode)
    {
        SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(server.Address(host, mode)).Version.ShouldNotBeEmpty();
        server.Server.Sql("postgres", "SELECT 1").Trim().ShouldBe("1");
    }

    [Theory]
    [InlineData("localhost", "disable", "no encryption")]
    [InlineData("localhost", "verify-ca", "certificate")]
    [InlineData("localhost", "verify-full", "certificate")]
    [InlineData("localhost", "verify-ca&sslrootcert=OTHER", "certificate")]
    [InlineData("127.0.0.1", "verify-full&sslrootcert=CA", "certificate")]
    [InlineData("localhost", "verify-full&sslrootcert=/nowhere/ca.pem", "/nowhere/ca.pem")]
    public void One_that_it_does_not_satisfy_is_refused_with_the_reason(string host, string mode, string reason) =>
        Should.Throw<SubjectException>(() => SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(server.Address(host, mode))).Problem.Message.ShouldContain(reason);

    [Fact]
    public async Task A_copy_is_dumped_over_an_encrypted_connection_by_a_users_certificate()
    {
        string folder = Directory.CreateDirectory(Path.Combine(server.Folder, Guid.NewGuid().ToString("n"))).FullName;
        var access = new SubjectAccess(server.Address("localhost", "verify-full&sslrootcert=CA&sslcert=USER&sslkey=USERKEY", "certified"), SubjectSides.Dumped);
        await using (PostgresSubject subject = PostgresSubject.Open(access, folder))
        {
            await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
            (await copy.InspectAsync(new("SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid() AND ssl", []), TimeSpan.FromSeconds(10), default)).Rows.ShouldBe(1);
        }

        PostgresSubject.Clean(access, folder).ShouldBeNull();
        Should.Throw<SubjectException>(() => SubjectEngines.Of(Dialects.PostgresEngine).Server!.LookAt(server.Address("localhost", "require", "certified"))).Problem.Message.ShouldContain("certificate");
    }

    public sealed class Encrypted : IDisposable
    {
        private readonly Dictionary<string, string> _files;

        public Encrypted()
        {
            Folder = Directory.CreateTempSubdirectory("swift-ledger-tls-").FullName;
            using X509Certificate2 authority = Authority("CN=Test authority"), other = Authority("CN=Another authority");
            _files = new()
            {
                ["USERKEY"] = Path.Combine(Folder, "user.key"),
                ["USER"] = Path.Combine(Folder, "user.crt"),
                ["OTHER"] = Path.Combine(Folder, "other.crt"),
                ["CA"] = Path.Combine(Folder, "ca.crt"),
            };
            File.WriteAllText(_files["CA"], authority.ExportCertificatePem());
            File.WriteAllText(_files["OTHER"], other.ExportCertificatePem());
            (string userCertificate, string userKey) = Signed(authority, "CN=certified", null);
            File.WriteAllText(_files["USER"], userCertificate);
            File.WriteAllText(_files["USERKEY"], userKey);
            if (OperatingSystem.IsLinux())
            {
                // pg_dump takes no key that others may read.
                File.SetUnixFileMode(_files["USERKEY"], UnixFileMode.UserRead | UnixFileMode.UserWrite);
            }

            (string certificate, string key) = Signed(authority, "CN=localhost", "localhost");
            Server = new PostgresServer("", before: data =>
            {
                File.WriteAllText(Path.Combine(data, "server.crt"), certificate);
                File.WriteAllText(Path.Combine(data, "server.key"), key);
                File.WriteAllText(Path.Combine(data, "root.crt"), authority.ExportCertificatePem());
                File.AppendAllText(Path.Combine(data, "postgresql.conf"), "\nssl = on\nssl_ca_file = 'root.crt'\n");
                File.WriteAllText(Path.Combine(data, "pg_hba.conf"), "local all all trust\nhostssl all certified all cert\nhostssl all all all trust\n");
            });
            Server.Sql("postgres", "CREATE ROLE certified LOGIN CREATEDB; CREATE DATABASE parcels");
            Server.Sql("parcels", "CREATE TABLE parcel AS SELECT i AS id FROM generate_series(1, 100) i; GRANT SELECT ON parcel TO certified");
        }

        public string Folder { get; }

        internal PostgresServer Server { get; }

        public string Address(string host, string mode, string user = "postgres") => _files.Aggregate(
            $"postgresql://{user}@{host}:{Server.Port.ToString(CultureInfo.InvariantCulture)}/parcels?sslmode={mode}", (text, f) => text.Replace($"={f.Key}&", $"={f.Value}&", StringComparison.Ordinal).Replace($"={f.Key}", $"={f.Value}", StringComparison.Ordinal));

        public void Dispose()
        {
            Server.Dispose();
            Directory.Delete(Folder, recursive: true);
        }

        private static X509Certificate2 Authority(string name)
        {
            using var key = RSA.Create(2048);
            var request = new CertificateRequest(name, key, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1);
            request.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, false, 0, true));
            return request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(2));
        }

        private static (string Certificate, string Key) Signed(X509Certificate2 authority, string name, string? host)
        {
            using var key = RSA.Create(2048);
            var request = new CertificateRequest(name, key, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1);
            if (host is not null)
            {
                var names = new SubjectAlternativeNameBuilder();
                names.AddDnsName(host);
                request.CertificateExtensions.Add(names.Build());
            }

            using X509Certificate2 signed = request.Create(authority, DateTimeOffset.UtcNow.AddHours(-1), DateTimeOffset.UtcNow.AddDays(1), RandomNumberGenerator.GetBytes(8));
            return (signed.ExportCertificatePem(), key.ExportPkcs8PrivateKeyPem());
        }
    }
}
