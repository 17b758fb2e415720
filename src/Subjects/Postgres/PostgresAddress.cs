using System.Globalization;
using Npgsql;
using SwiftLedger.Core.Captures;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>Reads connection strings in the forms that people have: a URI, libpq's keywords, or the driver's own.</summary>
/// <remarks>
/// PostgreSQL manual, 34.1.1 "Connection Strings" and 34.1.2 "Parameter Key Words". A password may also stand in PGPASSWORD, or in the
/// password file that PGPASSFILE names or that lies at its usual place: the driver looks there where the string has none.
/// </remarks>
public static class PostgresAddress
{
    private const int ConnectSeconds = 10;

    private static readonly Dictionary<string, string> Names = new(StringComparer.OrdinalIgnoreCase)
    {
        ["sslmode"] = "SSL Mode",
        ["sslrootcert"] = "Root Certificate",
        ["sslcert"] = "SSL Certificate",
        ["sslkey"] = "SSL Key",
        ["sslpassword"] = "SSL Password",
        ["connect_timeout"] = "Timeout",
        ["dbname"] = "Database",
        ["user"] = "Username",
        ["hostaddr"] = "Host",
        ["options"] = "Options",
        ["passfile"] = "Passfile",
        ["application_name"] = "Application Name",
        ["fallback_application_name"] = "Application Name",
        ["client_encoding"] = "Client Encoding",
        ["target_session_attrs"] = "Target Session Attributes",
        ["channel_binding"] = "Channel Binding",
        ["gssencmode"] = "GSS Encryption Mode",
        ["krbsrvname"] = "Kerberos Service Name",
        ["keepalives_interval"] = "Tcp Keepalive Interval",
        ["keepalives_idle"] = "Tcp Keepalive Time",
    };

    /// <exception cref="SubjectException">It is no connection string, or lacks the database.</exception>
    public static NpgsqlConnectionStringBuilder Parse(string address)
    {
        NpgsqlConnectionStringBuilder builder;
        try
        {
            builder = address.Contains("://", StringComparison.Ordinal) ? OfUri(new Uri(address)) : OfValues(address);
        }
        catch (Exception e) when (e is ArgumentException or UriFormatException or FormatException or KeyNotFoundException or NotSupportedException)
        {
            throw SubjectException.Because($"This is no connection string that can be read ({e.Message}). Write postgresql://user@host:5432/database.");
        }

        if (string.IsNullOrEmpty(builder.Host))
        {
            throw SubjectException.Because("The connection string names no host. Write postgresql://user@host:5432/database.");
        }

        if (string.IsNullOrEmpty(builder.Database))
        {
            throw SubjectException.Because("The connection string names no database. Write postgresql://user@host:5432/database.");
        }

        // A connection for each purpose, none kept for later.
        (builder.Pooling, builder.Enlist, builder.CommandTimeout, builder.MaxAutoPrepare, builder.ApplicationName, builder.IncludeErrorDetail) = (false, false, 0, 0, OwnMarks.Application, true);
        if (!builder.ContainsKey("Timeout") || builder.Timeout is 0 or 15)
        {
            builder.Timeout = ConnectSeconds;
        }

        return builder;
    }

    private static NpgsqlConnectionStringBuilder OfUri(Uri uri)
    {
        var builder = new NpgsqlConnectionStringBuilder { Host = Uri.UnescapeDataString(uri.Host.Trim('[', ']')), Port = uri.Port > 0 ? uri.Port : 5432 };
        string[] who = uri.UserInfo.Split(':', 2);
        if (who[0].Length > 0)
        {
            builder.Username = Uri.UnescapeDataString(who[0]);
        }

        if (who.Length > 1)
        {
            builder.Password = Uri.UnescapeDataString(who[1]);
        }

        if (uri.AbsolutePath.Trim('/') is { Length: > 0 } database)
        {
            builder.Database = Uri.UnescapeDataString(database);
        }

        foreach (string[] pair in uri.Query.TrimStart('?').Split('&', StringSplitOptions.RemoveEmptyEntries).Select(p => p.Split('=', 2)))
        {
            Set(builder, Uri.UnescapeDataString(pair[0]), pair.Length > 1 ? Uri.UnescapeDataString(pair[1]) : "");
        }

        return builder;
    }

    /// <summary>libpq parts its keywords by spaces, the driver by semicolons.</summary>
    private static NpgsqlConnectionStringBuilder OfValues(string text)
    {
        if (text.Contains(';', StringComparison.Ordinal) || text.Count(c => c == '=') == 1)
        {
            return new(text);
        }

        var builder = new NpgsqlConnectionStringBuilder();
        int at = 0;
        while (at < text.Length)
        {
            int equals = text.IndexOf('=', at);
            if (equals < 0)
            {
                throw new FormatException($"'{text[at..].Trim()}' has no value");
            }

            string name = text[at..equals].Trim();
            at = equals + 1;
            while (at < text.Length && text[at] == ' ')
            {
                at++;
            }

            var value = new System.Text.StringBuilder();
            bool quoted = at < text.Length && text[at] == '\'';
            at += quoted ? 1 : 0;
            while (at < text.Length && (quoted ? text[at] != '\'' : text[at] != ' '))
            {
                at += text[at] == '\\' && at + 1 < text.Length ? 1 : 0;
                value.Append(text[at++]);
            }

            at += quoted ? 1 : 0;
            Set(builder, name, value.ToString());
        }

        return builder;
    }

    private static void Set(NpgsqlConnectionStringBuilder builder, string name, string value)
    {
        string known = Names.GetValueOrDefault(name, name);
        builder[known] = known == "SSL Mode" ? string.Create(CultureInfo.InvariantCulture, $"{value.Replace("-", "", StringComparison.Ordinal)}") : value;
    }
}
