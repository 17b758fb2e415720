using System.IO.Compression;
using System.Net;
using System.Text.Json;
using System.Text.Json.Serialization;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.ResponseCompression;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.FileProviders;
using Serilog;
using Serilog.Events;
using SwiftLedger.Bench;
using SwiftLedger.Store;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>How a server is started.</summary>
/// <param name="Address">Where it listens.</param>
/// <param name="Token">Asked for on every request; needed on every address but loopback.</param>
/// <param name="Interface">Folder of the built interface.</param>
/// <param name="Clock">Tells the time; null for the machine's.</param>
/// <param name="Alerts">Where alerts are sent; null for nowhere.</param>
public sealed record ServerSettings(LedgerHome Home, IPAddress Address, int Port, string? Token, string Interface, TimeProvider? Clock = null, AlertChannels? Alerts = null);

/// <summary>Builds the web server: API, progress stream, and the interface's files.</summary>
public static class LedgerServer
{
    private const int NoSpace = 28;

    /// <summary>First parts of the addresses of pages.</summary>
    private static readonly string[] Pages = ["/books", "/trials", "/new", "/plans", "/glossary"];

    /// <exception cref="LedgerException">The ledger cannot be used.</exception>
    public static WebApplication Build(ServerSettings settings)
    {
        // The folder that it is started in is somebody's: a settings file there is none of ours, and all that lies below it would be watched for one.
        WebApplicationBuilder builder = WebApplication.CreateSlimBuilder(new WebApplicationOptions
        {
            ApplicationName = typeof(LedgerServer).Assembly.GetName().Name,
            ContentRootPath = AppContext.BaseDirectory,
            Args = ["--hostBuilder:reloadConfigOnChange=false"],
        });
        builder.Configuration.Sources.Clear();
        builder.WebHost.ConfigureKestrel(k =>
        {
            k.Listen(settings.Address, settings.Port);
            k.AddServerHeader = false;
            k.Limits.MaxRequestBodySize = 32 << 20;
        });
        builder.Services.AddSerilog(new LoggerConfiguration()
            .MinimumLevel.Warning().MinimumLevel.Override("Microsoft.AspNetCore.DataProtection", LogEventLevel.Error).MinimumLevel.Override("SwiftLedger", LogEventLevel.Information)
            .WriteTo.Console(standardErrorFromLevel: LogEventLevel.Verbose, formatProvider: System.Globalization.CultureInfo.InvariantCulture).CreateLogger());
        builder.Services.ConfigureHttpJsonOptions(o =>
        {
            o.SerializerOptions.NumberHandling = JsonNumberHandling.Strict;
            o.SerializerOptions.TypeInfoResolverChain.Insert(0, RequestJson.Resolver);
            o.SerializerOptions.Converters.Add(new JsonStringEnumConverter(JsonNamingPolicy.CamelCase));
        });
        builder.Services.Configure<RouteHandlerOptions>(o => o.ThrowOnBadRequest = true);
        builder.Services.AddOpenApi("v1", o => o.AddDocumentTransformer((document, _, _) =>
        {
            document.Info = new() { Title = "Swift Ledger", Version = "1" };
            document.Servers = [];
            return Task.CompletedTask;
        }));
        builder.Services.AddSingleton(settings.Home);
        builder.Services.AddSingleton(settings.Clock ?? TimeProvider.System);
        builder.Services.AddSingleton(new LedgerDatabase(settings.Home.LedgerFile));
        builder.Services.AddSingleton<BookStore>();
        builder.Services.AddSingleton<TrialStore>();
        builder.Services.AddDataProtection().PersistKeysToFileSystem(KeysFolder(settings.Home)).SetApplicationName("swift-ledger");
        builder.Services.AddSingleton<SecretStore>();
        builder.Services.AddSingleton<SubjectPasswords>();
        builder.Services.AddSingleton<PlanStore>();
        builder.Services.AddSingleton<CaptureStore>();
        builder.Services.AddSingleton<DaybookStore>();
        builder.Services.AddSingleton<DeploymentStore>();
        builder.Services.AddSingleton<TraceReceiver>();
        builder.Services.AddRequestDecompression();
        builder.Services.AddResponseCompression(o => o.EnableForHttps = true);
        builder.Services.Configure<BrotliCompressionProviderOptions>(o => o.Level = CompressionLevel.Optimal);
        builder.Services.AddSingleton<RepeatStore>();
        builder.Services.AddSingleton<PlanUseStore>();
        builder.Services.AddSingleton<ValueStore>();
        builder.Services.AddSingleton<EventStore>();
        builder.Services.AddSingleton<PageStore>();
        builder.Services.AddSingleton<SampleStore>();
        builder.Services.AddSingleton<ExecutionStore>();
        builder.Services.AddSingleton<WatchStore>();
        builder.Services.AddSingleton<WatchDesk>();
        builder.Services.AddHostedService(s => s.GetRequiredService<WatchDesk>());
        builder.Services.AddSingleton<CheckProcess>();
        builder.Services.AddSingleton<TrialFeed>();
        builder.Services.AddSingleton<TrialDesk>();
        builder.Services.AddHostedService(s => s.GetRequiredService<TrialDesk>());
        builder.Services.AddSingleton<EntryStore>();
        builder.Services.AddSingleton<EntryReconciler>();
        builder.Services.AddSingleton<EntryDeployments>();
        builder.Services.AddSingleton<LapseDesk>();
        builder.Services.AddSingleton<EntryDesk>();
        builder.Services.AddSingleton<TodayDesk>();
        builder.Services.AddHostedService(s => s.GetRequiredService<EntryDesk>());
        builder.Services.AddSingleton<RehearsalStore>();
        builder.Services.AddSingleton<RehearsalDesk>();
        builder.Services.AddHostedService(s => s.GetRequiredService<RehearsalDesk>());
        builder.Services.AddSingleton<ProposalStore>();
        builder.Services.AddSingleton<ProposalDesk>();
        builder.Services.AddHostedService(s => s.GetRequiredService<ProposalDesk>());
        builder.Services.AddSingleton<HoldStore>();
        builder.Services.AddSingleton<HoldDesk>();
        builder.Services.AddSingleton<HeldAnswers>();
        builder.Services.AddHostedService(s => s.GetRequiredService<HoldDesk>());
        builder.Services.AddSingleton(settings.Alerts ?? AlertChannels.None);
        builder.Services.AddSingleton<RoundStore>();
        builder.Services.AddSingleton<CheckStore>();
        builder.Services.AddSingleton<KeepDesk>();
        builder.Services.AddHostedService(s => s.GetRequiredService<KeepDesk>());
        builder.Services.AddSingleton<AlertStore>();
        builder.Services.AddSingleton<AlertPost>();
        builder.Services.AddSingleton<MetricsDesk>();
        builder.Services.AddSingleton<AlertDesk>();
        builder.Services.AddHostedService(s => s.GetRequiredService<AlertPost>());
        builder.Services.AddHostedService(s => s.GetRequiredService<AlertDesk>());
        builder.Services.AddSingleton<ScriptStore>();
        builder.Services.AddSingleton<ScriptDesk>();
        builder.Services.AddHostedService(s => s.GetRequiredService<ScriptDesk>());
        builder.Services.Configure<HostOptions>(o => o.ShutdownTimeout = TimeSpan.FromSeconds(5));

        WebApplication app = builder.Build();
        var safety = new SafetyRules(settings.Token);

        // What is wrong with a request is told to who sent it; in the log it would only hide what is wrong with the server.
        app.UseExceptionHandler(new ExceptionHandlerOptions { ExceptionHandler = AnswerFailureAsync, SuppressDiagnosticsCallback = c => c.Exception is BadHttpRequestException or InvalidDataException or InvalidOperationException { Source: "System.IO.Compression.Brotli" } });
        app.Use(next => context => safety.ApplyAsync(context, next));
        app.MapOpenApi("/api/openapi.json");
        app.UseRequestDecompression();
        app.UseResponseCompression();
        EmptyAnswers.Fill(app);
        ServeInterface(app, settings.Interface);
        app.UseRouting();
        Api.Map(app);
        TraceReceiver.Map(app);
        MetricsDesk.Map(app);
        app.Lifetime.ApplicationStarted.Register(() => _ = Task.Run(() => app.Services.GetRequiredService<EndpointDataSource>().Endpoints));
        return app;
    }

    /// <summary>Keys of the passwords that are kept: for the owner of the ledger alone.</summary>
    private static DirectoryInfo KeysFolder(LedgerHome home)
    {
        string path = Path.Combine(home.Root, "keys");
        return OperatingSystem.IsWindows() ? Directory.CreateDirectory(path) : Directory.CreateDirectory(path, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
    }

    private static async Task AnswerFailureAsync(HttpContext context)
    {
        Exception? failure = context.Features.Get<IExceptionHandlerFeature>()?.Error;
        (int status, string part, string message) = failure switch
        {
            BadHttpRequestException { InnerException: JsonException json } bad => (bad.StatusCode, RequestJson.FieldOf(json), RequestJson.Describe(json)),
            NullFieldException missing => (StatusCodes.Status400BadRequest, missing.Field, missing.Message),
            BadHttpRequestException bad => (bad.StatusCode, "request", bad.Message),
            InvalidDataException or InvalidOperationException { Source: "System.IO.Compression.Brotli" } => (StatusCodes.Status400BadRequest, "request", "The body is not what its Content-Encoding says: it cannot be unpacked."),
            SqliteException { SqliteErrorCode: 13 } => (StatusCodes.Status507InsufficientStorage, "request", "The disk is full: nothing was kept of this request. Free some space, and send it again."),
            IOException io when (io.HResult & 0xFFFF) == NoSpace => (StatusCodes.Status507InsufficientStorage, "request", "The disk is full: nothing was kept of this request. Free some space, and send it again."),
            SqliteException e => (StatusCodes.Status503ServiceUnavailable, "request", LedgerException.Of(e).Message),
            _ => (StatusCodes.Status500InternalServerError, "request", "Something went wrong in the server; its log says more. Nothing was lost."),
        };
        context.Response.StatusCode = status;
        await context.Response.WriteAsJsonAsync(ProblemReport.Because(part, message));
    }

    private static void ServeInterface(WebApplication app, string folder)
    {
        if (!Directory.Exists(folder))
        {
            app.MapFallback(() => TypedResults.Text("The interface is not built: run ./swift-ledger serve from the repository, which builds it.", statusCode: 503));
            return;
        }

        var files = new PhysicalFileProvider(Path.GetFullPath(folder));
        app.UseStaticFiles(new StaticFileOptions
        {
            FileProvider = files,
            OnPrepareResponse = c => c.Context.Response.Headers.CacheControl =
                c.Context.Request.Path.StartsWithSegments("/assets") ? "public, max-age=31536000, immutable" : "no-cache",
        });
        app.Use(next => context => IsPage(context.Request) ? SendPageAsync(context, files) : next(context));
        app.MapFallback(context => SendPageAsync(context, files));
    }

    /// <summary>Whether it asks for one of the interface's pages. They are answered before routing: the many addresses of the API are made ready while the browser reads the first page.</summary>
    private static bool IsPage(HttpRequest request) =>
        HttpMethods.IsGet(request.Method) && (request.Path == "/" || Pages.Any(p => request.Path.StartsWithSegments(p)));

    private static Task SendPageAsync(HttpContext context, PhysicalFileProvider files)
    {
        context.Response.ContentType = "text/html; charset=utf-8";
        context.Response.Headers.CacheControl = "no-cache";
        return context.Response.SendFileAsync(files.GetFileInfo("index.html"));
    }
}
