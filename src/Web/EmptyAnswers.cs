using System.ComponentModel;
using System.Globalization;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Http.Metadata;

namespace SwiftLedger.Web;

/// <summary>Refusals that the framework makes before anything of ours sees the request have no body: they are told as all others are.</summary>
internal static class EmptyAnswers
{
    public static void Fill(WebApplication app) => app.UseStatusCodePages(FillAsync);

    private static Task FillAsync(StatusCodeContext status)
    {
        HttpContext context = status.HttpContext;
        if (!context.Request.Path.StartsWithSegments("/api") || HttpMethods.IsHead(context.Request.Method))
        {
            return Task.CompletedTask;
        }

        (string part, string message) = context.Response.StatusCode switch
        {
            StatusCodes.Status404NotFound => ("request", "There is nothing at this address."),
            StatusCodes.Status405MethodNotAllowed => ("request", $"Nothing at this address answers to {context.Request.Method}."),
            StatusCodes.Status415UnsupportedMediaType => ("request", "The body is to be JSON, with the content type application/json."),
            StatusCodes.Status400BadRequest when Unreadable(context) is { } name => (name, $"The request's '{name}' is missing, or of another type than is wanted."),
            int code => ("request", $"The request was refused with {code.ToString(CultureInfo.InvariantCulture)}."),
        };
        return context.Response.WriteAsJsonAsync(ProblemReport.Because(part, message));
    }

    /// <summary>The first value of the address that its parameter's type cannot hold; null where all can be read.</summary>
    private static string? Unreadable(HttpContext context) =>
        context.GetEndpoint()?.Metadata.GetOrderedMetadata<IParameterBindingMetadata>().Where(p => p.HasTryParse).FirstOrDefault(p => !IsReadable(context, p))?.Name;

    private static bool IsReadable(HttpContext context, IParameterBindingMetadata parameter)
    {
        string? given = context.Request.RouteValues.TryGetValue(parameter.Name, out object? part) ? Convert.ToString(part, CultureInfo.InvariantCulture) : context.Request.Query[parameter.Name];
        Type type = parameter.ParameterInfo.ParameterType;
        return string.IsNullOrEmpty(given) ? parameter.IsOptional : TypeDescriptor.GetConverter(Nullable.GetUnderlyingType(type) ?? type).IsValid(given);
    }
}
