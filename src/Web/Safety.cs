using System.Net;
using System.Security.Cryptography;
using System.Text;

namespace SwiftLedger.Web;

/// <summary>
/// The server runs SQL for whoever may call it, so it is careful who may: only its own page, on its own address, by a name
/// that means this machine; on any other address only with the token.
/// </summary>
/// <param name="Token">Asked for on every request; null on loopback.</param>
public sealed record SafetyRules(string? Token)
{
    /// <summary>A header that no form and no cross-site request without our consent can send.</summary>
    public const string Header = "X-Swift-Ledger";

    /// <summary>Cookies do not tell ports apart (RFC 6265, 8.5): two servers of one machine have cookies of their own by their names.</summary>
    private static string CookieOf(HttpContext context) => $"swift-ledger-token-{context.Connection.LocalPort.ToString(System.Globalization.CultureInfo.InvariantCulture)}";

    private const string ContentPolicy =
        "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";

    public async Task ApplyAsync(HttpContext context, RequestDelegate next)
    {
        context.Response.Headers.ContentSecurityPolicy = ContentPolicy;
        context.Response.Headers.XContentTypeOptions = "nosniff";
        context.Response.Headers["Referrer-Policy"] = "no-referrer";
        context.Response.Headers["Cross-Origin-Opener-Policy"] = "same-origin";
        context.Response.Headers["Cross-Origin-Resource-Policy"] = "same-origin";
        if (Refusal(context) is { } refusal)
        {
            context.Response.StatusCode = refusal.Status;
            await context.Response.WriteAsJsonAsync(ProblemReport.Because("request", refusal.Message));
            return;
        }

        if (Token is not null && HttpMethods.IsGet(context.Request.Method) && context.Request.Query.ContainsKey("token"))
        {
            // The cookie has it now. In the address it would go into the history, bookmarks and pictures of the screen.
            QueryString rest = QueryString.Create(context.Request.Query.Where(q => q.Key != "token"));
            context.Response.StatusCode = StatusCodes.Status302Found;
            context.Response.Headers.Location = "/" + context.Request.Path.ToUriComponent().TrimStart('/') + rest.ToUriComponent();
            context.Response.Headers.CacheControl = "no-store";
            return;
        }

        await next(context);
    }

    private (int Status, string Message)? Refusal(HttpContext context)
    {
        HttpRequest request = context.Request;
        if (Token is null && !IsLoopback(request.Host.Host))
        {
            return (StatusCodes.Status421MisdirectedRequest, "This server answers only to localhost.");
        }

        bool api = request.Path.StartsWithSegments("/api");
        string site = request.Headers["Sec-Fetch-Site"].ToString();
        if (api && site is "cross-site" or "same-site")
        {
            return (StatusCodes.Status403Forbidden, "Requests from other sites are refused.");
        }

        if (!HttpMethods.IsGet(request.Method) && !HttpMethods.IsHead(request.Method) && request.Headers[Header] != "1")
        {
            return (StatusCodes.Status403Forbidden, $"A request that changes something carries the header {Header}: 1.");
        }

        return Token is null || Knows(context) ? null
            : (StatusCodes.Status401Unauthorized, "This server asks for its token: open the address that it printed, or send 'Authorization: Bearer TOKEN'.");
    }

    private static bool IsLoopback(string host) =>
        host is "localhost" or "[::1]" || (IPAddress.TryParse(host, out IPAddress? address) && IPAddress.IsLoopback(address));

    private bool Knows(HttpContext context)
    {
        string bearer = context.Request.Headers.Authorization.ToString();
        if (Same(bearer.StartsWith("Bearer ", StringComparison.Ordinal) ? bearer[7..] : "")
            || Same(context.Request.Cookies[CookieOf(context)] ?? ""))
        {
            return true;
        }

        if (!Same(context.Request.Query["token"].ToString()))
        {
            return false;
        }

        context.Response.Cookies.Append(CookieOf(context), Token!, new CookieOptions { HttpOnly = true, SameSite = SameSiteMode.Strict, Secure = context.Request.IsHttps });
        return true;
    }

    private bool Same(string given) =>
        CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(given), Encoding.UTF8.GetBytes(Token!));
}
