using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Sockets;

namespace SwiftLedger.Testing;

/// <summary>A real PostgreSQL server on a free port, with a data folder of its own that is removed afterwards.</summary>
/// <remarks>The newest of Debian's packages, or another version of those in tests/servers; <c>SWIFT_LEDGER_TEST_POSTGRES=17</c> makes that the version of all tests.</remarks>
internal sealed class PostgresServer : IDisposable
{
    private static readonly int Debian = Directory.GetDirectories("/usr/lib/postgresql").Max(d => int.Parse(Path.GetFileName(d), CultureInfo.InvariantCulture));

    /// <summary>Debian's, always: other builds come without psql, and it talks to older and newer servers.</summary>
    private static readonly string Clients = ProgramsOf(Debian);

    /// <summary>The version of the servers that tests start.</summary>
    public static int Version { get; } = Environment.GetEnvironmentVariable("SWIFT_LEDGER_TEST_POSTGRES") is { Length: > 0 } wanted ? int.Parse(wanted, CultureInfo.InvariantCulture) : Debian;

    /// <summary>Whether this machine has a server of a version.</summary>
    public static bool Has(int version) => File.Exists(Path.Combine(ProgramsOf(version), "postgres"));

    private readonly string _programs;
    private readonly string _folder;
    private readonly int _port;
    private bool _running;

    /// <param name="settings">Lines for postgresql.conf.</param>
    /// <param name="version">Another version than that of all tests.</param>
    /// <param name="before">Told the data folder before the server starts; what is written there becomes the server's.</param>
    public PostgresServer(string settings, int? version = null, Action<string>? before = null)
    {
        _programs = ProgramsOf(version ?? Version);
        _folder = Directory.CreateTempSubdirectory("swift-ledger-postgres-").FullName;
        using (var probe = new TcpListener(IPAddress.Loopback, 0))
        {
            probe.Start();
            _port = ((IPEndPoint)probe.LocalEndpoint).Port;
        }

        // The server refuses to run as root.
        if (Environment.UserName == "root")
        {
            Run("chown", ["postgres", _folder], asOwner: false);
        }

        Run(Path.Combine(_programs, "initdb"), ["-D", Data, "-U", "postgres", "-A", "trust", "-E", "UTF8", "--no-locale", "-N"]);
        File.AppendAllText(Path.Combine(Data, "postgresql.conf"), $"""

            port = {_port}
            listen_addresses = '127.0.0.1'
            unix_socket_directories = '{_folder}'
            fsync = off
            log_timezone = 'UTC'
            {settings}
            """);
        if (before is not null)
        {
            before(Data);
            if (Environment.UserName == "root")
            {
                Run("chown", ["-R", "postgres", Data], asOwner: false);
            }

            Run("chmod", ["-R", "go-rwx", Data]);
        }

        Run(Path.Combine(_programs, "pg_ctl"), ["-D", Data, "-w", "-l", Path.Combine(_folder, "start.log"), "start"]);
        _running = true;
    }

    public int Port => _port;

    /// <summary>Over TCP, as the user who owns everything.</summary>
    public string Connection(string database = "postgres", string user = "postgres") => $"Host=127.0.0.1;Port={Text(_port)};Database={database};Username={user}";

    public string Data => Path.Combine(_folder, "data");

    /// <summary>What psql prints for a script, without heads.</summary>
    public string Sql(string database, string script) =>
        Run(Path.Combine(Clients, "psql"), ["-h", _folder, "-p", Text(_port), "-U", "postgres", "-d", database, "-At", "-q", "-f", "-"], script);

    /// <summary>What psql sends to the server for a script, statement by statement, whether the server understands it or not.</summary>
    public string Sent(string script) => Run(Path.Combine(Clients, "psql"), ["-h", _folder, "-p", Text(_port), "-U", "postgres", "-d", "postgres", "-e", "-q", "-X", "-f", "-"], script, quiet: true);

    /// <summary>As an administrator does it: sessions are ended.</summary>
    public void Restart() => Run(Path.Combine(_programs, "pg_ctl"), ["-D", Data, "-w", "-m", "fast", "-l", Path.Combine(_folder, "start.log"), "restart"]);

    public void Stop()
    {
        if (_running)
        {
            Run(Path.Combine(_programs, "pg_ctl"), ["-D", Data, "-w", "-m", "fast", "stop"]);
            _running = false;
        }
    }

    public void Dispose()
    {
        Stop();
        Directory.Delete(_folder, recursive: true);
    }

    private static string ProgramsOf(int version)
    {
        string debian = $"/usr/lib/postgresql/{Text(version)}/bin";
        if (Directory.Exists(debian))
        {
            return debian;
        }

        string? top = AppContext.BaseDirectory;
        while (top is not null && !File.Exists(Path.Combine(top, "SwiftLedger.slnx")))
        {
            top = Path.GetDirectoryName(top);
        }

        return Path.Combine(top ?? "", "tests", "servers", "node_modules", $"postgres-{Text(version)}", "native", "bin");
    }

    private static string Text(int number) => number.ToString(CultureInfo.InvariantCulture);

    private static string Run(string program, string[] arguments, string? input = null, bool asOwner = true, bool quiet = false)
    {
        bool other = asOwner && Environment.UserName == "root";
        var info = other
            ? new ProcessStartInfo("runuser", ["-u", "postgres", "--", program, .. arguments])
            : new ProcessStartInfo(program, arguments);
        (info.RedirectStandardInput, info.RedirectStandardOutput, info.RedirectStandardError, info.WorkingDirectory) = (true, true, quiet, "/");
        using Process process = Process.Start(info)!;
        if (quiet)
        {
            process.ErrorDataReceived += static (_, _) => { };
            process.BeginErrorReadLine();
        }

        process.StandardInput.Write(input);
        process.StandardInput.Close();

        // pg_ctl's server inherits the pipe: what it prints is not waited for.
        string output = Path.GetFileName(program) == "pg_ctl" ? "" : process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return process.ExitCode is 0 or 3 ? output : throw new InvalidOperationException($"{program} ended with {process.ExitCode}.");
    }
}
